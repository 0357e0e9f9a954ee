"""A change of the wiring, whatever is in it: records, session files, hook-up and the sessions that prove it."""

import base64
import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, Prepared, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, PutRecord, ReplaceFile, Step
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Afterward
from unified_shell.core.shells.dialects.dialect import Dialect, SessionScript, Side
from unified_shell.core.shells.startup.hookup import SESSIONS_NOTE, HookUp, plan_hookup
from unified_shell.core.shells.startup.own_shells import wired_modes
from unified_shell.core.shells.wiring.path_helper import paths_file_steps
from unified_shell.core.shells.wiring.registry_wiring import registry_findings, registry_lines, registry_steps
from unified_shell.core.shells.wiring.session_files import altered_session_lines, session_file_steps, stamp_of
from unified_shell.core.shells.wiring.wiring import Wiring, records_of, wiring_file

from .everyone import check_for_everyone, plan_system_hookup
from .script_checks import check_script
from .session_checks import Proof

__all__ = ["WiringChange", "plan_wiring"]


class WiringChange(Struct, frozen=True, kw_only=True):
    """The wiring before and after, and what is said of it. New sessions must have each of `wanted` once on
    `variable`, where `when` holds, none of `unwanted`, and each of `values` as a variable's (name, value). `in_front`: the
    commands of what is wanted are to answer, too. New sessions of what reads its dialect must come to `script`.
    """

    aim: str
    before: Wiring
    after: Wiring
    lines: tuple[PlanLine, ...]
    afterwards: tuple[Afterward, ...] = ()
    nothing: str = ""
    variable: str = "PATH"
    wanted: tuple[Place, ...] = ()
    when: str = ""
    unwanted: tuple[Place, ...] = ()
    values: tuple[tuple[str, str], ...] = ()
    in_front: bool = False
    script: SessionScript | None = None


def plan_wiring(
    change: WiringChange, shells: Sequence[Dialect], host: Host, locations: Locations, *, hook: bool = True
) -> Change:
    """Return the change; with `hook`, startup files that do not read the wiring yet take the hook-up.

    For everyone, `shells` does not count: the system-wide files of all shells here take it.
    """
    everyone = locations.scope is Scope.EVERYONE
    if everyone:
        for place in change.wanted:
            check_for_everyone(place)
    hookup = HookUp(steps=(), lines=())
    if hook:
        hookup = plan_system_hookup(host, locations) if everyone else plan_hookup(shells, host, locations)
    listed = paths_file_steps(change.after, host, locations)
    in_registry = registry_steps(change.before, change.after, host, locations.scope)
    steps: tuple[Step, ...] = (
        *_record_steps(change.before, change.after, locations),
        *session_file_steps(change.after, locations, host.home),
        *listed,
        *in_registry,
        *hookup.steps,
    )
    if not steps:
        plan = Plan(aim=change.aim, nothing_to_do=change.nothing or "nothing to change")
        return change_of(plan)
    modes = hookup.modes if everyone else (*hookup.modes, *wired_modes(host))
    altered = altered_session_lines(change.before, locations, host.home)
    told = replace(change, lines=(*change.lines, *altered))
    plan = _plan_of(told, hookup, listed, in_registry, locations, opens=bool(modes))

    def prepare(_staging: Place) -> Prepared:
        # The sessions as they are before the edit: what fails then is not the edit's fault.
        proof = Proof(modes, host, hookup.files, hookup.fresh)

        def verify() -> tuple[Finding, ...]:
            sessions = proof.findings(
                change.variable,
                change.wanted,
                when=change.when,
                unwanted=change.unwanted,
                values=change.values,
                stamp=stamp_of(change.after, locations.scope),
                own=_in_front(change.after) if change.in_front else (),
            )
            wanted = () if change.when else change.wanted
            if change.script is not None and not any(one.puts_back for one in sessions):
                sessions += check_script(change.script, modes, host)
            return (*sessions, *registry_findings(change.variable, wanted, change.unwanted, host))

        return Prepared(steps=steps, verify=verify)

    return Change(plan=plan, prepare=prepare)


def _plan_of(
    change: WiringChange,
    hookup: HookUp,
    listed: Sequence[ReplaceFile],
    in_registry: Sequence[PutRecord | DropRecord],
    locations: Locations,
    *,
    opens: bool,
) -> Plan:
    everyone = locations.scope is Scope.EVERYONE
    return Plan(
        aim=f"{change.aim}, for everyone on this machine" if everyone else change.aim,
        lines=(
            *change.lines,
            *([SESSIONS_NOTE] if opens else []),
            *hookup.lines,
            *map(_listed_line, listed),
            *registry_lines(in_registry, change.after),
        ),
        relies_on=hookup.relies_on,
        afterwards=change.afterwards,
    )


def _in_front(wiring: Wiring) -> tuple[str, ...]:
    paths = [one for one in wiring.search_paths() if one.variable == "PATH" and one.side is Side.FRONT]
    return tuple(directory for path in paths for directory in path.directories)


def _listed_line(step: ReplaceFile) -> PlanLine:
    text = b"" if step.after is None else base64.b64decode(step.after)
    diff = tuple(f"+ {os.fsdecode(line)}" for line in text.splitlines())
    return plan_line(LineKind.EDIT, About.PATH_HELPER_LIST, file=step.path, diff=diff)


def _record_steps(before: Wiring, after: Wiring, locations: Locations) -> tuple[PutRecord | DropRecord, ...]:
    path = wiring_file(locations)
    was, will = records_of(before), records_of(after)
    put = [
        PutRecord(path=path, keys=keys, before=was.get(keys, ""), after=value)
        for keys, value in will.items()
        if was.get(keys) != value
    ]
    return (
        *put,
        *(DropRecord(path=path, keys=keys, before=value) for keys, value in was.items() if keys not in will),
    )
