"""Projects that are tied to one index: asked of no other, so that no other's project of that name stands in for it."""

from collections.abc import Mapping, Sequence

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.records import read_records
from unified_shell.core.changes.steps import PutRecord
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import UnknownName
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import to_json_text
from unified_shell.core.next_steps import ush

from .registered import INDEXES

__all__ = ["plan_pins", "read_pins"]

TABLE = "tied"


def read_pins(locations: Locations) -> dict[NormalizedName, str]:
    """Return the index by project."""
    table = read_records(locations.config_file).get(TABLE, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return {canonicalize_name(project): str(index) for project, index in rows}


def plan_pins(projects: Sequence[NormalizedName], index: str, host: Host, locations: Locations) -> Change:
    """Plan to tie projects to an index; raises UnknownName."""
    known = [one.name for one in INDEXES.read_all(host, locations)]
    if index not in known:
        raise UnknownName("index", index, known, next_step=ush("index", "list"))
    before = read_pins(locations)
    new = [one for one in projects if before.get(one) != index]
    steps = tuple(
        PutRecord(
            path=locations.config_file,
            keys=(TABLE, one),
            before=to_json_text(before[one]) if one in before else "",
            after=to_json_text(index),
        )
        for one in new
    )
    aim = f"Use only the index {index} for {', '.join(projects)}"
    lines = tuple(plan_line(LineKind.NOTE, About.INDEX_PINNED, project=one, index=index) for one in new)
    plan = Plan(aim=aim, lines=lines, nothing_to_do="" if new else f"{aim}: already so")
    return change_of(plan, prepare=lambda _staging: steps)
