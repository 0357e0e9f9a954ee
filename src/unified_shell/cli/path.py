"""`ush path`."""

import click

from .beginnings import VerbGroup
from .performing import How, change_options, perform
from .workbench import Workbench, pass_bench

__all__ = ["path"]


@click.group(cls=VerbGroup)
def path() -> None:
    """Directories on PATH in new sessions."""


@path.command()
@click.argument("directory")
@click.option("--front", "side", flag_value="front", default="front", help="Before what is inherited (the default).")
@click.option("--back", "side", flag_value="back", help="After what is inherited.")
@change_options
@pass_bench
def add(bench: Workbench, directory: str, side: str, *, how: How) -> None:
    """Have DIRECTORY on PATH in new sessions, once: wiring, session file and startup file in one plan."""
    from unified_shell.core.shells.dialects.dialect import Side
    from unified_shell.core.shells.hookup import chosen_shells
    from unified_shell.core.shells.search_paths import plan_path_add

    perform(
        bench,
        lambda: plan_path_add(directory, Side(side), chosen_shells(bench.host), bench.host, bench.locations),
        how,
    )


@path.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_entries(bench: Workbench, *, as_json: bool) -> None:
    """List this session's PATH in order, with faults, and what the wiring wants in new ones."""
    from unified_shell.core.machine.places import shown
    from unified_shell.core.shells.search_paths import commands_in, find_faults
    from unified_shell.core.shells.wiring import read_wiring
    from unified_shell.views.json_view import json_text
    from unified_shell.views.tables import heading, print_table

    entries = bench.host.search_path()
    faults = {one.position: one.kind.value for one in find_faults(entries)}
    wiring = read_wiring(bench.locations)
    rows = [
        {
            "position": position,
            "directory": entry,
            "commands": len(commands_in(entry)),
            "fault": faults.get(position, ""),
            "wired": wiring.find("PATH", entry) is not None,
        }
        for position, entry in enumerate(entries, 1)
    ]
    if as_json:
        bench.screen.result(json_text("path", {"entries": rows, "wiring": wiring.entries}))
        return
    home = bench.host.home
    heading(bench.screen, "This session")
    print_table(
        bench.screen,
        ("place", "directory", "commands", "remarks"),
        [
            (
                str(one["position"]),
                shown(str(one["directory"]), home) or "(empty)",
                str(one["commands"]),
                "; ".join(filter(None, [str(one["fault"]), "in the wiring" if one["wired"] else ""])),
            )
            for one in rows
        ],
        indent=2,
    )
    heading(bench.screen, "\nWanted in new sessions")
    wanted = [
        (path.side.value, shown(directory, home))
        for path in wiring.search_paths()
        if path.variable == "PATH"
        for directory in path.directories
    ]
    if wanted:
        print_table(bench.screen, ("side", "directory"), wanted, indent=2)
    else:
        bench.screen.result("  nothing yet; ush path add DIRECTORY")
