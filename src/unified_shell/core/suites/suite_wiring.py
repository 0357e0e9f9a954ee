"""Having what a suite offers in new sessions: search-path entries, variables, its session script; and taking all that away."""

from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.catalogs.description import Description
from unified_shell.core.changes.plan import About, Change, LineKind, PlanLine, plan_line
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.shells.dialects.dialect import Dialect, SearchPath, SessionScript, SetVariable, Side
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.planning.added_lines import added_lines
from unified_shell.core.shells.planning.script_delta import ScriptDelta
from unified_shell.core.shells.planning.search_paths import check_variable_name
from unified_shell.core.shells.planning.session_scripts import dialect_of_script, script_lines
from unified_shell.core.shells.planning.variables import check_variable, with_variable, without_variable
from unified_shell.core.shells.planning.wiring_changes import WiringChange, plan_wiring
from unified_shell.core.shells.startup.own_shells import chosen_shells
from unified_shell.core.shells.wiring.completion_files import COMPLETING
from unified_shell.core.shells.wiring.wiring import Wiring, check_directory_name, read_wiring

from .managed_suites import ManagedSuite
from .suite_offers import Offered, offered_by

__all__ = [
    "MoreWiring",
    "SuiteWiring",
    "applied_all",
    "is_wired",
    "modules_wiring",
    "plan_in_sessions",
    "plan_suite_unwiring",
    "wiring_of",
    "without_suite",
]


class SuiteWiring(Struct, frozen=True, kw_only=True):
    """What of a suite is to be in new sessions. `script` is what its session script was measured to change; `sourced`, the
    script itself is read by the sessions that can.
    """

    described: Description
    prefix: Place
    host: Host
    locations: Locations
    script: ScriptDelta | None = None
    sourced: bool = False
    # What was wired of the same suite before, and is taken away.
    instead_of: ManagedSuite | None = None

    @property
    def offered(self) -> Offered:
        """What it gives, without what its script does itself when it is sourced: that would be there twice."""
        if not self.sourced or self.script is None:
            return offered_by(self.described, self.prefix, self.script)
        own, script = offered_by(self.described, self.prefix), self.script
        return Offered(
            front=tuple(one for one in own.front if one not in script.front + script.back),
            back=tuple(one for one in own.back if one not in script.front + script.back),
            values=tuple(one for one in own.values if one[0] not in dict(script.values)),
        )

    def applied(self, before: Wiring) -> tuple[Wiring, tuple[PlanLine, ...]]:
        """Return a wiring with all of it, and the lines that tell of it; raises UsageError for a name or value that no shell
        can have.
        """
        after, offered = before, self.offered
        # Each goes to the very front, so that the first that is named comes last.
        for name, folder in reversed(offered.front):
            check_variable_name(name)
            after = after.with_entry(name, folder, Side.FRONT)
        for name, folder in offered.back:
            check_variable_name(name)
            after = after.with_entry(name, folder, Side.BACK)
        sides = [*((one, "front") for one in offered.front), *((one, "back") for one in offered.back)]
        lines = [
            plan_line(LineKind.ADD, About.ENTRY, directory=folder, variable=name, side=side)
            for (name, folder), side in sides
        ]
        for name, value in offered.values:
            check_variable(name, value)
            after = with_variable(after, SetVariable(name=name, value=value))
            lines.append(plan_line(LineKind.ADD, About.VARIABLE, name=name, value=value))
        return after, (*lines, *_left_lines(self.script))

    def scripts(self, wiring: Wiring) -> tuple[SessionScript, ...]:
        """Return the session scripts that are to be sourced; their dialects are told by their names, since they may not be
        here yet.
        """
        rank = max([one.rank for one in wiring.scripts], default=0)
        places = [join(self.prefix, one) for one in self.described.offers.session_scripts] if self.sourced else []
        return tuple(
            SessionScript(file=place, dialect=dialect_of_script(place, b""), rank=rank + number)
            for number, place in enumerate(places, 1)
        )


