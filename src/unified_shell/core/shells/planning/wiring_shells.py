"""`shell wire` and `shell unwire` as changes of their own."""

from collections.abc import Sequence

from unified_shell.core.changes.plan import Change, Plan, PlanLine, Prepared
from unified_shell.core.changes.steps import Step
from unified_shell.core.errors import UsageError
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.startup.hookup import SESSIONS_NOTE, HookUp, plan_at_end, plan_hookup, plan_unhook
from unified_shell.core.shells.wiring.session_files import altered_session_lines, session_file_steps, stamp_of
from unified_shell.core.shells.wiring.wiring import read_wiring

from .everyone import plan_system_hookup, plan_system_unhook
from .session_checks import Proof

__all__ = ["plan_unwire", "plan_wire"]


def plan_wire(shells: Sequence[Dialect], host: Host, locations: Locations, *, at_end: bool = False) -> Change:
    """Plan to put the hook-up into the startup files of shells; with `at_end` behind all else that is in them."""
    if locations.scope is Scope.EVERYONE:
        hookup, names = plan_system_hookup(host, locations), "everyone"
    else:
        names = ", ".join(one.name for one in shells)
        if strange := next((one for one in shells if not one.reads and host.system is not System.WINDOWS), None):
            raise UsageError(
                f"{strange.name} is a shell of Windows: it has no sessions on this machine",
                next_step=ush("shell", "list", why="the shells here, and what they read"),
            )
        hookup = (plan_at_end if at_end else plan_hookup)(shells, host, locations)
    wiring = read_wiring(locations)
    more = session_file_steps(wiring, locations, host.home)
    return _change(
        f"Hook the wiring into {names}",
        hookup=hookup,
        more=more,
        altered=altered_session_lines(wiring, locations, host.home),
        host=host,
        nothing=f"new sessions of {names} already read the wiring",
        stamp=stamp_of(wiring, locations.scope),
    )


def plan_unwire(shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to take the hook-up out of the startup files of shells."""
    everyone = locations.scope is Scope.EVERYONE
    names = "everyone" if everyone else ", ".join(one.name for one in shells)
    return _change(
        f"Remove the hook-up for {names}",
        hookup=plan_system_unhook(host) if everyone else plan_unhook(shells, host),
        more=(),
        host=host,
        nothing=f"no startup file of {names} has the hook-up",
    )


def _change(
    aim: str,
    *,
    hookup: HookUp,
    more: Sequence[Step],
    altered: Sequence[PlanLine] = (),
    host: Host,
    nothing: str,
    stamp: tuple[str, str] = ("", ""),
) -> Change:
    steps = (*more, *hookup.steps)

    def prepare(_staging: Place) -> Prepared:
        proof = Proof(hookup.modes, host, hookup.files, hookup.fresh)

        def verify() -> tuple[Finding, ...]:
            return proof.findings("PATH", [], stamp=stamp)

        return Prepared(steps=steps, verify=verify)

    plan = Plan(
        aim=aim,
        lines=(*altered, SESSIONS_NOTE, *hookup.lines),
        relies_on=hookup.relies_on,
        nothing_to_do="" if steps else nothing,
        afterwards=("New sessions have it; open sessions stay as they are.",) if steps else (),
    )
    return Change(plan=plan, prepare=prepare)
