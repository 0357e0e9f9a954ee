"""Named entries in the TOML files that `ush` keeps: configuration, wiring, what was adopted.

Reading is plain; changing one keeps a person's comments and order (tomlkit).
"""

from collections.abc import Mapping, Sequence

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.files.durable import read_file

__all__ = ["key_behind", "parse_records", "read_records", "record_in", "text_with_record"]


def read_records(path: str) -> dict[str, object]:
    """Return the whole file as nested dictionaries; an absent file is an empty one.

    Raises CouldNot for a file that is not TOML, with the place of the mistake.
    """
    found = read_file(path)
    return {} if found is None else parse_records(found[0], path)


def parse_records(content: bytes, path: str) -> dict[str, object]:
    """Return a file's content as nested dictionaries."""
    import tomllib

    try:
        return tomllib.loads(content.decode("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise CouldNot(f"{path} cannot be read: {error}", next_step=f"correct {path} in an editor") from error


def record_in(records: Mapping[str, object], keys: Sequence[str]) -> object | None:
    """Return the entry under the keys, or None."""
    found: object = records
    for key in keys:
        if not isinstance(found, Mapping) or key not in found:
            return None
        found = found[key]
    return found


def key_behind(records: Mapping[str, object], keys: Sequence[str]) -> str:
    """Return the key of the entry that stands behind one in its table; empty for the last."""
    table = record_in(records, keys[:-1])
    names = list(table) if isinstance(table, Mapping) else []
    behind = names[names.index(keys[-1]) + 1 :] if keys[-1] in names else []
    return behind[0] if behind else ""


def text_with_record(
    content: bytes | None, keys: Sequence[str], value: object | None, path: str, *, ahead_of: str = ""
) -> bytes | None:
    """Return the file with the entry set, or taken out where `value` is None; None for a file left empty. A new entry stands at
    the end of its table, or ahead of another one.
    """
    import tomlkit
    from tomlkit.items import AbstractTable

    parse_records(content or b"", path)
    document = tomlkit.parse((content or b"").decode("utf-8"))
    table: tomlkit.TOMLDocument | AbstractTable = document
    chain: list[tuple[tomlkit.TOMLDocument | AbstractTable, str]] = []
    for key in keys[:-1]:
        if key not in table:
            if value is None:
                return content
            table[key] = tomlkit.table(is_super_table=True)
        chain.append((table, key))
        below = table[key]
        if not isinstance(below, AbstractTable):
            raise CouldNot(
                f"{path} cannot be changed: {key!r} is not a table", next_step=f"correct {path} in an editor"
            )
        table = below
    if value is None:
        table.pop(keys[-1], None)
        for above, key in reversed(chain):
            if not above[key]:
                del above[key]
    else:
        names = [] if keys[-1] in table else list(table)
        later = names[names.index(ahead_of) :] if ahead_of in names else []
        moved = [(name, table.pop(name)) for name in later]
        for name, item in [(keys[-1], value), *moved]:
            table[name] = item
    # An entry that was put at the end and taken out again leaves no blank line behind.
    text = tomlkit.dumps(document).rstrip("\n")
    if not (content or b"").startswith(b"\n"):
        text = text.lstrip("\n")
    return f"{text}\n".encode() if text.strip() else None
