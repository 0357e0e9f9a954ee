"""The wiring in Windows' registry: user and machine variables, one more target of the same wiring.

A new program gets the machine's variables, then the user's over them; of Path alone the user's entries are
joined behind the machine's (Microsoft's documentation; it could not be run here). So the front of the user's
Path is the nearest to the front that a person without rights can have.
"""

import re
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.registry_records import value_of_record
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import Refused
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Scope
from unified_shell.core.machine.places import from_json_text, in_home, shown, to_json_text
from unified_shell.core.machine.registry.registry import registry_of, registry_place
from unified_shell.core.machine.registry.registry_text import registry_bytes
from unified_shell.core.machine.registry.registry_values import Registry, RegistryKind, RegistryValue
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Side

from .wiring import Wiring

__all__ = [
    "KEYS",
    "RegistryEntry",
    "registry_entries",
    "registry_export",
    "registry_findings",
    "registry_lines",
    "registry_steps",
]

KEYS = {
    Scope.ME: r"HKEY_CURRENT_USER\Environment",
    Scope.EVERYONE: r"HKEY_LOCAL_MACHINE\SYSTEM\CurrentControlSet\Control\Session Manager\Environment",
}
# One variable's limit, its name and the marks between and behind them counted; a line's limit in Windows' prompt, which
# setting a search path is; and what older programs cut one to.
MOST_CHARACTERS, MOST_OF_A_LINE, OLD_LIMIT = 32_767, 8_191, 2_047
REFERENCE = re.compile(r"%([^%]+)%")
RegistryStep = PutRecord | DropRecord


class RegistryEntry(Struct, frozen=True, kw_only=True):
    """An entry of a search path as new programs get it. `text` is what stands in the registry."""

    directory: str
    text: str
    scope: Scope


def registry_steps(before: Wiring, after: Wiring, host: Host, scope: Scope) -> tuple[RegistryStep, ...]:
    """Return the steps that make the scope's variables in the registry say what the wiring wants.

    Other entries stay as they are, in their order, and each value keeps its kind. Without a registry: none.
    """
    registry = registry_of(host)
    if registry is None:
        return ()
    place, key = registry_place(registry, KEYS[scope]), KEYS[scope]
    found: list[RegistryStep] = []
    for name, value in _wanted(before, after, registry, host, scope).items():
        there = registry.read(key, name)
        if there == value:
            continue
        kept = "" if there is None else to_json_text(value_of_record(there))
        if value is None:
            found.append(DropRecord(path=place, keys=(name,), before=kept, derived=True))
        else:
            told = to_json_text(value_of_record(value))
            found.append(PutRecord(path=place, keys=(name,), before=kept, after=told, derived=True))
    return tuple(found)


def registry_lines(steps: Sequence[RegistryStep], after: Wiring) -> tuple[PlanLine, ...]:
    """Return the plan's lines for what changes in the registry."""
    lines = []
    for step in steps:
        kind = LineKind.REMOVE if isinstance(step, DropRecord) else LineKind.EDIT
        name, key = step.keys[-1], step.path.rpartition("!")[2]
        lines.append(plan_line(kind, About.REGISTRY_VALUE, name=name, key=key, diff=_difference(step)))
        if isinstance(step, PutRecord) and len(_text_of(step.after)) > OLD_LIMIT:
            size = len(_text_of(step.after))
            told = plan_line(LineKind.WARNING, About.REGISTRY_LENGTH, name=name, length=size, limit=OLD_LIMIT)
            lines.append(told)
    in_front = any(one.variable == "PATH" and one.side is Side.FRONT for one in after.entries)
    if in_front and any(step.path.endswith(KEYS[Scope.ME]) and step.keys == ("Path",) for step in steps):
        lines.append(plan_line(LineKind.NOTE, About.REGISTRY_BEHIND, variable="Path"))
    conditions = [
        when for when in (*(one.when for one in after.entries), *(one.when for one in after.variables)) if when
    ]
    if steps and conditions:
        lines.append(plan_line(LineKind.NOTE, About.REGISTRY_CONDITIONS, count=len(conditions)))
    return tuple(lines)


def registry_entries(variable: str, host: Host) -> tuple[RegistryEntry, ...]:
    """Return a search path as a new program gets it from the registry; empty without one."""
    registry = registry_of(host)
    if registry is None:
        return ()
    values = {scope: registry.read(KEYS[scope], variable) for scope in (Scope.EVERYONE, Scope.ME)}
    if variable.lower() != "path" and values[Scope.ME] is not None:
        values.pop(Scope.EVERYONE)
    return tuple(
        RegistryEntry(directory=_expanded(text, value, host), text=text, scope=scope)
        for scope, value in values.items()
        if value is not None
        for text in value.text.split(";")
        if text
    )


def registry_findings(
    variable: str, wanted: Sequence[str], unwanted: Sequence[str], host: Host
) -> tuple[Finding, ...]:
    """Return whether new programs get each of `wanted` once from the registry and none of `unwanted`."""
    if registry_of(host) is None:
        return ()
    there = [_same(one.directory) for one in registry_entries(variable, host)]
    return tuple(
        Finding(
            subject="the registry",
            question=f"gives new programs {'' if times else 'no '}{shown(directory, host.home)} on {variable}",
            verdict=verdict_of(passed=there.count(_same(directory)) == times),
            answer=f"{there.count(_same(directory))} times",
            remedy=ush("path", "list", "--registry"),
        )
        for directories, times in ((wanted, 1), (unwanted, 0))
        for directory in directories
    )


