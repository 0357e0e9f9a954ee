"""Mending what is at fault and needs no decision: what was declared is made to be so again, in one plan."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.commands.preferred import read_choices
from unified_shell.core.commands.preferring import plan_restore_links
from unified_shell.core.environments.model.registry import every_environment
from unified_shell.core.environments.upkeep.store_repair import plan_mend_environments
from unified_shell.core.findings import Finding, MendKind
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.planning.wiring_shells import plan_wire

__all__ = ["plan_mend_findings"]


def plan_mend_findings(
    findings: Sequence[Finding],
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    thorough: bool = False,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to mend all that can be mended of these faults; nothing to do where nothing can."""
    mends = list(dict.fromkeys(one.mend for one in findings if one.is_fault and one.mend is not None))
    names = {kind: [one.name for one in mends if one.kind is kind] for kind in MendKind}
    changes: list[Change] = []
    if names[MendKind.SHELLS] and locations.scope is Scope.ME:
        shells = [dialect_named(one) for one in names[MendKind.SHELLS]]
        changes.append(plan_wire(shells, host, locations))
    choices = [one for one in read_choices(locations) if one.name in names[MendKind.COMMAND]]
    changes += [plan_restore_links(one, host, locations) for one in choices]
    environments = [one for one in every_environment(locations) if one.name in names[MendKind.ENVIRONMENT]]
    if environments:
        changes.append(
            plan_mend_environments(environments, client, host, locations, thorough=thorough, progress=progress)
        )
    changes += [_plan_withdraw(Place(one)) for one in names[MendKind.OFFER]]
    wanting = [one for one in changes if not one.plan.nothing_to_do]
    if not wanting:
        faults = sum(1 for one in findings if one.is_fault)
        nothing = "none of the faults can be mended without your decision" if faults else "nothing is at fault"
        return change_of(Plan(aim="Mend what is at fault", nothing_to_do=nothing))
    change = merged(*wanting)
    count = f"{len(wanting)} things that are" if len(wanting) > 1 else "what is"
    return replace(change, plan=replace(change.plan, aim=f"Mend {count} at fault"))


def _plan_withdraw(path: Place) -> Change:
    """Plan to remove a file by which an environment was offered that is gone."""
    content = read_file(path)
    if content is None:
        return change_of(Plan(aim=f"Remove {path}", nothing_to_do=f"{path} is gone"))
    step = ReplaceFile(path=path, before=kept_bytes(content[0]), after=None)
    plan = Plan(aim=f"Remove {path}", lines=(plan_line(LineKind.REMOVE, About.OFFER_WITHDRAWN, path=path),))
    return change_of(plan, prepare=lambda _staging: (step,))