def wiring_of(suite: ManagedSuite, host: Host, locations: Locations) -> SuiteWiring:
    """Return what of a suite that is here is to be in new sessions."""
    return SuiteWiring(
        described=suite.description,
        prefix=suite.prefix,
        host=host,
        locations=locations,
        script=suite.script,
        sourced=suite.sourced,
    )


def applied_all(wirings: Sequence[SuiteWiring], before: Wiring) -> tuple[Wiring, tuple[PlanLine, ...]]:
    """Return a wiring with all of several suites, the last nearest the front, and the lines that tell of it."""
    after, lines = before, list[PlanLine]()
    for one in wirings:
        after, more = one.applied(after if one.instead_of is None else without_suite(after, one.instead_of))
        lines += more
    return after, tuple(lines)


class MoreWiring(Struct, frozen=True, kw_only=True):
    """What else is wanted in the same change: entries and variables that go in front of what suites give, and the shells
    whose startup files take the hook-up, none for the person's own.
    """

    paths: tuple[SearchPath, ...] = ()
    variables: tuple[SetVariable, ...] = ()
    shells: tuple[str, ...] = ()
    # Startup files take the hook-up; without it, nobody who asked for no wiring finds it there.
    hooks: bool = True
    # Tab completes the words of ush.
    completes: bool = False
    # What is taken away first: suites with all that leads into them, entries (variable, directory), variables by name.
    gone_suites: tuple[ManagedSuite, ...] = ()
    gone_entries: tuple[tuple[str, Place], ...] = ()
    gone_variables: tuple[str, ...] = ()

    def cleared(self, before: Wiring) -> tuple[Wiring, tuple[PlanLine, ...]]:
        """Return a wiring without what is taken away, and a line for each thing."""
        after = before
        for suite in self.gone_suites:
            after = without_suite(after, suite)
        for variable, directory in self.gone_entries:
            after = after.without_entry(variable, directory)
        for name in self.gone_variables:
            after = without_variable(after, name)
        gone = [one for one in before.entries if one not in after.entries]
        values = [one for one in before.variables if one not in after.variables]
        return after, (
            *(plan_line(LineKind.REMOVE, About.ENTRY, directory=e.directory, variable=e.variable) for e in gone),
            *(plan_line(LineKind.REMOVE, About.VARIABLE, name=one.name) for one in values),
        )

    def applied(self, before: Wiring) -> tuple[Wiring, tuple[PlanLine, ...]]:
        """Return a wiring with it, and a line for what is new; what is there at its side keeps its place."""
        after = before
        for path in self.paths:
            check_variable_name(path.variable)
            wanted = path.directories if path.side is Side.BACK else path.directories[::-1]
            for directory in wanted:
                check_directory_name(directory)
                known = before.find(path.variable, directory)
                if known is None or (known.side, known.when) != (path.side, path.when):
                    after = after.with_entry(path.variable, directory, path.side, path.when)
        for variable in self.variables:
            check_variable(variable.name, variable.value)
            after = with_variable(after, variable)
        lines = added_lines(before, after)
        if self.completes and not before.completes:
            after = replace(after, completes=True)
            lines = (*lines, plan_line(LineKind.ADD, About.COMPLETION, shells=COMPLETING))
        return after, lines


