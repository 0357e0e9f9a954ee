"""Requirements from a file: a plain list, a project's `pyproject.toml`, or a script's own lines about itself.

Sources: dependency specifiers (PEP 508), project metadata in pyproject.toml (PEP 621), dependency groups (PEP 735),
inline script metadata (PEP 723).
"""

import os
import re
import tomllib
from collections.abc import Mapping, Sequence

from packaging.requirements import Requirement

from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.errors import CouldNot, UnknownName, UsageError, os_error_reason
from unified_shell.core.next_steps import ush

from .requests import parse_request

__all__ = ["read_requirements"]

# The expression of PEP 723.
SCRIPT_BLOCK = re.compile(r"(?m)^# /// (?P<type>[a-zA-Z0-9-]+)$\s(?P<content>(^#(| .*)$\s)+)^# ///$")


def read_requirements(path: str, extras: Sequence[str] = (), groups: Sequence[str] = ()) -> tuple[Requirement, ...]:
    """Return what a file requires; `extras` and `groups` are those of a pyproject.toml.

    Raises CouldNot for a file that cannot be read, UsageError for one that is none of the three or has a mistake.
    """
    try:
        with open(path, encoding="utf-8") as file:
            text = file.read()
    except (OSError, UnicodeDecodeError) as error:
        why = os_error_reason(error) if isinstance(error, OSError) else "it is not UTF-8 text"
        raise CouldNot(f"{path} cannot be read: {why}", next_step="check its name") from error
    name = os.path.basename(path)
    if name.endswith(".toml"):
        return _of_project(_toml(text, name), name, extras, groups)
    if extras or groups:
        raise UsageError(f"{name} has no extras or groups; only a pyproject.toml has")
    if name.endswith(".py"):
        return _of_script(text, name)
    return _of_list(text, name)


def _of_list(text: str, name: str) -> tuple[Requirement, ...]:
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        bare = re.sub(r"(^|\s)#.*$", "", line).strip()
        if bare.startswith(("-e ", "--editable")):
            parse_request(bare)
        if bare.startswith("-"):
            raise UsageError(
                f"{name}, line {number}: {bare.split()[0]!r} is an option; only requirements are supported",
                next_step=("name indexes with", ush("index", "add", "NAME", "ADDRESS")),
            )
        if bare:
            found.append(_parsed(bare, f"{name}, line {number}"))
    return tuple(found)


def _of_script(text: str, name: str) -> tuple[Requirement, ...]:
    blocks = [one for one in SCRIPT_BLOCK.finditer(text) if one["type"] == "script"]
    if len(blocks) != 1:
        raise UsageError(
            f"{name} has {len(blocks)} blocks '# /// script', expected one",
            next_step="see inline script metadata, PEP 723",
        )
    lines = (line[2:] if line.startswith("# ") else line[1:] for line in blocks[0]["content"].splitlines())
    table = _toml("\n".join(lines), name)
    return tuple(_parsed(one, name) for one in _texts(table.get("dependencies"), f"{name}: dependencies"))


def _of_project(
    table: Mapping[str, object], name: str, extras: Sequence[str], groups: Sequence[str]
) -> tuple[Requirement, ...]:
    project = table.get("project")
    project = project if isinstance(project, Mapping) else {}
    if not project and not groups:
        raise UsageError(f"{name} has no [project] table", next_step="name a group of it: --group NAME")
    found = []
    if project and not groups:
        found += _texts(project.get("dependencies"), f"{name}: dependencies")
    for extra in extras:
        found += _texts(_chosen(project.get("optional-dependencies"), "extra", extra), f"{name}: extra {extra}")
    for group in groups:
        found += _group(table.get("dependency-groups"), group, name, ())
    return tuple(_parsed(one, name) for one in found)


def _group(tables: object, group: str, name: str, above: tuple[str, ...]) -> list[str]:
    """Return a group's requirements, with those of the groups that it includes (PEP 735)."""
    if canonicalize_name(group) in above:
        raise UsageError(f"{name}: the group {group} includes itself, by way of {' → '.join(above)}")
    rows = _chosen(tables, "group", group)
    found: list[str] = []
    for row in rows if isinstance(rows, list) else ():
        if isinstance(row, str):
            found.append(row)
        elif isinstance(row, Mapping) and list(row) == ["include-group"]:
            found += _group(tables, str(row["include-group"]), name, (*above, canonicalize_name(group)))
        else:
            raise UsageError(f"{name}: the group {group} holds {row!r}; expected a requirement or include-group")
    return found


def _chosen(tables: object, kind: str, name: str) -> object:
    known = {canonicalize_name(key): value for key, value in tables.items()} if isinstance(tables, Mapping) else {}
    if canonicalize_name(name) not in known:
        raise UnknownName(kind, name, known, next_step=f"there are: {', '.join(known) or 'none'}")
    return known[canonicalize_name(name)]


def _texts(value: object, where: str) -> list[str]:
    if value is None:
        return []
    if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
        raise UsageError(f"{where}: expected a list of texts")
    return value


def _toml(text: str, name: str) -> dict[str, object]:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"{name} is not valid TOML: {error}", next_step="correct it in an editor") from error


def _parsed(text: str, where: str) -> Requirement:
    try:
        return parse_request(text)
    except UsageError as error:
        raise UsageError(f"{where}: {error.message}", next_step="correct it in an editor") from error
