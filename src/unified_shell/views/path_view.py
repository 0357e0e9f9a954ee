"""PATH, as a person reads it."""

from collections.abc import Sequence

from unified_shell.core.machine.places import shown
from unified_shell.core.shells.path_faults import commands_in, find_faults
from unified_shell.core.shells.path_report import EntryReport, PathReport
from unified_shell.core.shells.wiring import Wiring

from .json_view import json_text
from .screen import Screen
from .tables import heading, print_table

__all__ = ["print_own_paths", "print_path", "print_session_path"]


def print_path(screen: Screen, report: PathReport, wiring: Wiring, home: str) -> None:
    """Write the entries of a new session's PATH, and what the wiring wants on other search paths."""
    heading(screen, f"PATH in a new {report.mode.value} session of {report.shell}")
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
        print_table(screen, ("place", "directory", "commands", "put there by", "remarks"), rows, indent=2)
    if report.trouble:
        screen.result(f"  {report.trouble}")
    if report.lost:
        screen.result("  PATH changed once more where the trace did not see it, such as at the first prompt")
    others = [path for path in wiring.search_paths() if path.variable != "PATH"]
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
        screen.result(f"  nothing of its own; ush path add DIRECTORY -e {name}")


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


def _who(one: EntryReport, home: str) -> str:
    if one.source != "startup file":
        return one.source
    return f"{shown(one.file, home)}, line {one.line}" if one.line else shown(one.file, home)


def _names(word: str, names: Sequence[str]) -> str:
    if not names:
        return ""
    return f"{word} {', '.join(names[:3])}" + (f" and {len(names) - 3} more" if len(names) > 3 else "")