def registry_export(wiring: Wiring, host: Host, scope: Scope) -> bytes:
    """Return a registry file that brings the wiring to a Windows account, other entries of this one's included."""
    values = _wanted(Wiring(), wiring, registry_of(host), host, scope)
    remarks = "Made by ush from the wiring. Importing it sets these variables anew, whatever they held;"
    remarks += "\nprograms see it once they are opened anew."
    return registry_bytes({KEYS[scope]: {name: one for name, one in values.items() if one}}, remarks)


def _wanted(
    before: Wiring, after: Wiring, registry: Registry | None, host: Host, scope: Scope
) -> dict[str, RegistryValue | None]:
    """Return each variable that the wiring has or had a part in, with its value; None where it goes."""
    found: dict[str, RegistryValue | None] = {}
    for name in dict.fromkeys(one.variable for one in (*before.entries, *after.entries)):
        there = None if registry is None else registry.read(KEYS[scope], _registry_name(name))
        found[_registry_name(name)] = _joined(name, there, before, after, host)
    for one in before.variables:
        there = None if registry is None else registry.read(KEYS[scope], one.name)
        if there is not None and there.text == one.value:
            found[one.name] = None
    for one in after.variables:
        if not one.when:
            found[one.name] = RegistryValue(text=one.value)
            _check_length(one.name, one.value, MOST_CHARACTERS)
    return found


def _joined(
    name: str, there: RegistryValue | None, before: Wiring, after: Wiring, host: Host
) -> RegistryValue | None:
    own = {_same(one.directory) for one in (*before.entries, *after.entries) if one.variable == name}
    kind = RegistryKind.EXPANDABLE if there is None else there.kind
    # Behind an empty entry some programs look no further: none is written.
    parts = [one for one in there.text.split(";") if one] if there is not None else []
    rest = [text for text in parts if _same(_expanded(text, there, host)) not in own]
    sides: dict[Side, list[str]] = {Side.FRONT: [], Side.BACK: []}
    for path in after.search_paths():
        if path.variable == name and not path.when:
            sides[path.side] += [_entry_text(one, kind, host) for one in path.directories]
    text = ";".join([*sides[Side.FRONT], *rest, *sides[Side.BACK]])
    _check_length(_registry_name(name), text, MOST_OF_A_LINE)
    return RegistryValue(text=text, kind=kind) if text else None


def _check_length(name: str, text: str, limit: int) -> None:
    size = len(f"{name}={text}\0")
    if size > limit:
        raise Refused(
            f"{name} would be {size} characters long in the registry; the limit is {limit}",
            next_step=ush("path", "list", "--registry", why="what stands there"),
        )


def _entry_text(directory: str, kind: RegistryKind, host: Host) -> str:
    """Return a directory as an entry; relative to the home where references are expanded."""
    if ";" in directory or '"' in directory:
        raise Refused(f"{directory!r} cannot stand on a search path of Windows: a semicolon separates its entries")
    if kind is RegistryKind.TEXT:
        return directory
    below = host.paths.below(directory, host.home) or None
    if REFERENCE.search(directory if below is None else below):
        raise Refused(f"{directory!r} cannot stand on a search path of Windows: it would expand what is between '%'")
    return directory if below is None else "%USERPROFILE%\\" + below.replace("/", "\\")


def _expanded(text: str, value: RegistryValue | None, host: Host) -> str:
    text = text.strip('"')
    if value is None or value.kind is RegistryKind.TEXT:
        return text
    known = {name.lower(): told for name, told in host.variables} | {"userprofile": host.home}
    expanded = REFERENCE.sub(lambda found: known.get(found[1].lower(), found[0]), text)
    if "/" not in host.home:
        return expanded
    # Where homes are written with slashes, what stands below one is as well.
    below = in_home(expanded.replace("\\", "/"), host.home)
    return f"{host.home.rstrip('/')}/{below}" if below is not None else expanded


def _same(directory: str) -> str:
    return directory.rstrip("\\/").replace("\\", "/").lower()


def _registry_name(variable: str) -> str:
    return "Path" if variable == "PATH" else variable


def _difference(step: RegistryStep) -> tuple[str, ...]:
    mark = ";" if step.keys[-1].upper().endswith("PATH") else "\0"
    was = _text_of(step.before).split(mark) if step.before else []
    will = _text_of(step.after).split(mark) if isinstance(step, PutRecord) else []
    gone, came = [one for one in was if one not in will], [one for one in will if one not in was]
    moved = [] if gone or came else ["its entries are reordered"]
    gone = [one or "(an empty entry)" for one in gone]
    return (*(f"- {one}" for one in gone), *(f"+ {one}" for one in came), *moved)


def _text_of(record: str) -> str:
    value = from_json_text(record)
    return str(value["text"]) if isinstance(value, Mapping) else ""
