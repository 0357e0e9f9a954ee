"""The manual pages, where `man` of new sessions finds them; and taken away again."""

import os
from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import Dialect, Side
from unified_shell.core.shells.wiring.wiring import read_wiring

from .search_paths import PathRequest, plan_path_add, plan_path_drop

__all__ = ["plan_manual", "plan_manual_drop"]

VARIABLE = "MANPATH"


def plan_manual(pages: Mapping[str, str], shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to write manual pages, named as their files, and to put their folder behind the system's."""
    folder = join(locations.data, "manual")
    steps = [
        step for name, text in pages.items() if (step := _step(join(folder, "man1", name), text.encode())) is not None
    ]
    request = PathRequest(directory=folder, variable=VARIABLE, side=Side.BACK, promised=tuple(pages))
    wired = plan_path_add(request, shells, host, locations)
    if not steps:
        return wired
    plan = Plan(
        aim="Write the manual pages of ush, and let man find them in new sessions",
        lines=(plan_line(LineKind.ADD, About.MANUAL, folder=folder, pages=len(pages)),),
    )
    change = merged(change_of(plan, prepare=lambda _staging: tuple(steps)), wired)
    return replace(change, plan=replace(change.plan, afterwards=("In a new session: man ush, man ush-path",)))


def plan_manual_drop(shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to take the manual pages away."""
    folder = join(locations.data, "manual")
    if read_wiring(locations).find(VARIABLE, folder) is None:
        said = "the manual pages are not wired"
        return change_of(Plan(aim=said, nothing_to_do=said))
    pages = join(folder, "man1")
    names = sorted(os.listdir(pages)) if os.path.isdir(pages) else []
    steps = [step for name in names if (step := _step(join(pages, name), None)) is not None]
    files = change_of(Plan(aim="remove the pages"), prepare=lambda _staging: tuple(steps))
    return merged(plan_path_drop(folder, VARIABLE, shells, host, locations), files)


def _step(path: Place, after: bytes | None) -> ReplaceFile | None:
    there = read_file(path)
    before = kept_bytes(there[0]) if there is not None else None
    wanted = kept_bytes(after) if after is not None else None
    return ReplaceFile(path=path, before=before, after=wanted, derived=True) if before != wanted else None
