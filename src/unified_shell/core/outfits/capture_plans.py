"""The plan for capturing this account: the outfit's file, and the locks that hold its versions."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.environments.model.registry import list_environments
from unified_shell.core.errors import UshError
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Labelled, ush

from .capturing import Captured
from .equipping import Equipping
from .locks.plans import EnvironmentLock, LockOptions, lock_environment, plan_lock_files, text_step
from .locks.suites import archives_lock_text
from .outfit import Outfit
from .outfit_reading import parse_outfit

if TYPE_CHECKING:
    from unified_shell.core.distributions.names import NormalizedName

__all__ = ["CapturePlan", "plan_capture"]


class CapturePlan(Struct, frozen=True, kw_only=True):
    """The change, and what could not be captured, or not at its version."""

    change: Change
    left_out: tuple[str, ...]


def plan_capture(
    captured: Captured, place: Place, equip: Callable[[Outfit], Equipping], *, lock: bool
) -> CapturePlan:
    """Plan to write what was captured to a file, and with `lock` the versions that are here beside it; `equip` gives the
    outfit this machine.
    """
    outfit = parse_outfit(captured.text.encode(), place)
    equipping = equip(outfit)
    step = text_step(place, captured.text)
    lines = tuple(f"+ {line}" for line in captured.text.splitlines())
    written = change_of(
        Plan(
            aim=f"Capture this account as {outfit.name}",
            lines=(plan_line(LineKind.EDIT, About.OUTFIT, file=place, diff=lines),),
            afterwards=(Labelled(label="On another machine", step=ush("outfit", "equip", place)),),
            nothing_to_do="" if step is not None else f"{place} says this already",
        ),
        prepare=lambda _staging: (step,) if step is not None else (),
    )
    if not lock:
        return CapturePlan(change=written, left_out=captured.left_out)
    locks, left = _locks(equipping)
    change = written
    if locks:
        locking = plan_lock_files(equipping, locks, archives_lock_text(equipping))
        change = locking if step is None else merged(written, locking)
        change = replace(change, plan=replace(change.plan, afterwards=written.plan.afterwards))
    return CapturePlan(change=change, left_out=(*captured.left_out, *left))


def _locks(equipping: Equipping) -> tuple[list[EnvironmentLock], list[str]]:
    """Lock each environment at the versions that are here; say where an index has them no more."""
    here = {one.name: one for one in list_environments(equipping.locations)}
    locks: list[EnvironmentLock] = []
    left: list[str] = []
    for wanted in equipping.outfit.environments:
        kept: dict[NormalizedName, str] = {one.name: one.version for one in here[wanted.name].contents.distributions}
        try:
            lock = lock_environment(wanted, equipping, LockOptions(), kept=kept)
        except UshError as error:
            left.append(f"the versions in {wanted.name}: {error.message}")
            continue
        if lock is None:
            continue
        locks.append(lock)
        for package in lock.packages:
            if package.name in kept and package.version != kept[package.name]:
                left.append(f"{package.name} {kept[package.name]} in {wanted.name}: locked at {package.version}")
    return locks, left
