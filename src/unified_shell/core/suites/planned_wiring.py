"""Having suites that are on their way in new sessions, or while an environment is entered: planned before they are here."""

from collections.abc import Mapping, Sequence
from typing import Protocol

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Prepared, plan_line
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.planning.script_delta import ScriptDelta

from .managed_suites import read_tree
from .suite_getting import SuiteGetting, staged_tree
from .suite_wiring import SuiteWiring, applied_all, plan_in_sessions

__all__ = ["PlanWired", "plan_wired", "plan_wiring_when_here"]


class PlanWired(Protocol):
    """Plans to have suites in sessions, by what their scripts were measured to change."""

    def __call__(
        self, gettings: Sequence[SuiteGetting], scripts: Mapping[str, ScriptDelta | None], *, sourced: bool
    ) -> Change:
        """Return the change."""
        ...


def plan_wired(
    gettings: Sequence[SuiteGetting], scripts: Mapping[str, ScriptDelta | None], *, sourced: bool = False
) -> Change:
    """Plan to have suites in new sessions, or while their environment is entered; `scripts` are what their session scripts
    were measured to change, by the suite's name.
    """
    wirings = [
        SuiteWiring(
            described=one.origin.description,
            prefix=one.target,
            host=one.host,
            locations=one.locations,
            script=scripts.get(one.origin.name),
            sourced=sourced or one.sourced,
        )
        for one in gettings
    ]
    asked = gettings[-1]
    own = asked.environment
    if own is None:
        return plan_in_sessions(wirings, asked.host, asked.locations)
    after, lines = applied_all(wirings, own.environment.contents.wiring)
    aim = f"Have {asked.origin.name} while {own.environment.name} is entered"
    return own.plan_wiring(aim, lines, after)


def plan_wiring_when_here(gettings: Sequence[SuiteGetting], plan: PlanWired = plan_wired) -> Change:
    """Plan the wiring, as `plan` does; what a session script changes is known, and put into it, when its suite is ready in
    staging.
    """
    measured = [one for one in gettings if one.origin.description.offers.session_scripts]
    if not measured:
        return plan(gettings, {}, sourced=False)
    # The startup files are edited the same, whatever the scripts change: the plan shows them as if they were sourced.
    shown_as = plan(gettings, {}, sourced=True)
    named = [
        plan_line(
            LineKind.ADD,
            About.SCRIPT_MEASURED,
            file=join(one.target, one.origin.description.offers.session_scripts[0]),
        )
        for one in measured
        if not one.sourced
    ]
    hidden = (About.SCRIPT, About.SCRIPT_NOT_READ) if named else ()
    others = (one for one in shown_as.plan.lines if one.about not in hidden)

    def prepare(staging: Place) -> Prepared:
        trees = {one.origin.name: read_tree(staged_tree(staging, one.origin.name), one.locations) for one in measured}
        scripts = {name: tree.script if tree is not None else None for name, tree in trees.items()}
        return plan(gettings, scripts, sourced=False).prepare(staging)

    return Change(plan=replace(shown_as.plan, lines=(*named, *others)), prepare=prepare)
