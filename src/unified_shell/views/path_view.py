"""PATH, as a person reads it."""

from __future__ import annotations

import ntpath
from typing import TYPE_CHECKING

from unified_shell.core.machine.locations import Scope
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.sessions.path_faults import commands_in, find_faults

from .json_view import json_text
from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.shells.tracing.path_report import EntryReport, PathReport
    from unified_shell.core.shells.wiring.registry_wiring import RegistryEntry
    from unified_shell.core.shells.wiring.wiring import Wiring

    from .terminal.screen import Screen

__all__ = ["print_own_paths", "print_path", "print_registry_path", "print_session_path"]


def print_path(screen: Screen, report: PathReport, wiring: Wiring, home: str, variable: str = "PATH") -> None:
    """Write the entries of a new session's PATH, and what the wiring wants on other search paths."""
    heading(screen, f"{variable} in a new {report.mode.value} session of {report.shell}")
    if report.entries:
        rows = [
            (
                str(one.position),
                shown(one.directory, home) or "(empty)",
                str(one.commands) if one.exists else "",
                _who(one, home),
                "; ".join(filter(None, [one.fault, _names("hides", one.hides), _names("hidden here:", one.hidden)])),
            )
            for one in report.entries
        ]
        titles = ("place", "directory", "commands", "put there by", "remarks")
        used = [at for at in range(5) if at != 2 or variable == "PATH"]
        print_table(screen, [titles[at] for at in used], [[row[at] for at in used] for row in rows], indent=2)
    elif not report.trouble:
        screen.result("  it is not set")
    if report.trouble:
        screen.result(f"  {report.trouble}")
    if report.lost:
        screen.result("  PATH changed again outside the trace, such as at the first prompt")
    others = [path for path in wiring.search_paths() if variable == "PATH" != path.variable]
    for path in others:
        heading(screen, f"\n{path.variable}, {path.side.value}, in new sessions")
        for directory in path.directories:
            screen.result(f"  {shown(directory, home)}")


def print_own_paths(screen: Screen, name: str, wiring: Wiring, home: str, *, as_json: bool) -> None:
    """Write the entries that hold only while an environment is entered."""
    if as_json:
        screen.result(json_text("own paths", {"environment": name, "wiring": wiring.entries}))
        return
    heading(screen, f"While {name} is entered")
    rows = [
        (path.variable, path.side.value, shown(directory, home))
        for path in wiring.search_paths()
        for directory in path.directories
    ]
    if rows:
        print_table(screen, ("variable", "side", "directory"), rows, indent=2)
    else:
        screen.result("  no entries of its own")
        screen.next(ush("path", "add", "DIRECTORY", "-e", name))


def print_session_path(screen: Screen, entries: Sequence[str], wiring: Wiring, home: str, *, as_json: bool) -> None:
    """Write PATH as this session has it, with faults."""
    faults = {one.position: one.kind.value for one in find_faults(entries)}
    rows = [
        {
            "position": position,
            "directory": entry,
            "commands": len(commands_in(entry)) if entry.startswith("/") else 0,
            "fault": faults.get(position, ""),
            "wired": wiring.find("PATH", entry) is not None,
        }
        for position, entry in enumerate(entries, 1)
    ]
    if as_json:
        screen.result(json_text("session path", {"entries": rows, "wiring": wiring.entries}))
        return
    heading(screen, "PATH in this session")
    told = [
        (
            str(one["position"]),
            shown(str(one["directory"]), home) or "(empty)",
            str(one["commands"]),
            "; ".join(filter(None, [str(one["fault"]), "in the wiring" if one["wired"] else ""])),
        )
        for one in rows
    ]
    print_table(screen, ("place", "directory", "commands", "remarks"), told, indent=2)


def print_registry_path(screen: Screen, variable: str, entries: Sequence[RegistryEntry], wiring: Wiring) -> None:
    """Write a search path as new programs get it from the registry."""
    heading(screen, f"{variable} of new programs, by the registry")
    owners = {Scope.EVERYONE: "the machine's variables", Scope.ME: "the user's variables"}
    # A drive's letter makes a name absolute there.
    found = find_faults([one.directory for one in entries])
    faults = {one.position: one.kind.value for one in found if not ntpath.isabs(entries[one.position - 1].directory)}
    rows = [
        (
            str(position),
            shown(one.text),
            owners[one.scope],
            "; ".join(
                filter(
                    None, [faults.get(position, ""), "in the wiring" if wiring.find(variable, one.directory) else ""]
                )
            ),
        )
        for position, one in enumerate(entries, 1)
    ]
    if rows:
        print_table(screen, ("place", "entry", "kept in", "remarks"), rows, indent=2)
    else:
        screen.result("  nothing is set there")


def _who(one: EntryReport, home: str) -> str:
    if one.source != "startup file":
        return one.source
    return f"{shown(one.file, home)}, line {one.line}" if one.line else shown(one.file, home)


def _names(word: str, names: Sequence[str]) -> str:
    if not names:
        return ""
    return f"{word} {', '.join(names[:3])}" + (f" and {len(names) - 3} more" if len(names) > 3 else "")
