"""What a suite offers to new sessions: folders on search paths, variables, a session script; and taking them back."""

import os

from msgspec.structs import replace

from unified_shell.core.catalogs.description import Description
from unified_shell.core.changes.plan import About, Change, LineKind, PlanLine, plan_line
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.shells.dialects.dialect import SessionScript, SetVariable, Side
from unified_shell.core.shells.planning.search_paths import check_variable_name
from unified_shell.core.shells.planning.session_scripts import dialect_of_script, script_lines
from unified_shell.core.shells.planning.variables import check_variable, with_variable, without_variable
from unified_shell.core.shells.planning.wiring_changes import WiringChange, plan_wiring
from unified_shell.core.shells.startup.hookup import chosen_shells
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring

__all__ = ["commands_of", "filled", "plan_suite_unwiring", "plan_suite_wiring"]


def filled(text: str, prefix: Place) -> str:
    """Return a text of a description with `{prefix}` filled in."""
    return text.replace("{prefix}", prefix)


def plan_suite_wiring(described: Description, prefix: Place, host: Host, locations: Locations) -> Change:
    """Plan to have what a suite offers in new sessions."""
    before = read_wiring(locations)
    after, lines = before, list[PlanLine]()
    folders = [(variable, join(prefix, filled(folder, prefix))) for variable, folder in described.offers.search_paths]
    # Each goes to the very front, so that the first that is named comes last.
    for variable, folder in reversed(folders):
        after = after.with_entry(variable, folder, Side.FRONT)
    lines += [
        plan_line(LineKind.ADD, About.ENTRY, directory=folder, variable=name, side="front")
        for name, folder in folders
    ]
    values = [(name, filled(value, prefix)) for name, value in described.offers.variables]
    for name, _ in folders:
        check_variable_name(name)
    for name, value in values:
        check_variable(name, value)
        after = with_variable(after, SetVariable(name=name, value=value))
        lines.append(plan_line(LineKind.ADD, About.VARIABLE, name=name, value=value))
    script = _session_script(described, prefix, after)
    shells = chosen_shells(host)
    if script is not None:
        after = replace(after, scripts=(*(one for one in after.scripts if one.file != script.file), script))
        lines += script_lines(script, shells)
    change = WiringChange(
        aim=f"Wire {described.name}",
        before=before,
        after=after,
        lines=tuple(lines),
        nothing="new sessions have it already",
        wanted=tuple(folder for name, folder in folders if name == "PATH"),
        values=tuple(values),
        in_front=True,
        script=script,
    )
    return plan_wiring(change, shells, host, locations)


def _session_script(described: Description, prefix: Place, wiring: Wiring) -> SessionScript | None:
    """Return the session script that a suite has; its dialect is told by its name, since it is not here yet."""
    if not described.offers.session_script:
        return None
    place = join(prefix, described.offers.session_script)
    rank = max([one.rank for one in wiring.scripts], default=0) + 1
    return SessionScript(file=place, dialect=dialect_of_script(place, b""), rank=rank)


def plan_suite_unwiring(described: Description, prefix: Place, host: Host, locations: Locations) -> Change:
    """Plan to take all that leads into a suite's tree, and its variables, out of the wiring."""
    before = read_wiring(locations)
    after = _without(before, described, prefix)
    gone = [one for one in before.entries if one not in after.entries]
    lines = [plan_line(LineKind.REMOVE, About.ENTRY, directory=one.directory, variable=one.variable) for one in gone]
    values = [one for one in before.variables if one not in after.variables]
    lines += [plan_line(LineKind.REMOVE, About.VARIABLE, name=one.name) for one in values]
    change = WiringChange(
        aim=f"Unwire {described.name}",
        before=before,
        after=after,
        lines=tuple(lines),
        nothing="nothing of it is wired",
        unwanted=tuple(one.directory for one in gone if one.variable == "PATH"),
    )
    return plan_wiring(change, chosen_shells(host), host, locations, hook=False)


def _without(wiring: Wiring, described: Description, prefix: Place) -> Wiring:
    after = wiring
    for one in wiring.entries:
        if lies_in(one.directory, prefix):
            after = after.without_entry(one.variable, one.directory)
    own = {name: filled(value, prefix) for name, value in described.offers.variables}
    for variable in wiring.variables:
        if own.get(variable.name) == variable.value:
            after = without_variable(after, variable.name)
    scripts = tuple(one for one in after.scripts if not lies_in(one.file, prefix))
    return replace(after, scripts=scripts)


def commands_of(prefix: Place, described: Description) -> tuple[str, ...]:
    """Return the commands in the folders that a suite puts on PATH."""
    names: set[str] = set()
    for variable, folder in described.offers.search_paths:
        place = join(prefix, filled(folder, prefix))
        if variable == "PATH" and os.path.isdir(place):
            names.update(one for one in os.listdir(place) if os.access(join(place, one), os.X_OK))
    return tuple(sorted(names))