def plan_in_sessions(
    wirings: Sequence[SuiteWiring], host: Host, locations: Locations, more: MoreWiring | None = None
) -> Change:
    """Plan to have suites, and with `more` what else is wanted, in new sessions."""
    before = read_wiring(locations)
    start, cleared = more.cleared(before) if more is not None else (before, ())
    after, lines = applied_all(wirings, start)
    lines = (*cleared, *lines)
    shells: Sequence[Dialect] = chosen_shells(host)
    if more is not None:
        after, others = more.applied(after)
        lines += others
        shells = [dialect_named(one) for one in more.shells] or shells
    scripts: list[SessionScript] = []
    for one in wirings:
        for script in one.scripts(after):
            after = replace(after, scripts=(*(each for each in after.scripts if each.file != script.file), script))
            lines += tuple(script_lines(script, shells))
            scripts.append(script)
    change = WiringChange(
        aim=f"Wire {wirings[-1].described.name}" if wirings else "Wire what is wanted",
        before=before,
        after=after,
        lines=lines,
        nothing="new sessions have it already",
        wanted=(
            *(folder for one in wirings for folder in one.offered.command_folders),
            *(
                folder
                for path in (more.paths if more is not None else ())
                if path.variable == "PATH" and not path.when
                for folder in path.directories
            ),
        ),
        values=tuple(
            {
                **{name: value for one in wirings for name, value in one.offered.values},
                **{one.name: one.value for one in (more.variables if more is not None else ())},
            }.items()
        ),
        in_front=True,
        script=scripts[0] if scripts else None,
    )
    return plan_wiring(change, shells, host, locations, hook=more is None or more.hooks)


def _left_lines(script: ScriptDelta | None) -> tuple[PlanLine, ...]:
    """Return the lines that tell what of a session script is not written down."""
    if script is None:
        return ()
    kept = tuple(f"{kind} {name}" for kind, name in script.session_only)
    lines = [plan_line(LineKind.WARNING, About.SCRIPT_ONLY, things=kept)] if kept else []
    lines += [
        plan_line(LineKind.WARNING, About.SCRIPT_LEFT_OUT, directory=place, variable=name)
        for name, place in script.outside
    ]
    if script.unclear:
        lines.append(plan_line(LineKind.WARNING, About.SCRIPT_UNCLEAR, variables=script.unclear))
    return tuple(lines)


def is_wired(suite: ManagedSuite, locations: Locations) -> bool:
    """Tell whether new sessions have anything of a suite."""
    wiring = read_wiring(locations)
    places = (*(one.directory for one in wiring.entries), *(one.file for one in wiring.scripts))
    return any(lies_in(place, suite.prefix) for place in places)


def modules_wiring(suite: ManagedSuite) -> Wiring:
    """Return the wiring with which an environment on a suite's own interpreter sees its modules."""
    wiring = Wiring()
    for folder in suite.description.offers.module_folders:
        wiring = wiring.with_entry("PYTHONPATH", join(suite.prefix, folder), Side.BACK)
    return wiring


def plan_suite_unwiring(suite: ManagedSuite, host: Host, locations: Locations) -> Change:
    """Plan to take all that leads into a suite's tree, and its variables, out of the wiring."""
    before = read_wiring(locations)
    after = without_suite(before, suite)
    gone = [one for one in before.entries if one not in after.entries]
    lines = [plan_line(LineKind.REMOVE, About.ENTRY, directory=one.directory, variable=one.variable) for one in gone]
    values = [one for one in before.variables if one not in after.variables]
    lines += [plan_line(LineKind.REMOVE, About.VARIABLE, name=one.name) for one in values]
    change = WiringChange(
        aim=f"Unwire {suite.description.name}",
        before=before,
        after=after,
        lines=tuple(lines),
        nothing="nothing of it is wired",
        unwanted=tuple(one.directory for one in gone if one.variable == "PATH"),
    )
    return plan_wiring(change, chosen_shells(host), host, locations, hook=False)


def without_suite(wiring: Wiring, suite: ManagedSuite) -> Wiring:
    """Return a wiring without what leads into a suite's tree, and without the variables that it set."""
    after = wiring
    for one in wiring.entries:
        if lies_in(one.directory, suite.prefix):
            after = after.without_entry(one.variable, one.directory)
    own = dict(offered_by(suite.description, suite.prefix, suite.script).values)
    for variable in wiring.variables:
        if own.get(variable.name) == variable.value:
            after = without_variable(after, variable.name)
    return replace(after, scripts=tuple(one for one in after.scripts if not lies_in(one.file, suite.prefix)))
