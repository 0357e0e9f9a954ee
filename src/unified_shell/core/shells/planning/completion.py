"""Tab completes the words of ush: wired into new sessions, proved there, and taken away again."""

from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Prepared, plan_line
from unified_shell.core.errors import UsageError
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.name_lookup import look_up_name
from unified_shell.core.shells.startup.own_shells import wired_modes
from unified_shell.core.shells.wiring.completion_files import COMPLETING, FUNCTION
from unified_shell.core.shells.wiring.wiring import read_wiring

from .wiring_changes import WiringChange, plan_wiring

__all__ = ["plan_completion", "plan_completion_drop"]


def plan_completion(shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan that Tab completes the words of ush in new sessions; raises UsageError for shells that cannot."""
    able = [one for one in shells if one.name in COMPLETING]
    if not able:
        raise UsageError(
            f"{shells[0].name} cannot complete the words of a program; {', '.join(COMPLETING)} can",
            next_step=ush("shell", "wire", "bash", "--completion"),
        )
    before = read_wiring(locations)
    change = plan_wiring(
        WiringChange(
            aim="Complete the words of ush in new sessions",
            before=before,
            after=replace(before, completes=True),
            lines=(plan_line(LineKind.ADD, About.COMPLETION, shells=tuple(one.name for one in able)),),
            afterwards=("New sessions complete: type ush, a space, and press Tab.",),
            nothing=f"new sessions of {', '.join(one.name for one in able)} already complete the words of ush",
        ),
        shells,
        host,
        locations,
    )

    def prepare(staging: Place) -> Prepared:
        prepared = change.prepare(staging)
        return replace(prepared, verify=lambda: (*prepared.verify(), *_proofs(able, host)))

    return Change(plan=change.plan, prepare=prepare)


def plan_completion_drop(shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan that new sessions complete the words of ush no more."""
    before = read_wiring(locations)
    change = WiringChange(
        aim="Stop completing the words of ush in new sessions",
        before=before,
        after=replace(before, completes=False),
        lines=(plan_line(LineKind.REMOVE, About.COMPLETION, shells=COMPLETING),) if before.completes else (),
        afterwards=("New sessions no longer complete; open sessions still do.",),
        nothing="new sessions do not complete the words of ush",
    )
    return plan_wiring(change, shells, host, locations, hook=False)


def _proofs(shells: Sequence[Dialect], host: Host) -> tuple[Finding, ...]:
    """Ask a new session of each shell whether the function that answers to Tab is there; tcsh has no functions to ask for."""
    found = []
    for dialect, mode in wired_modes(host):
        if dialect not in shells or mode is not Mode.INTERACTIVE or dialect.name == "tcsh":
            continue
        answer = look_up_name(dialect, mode, FUNCTION, host)
        is_there = answer.instead.startswith("a function")
        found.append(
            Finding(
                subject=f"a new {mode.value} session of {dialect.name}",
                question="completes the words of ush",
                verdict=verdict_of(passed=is_there),
                answer=answer.trouble or ("yes" if is_there else "it does not read the file that completes"),
                remedy="" if is_there else ush("shell", "list"),
            )
        )
    return tuple(found)
