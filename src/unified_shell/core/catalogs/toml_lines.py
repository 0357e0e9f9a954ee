"""On which line of a TOML text each key stands; the standard library's reader does not tell."""

import re

__all__ = ["Keys", "key_lines"]

# A key, or the number of an element of an array of tables.
Keys = tuple[str | int, ...]
HEADER = re.compile(r"^\s*(\[\[?)\s*([^\[\]]+?)\s*\]\]?\s*(#.*)?$")
ASSIGNMENT = re.compile(r"""^\s*((?:[\w-]+|"[^"]*"|'[^']*')(?:\s*\.\s*(?:[\w-]+|"[^"]*"|'[^']*'))*)\s*=(.*)$""")
PART = re.compile(r"""[\w-]+|"[^"]*"|'[^']*'""")
STRING = re.compile(r'"(?:[^"\\]|\\.)*"' + r"|'[^']*'")


def key_lines(text: str) -> dict[Keys, int]:
    """Return the line, from 1, of each table and key of a text that is valid TOML.

    A multi-line value belongs to the line of its key; keys of inline tables to the line of the whole.
    """
    lines: dict[Keys, int] = {}
    table: Keys = ()
    counts: dict[Keys, int] = {}
    open_until, depth = "", 0
    for number, line in enumerate(text.splitlines(), 1):
        if open_until:
            open_until = "" if open_until in line else open_until
            continue
        if depth > 0:
            depth += _depth(line)
            continue
        if found := HEADER.match(line):
            table = _table(tuple(_parts(found[2])), counts, repeated=found[1] == "[[")
            lines.setdefault(table, number)
        elif found := ASSIGNMENT.match(line):
            lines.setdefault((*table, *_parts(found[1])), number)
            value = found[2].strip()
            for quotes in ('"""', "'''"):
                if value.startswith(quotes) and quotes not in value[3:]:
                    open_until = quotes
            depth = 0 if open_until else max(_depth(value), 0)
    return lines


def _table(parts: tuple[str, ...], counts: dict[Keys, int], *, repeated: bool) -> Keys:
    """Return the keys of a header's table: parts that are arrays of tables stand for their newest element."""
    keys: Keys = ()
    for at, part in enumerate(parts):
        keys = (*keys, part)
        if at == len(parts) - 1 and repeated:
            counts[keys] = counts.get(keys, -1) + 1
        if keys in counts:
            keys = (*keys, counts[keys])
    return keys


def _parts(text: str) -> list[str]:
    return [part.strip("\"'") for part in PART.findall(text)]


def _depth(line: str) -> int:
    bare = STRING.sub("", line).split("#")[0]
    return bare.count("[") + bare.count("{") - bare.count("]") - bare.count("}")
