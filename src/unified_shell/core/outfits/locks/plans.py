"""The plan for locking an outfit: a lock file an environment, and one for its suites and interpreter."""

from collections.abc import Mapping, Sequence

from msgspec import Struct
from packaging.markers import Marker

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.changes.steps import ReplaceFile, Step
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import NoSolution, UsageError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.outfits.equipping import Equipping
from unified_shell.core.outfits.fitting_pythons import no_solution_here
from unified_shell.core.outfits.outfit import WantedEnvironment
from unified_shell.core.outfits.wanted_commands import as_environment
from unified_shell.core.outfits.wanted_environments import requirements_of
from unified_shell.core.resolution.target import Rules

from .beside import lock_file_of, suites_lock_of
from .settling import LockedPackage, lock_packages
from .suites import archives_lock_text, locked_suites
from .targets import LockTarget, host_target, parse_target
from .writing import lock_difference, lock_text, locked_versions

__all__ = ["EnvironmentLock", "LockOptions", "lock_environment", "plan_lock_files", "plan_outfit_lock", "text_step"]


class LockOptions(Struct, frozen=True, kw_only=True):
    """For which machines is locked (none: this one), which projects may move from the versions of the lock that is there
    (`newest`: all may), and what was published after `as_of` does not count.
    """

    targets: tuple[str, ...] = ()
    refreshed: tuple[str, ...] = ()
    newest: bool = False
    as_of: str = ""


class EnvironmentLock(Struct, frozen=True, kw_only=True):
    """The lock of one environment: its file, its text, how many packages are in it, and how it differs from the one before."""

    place: Place
    text: str
    packages: tuple[LockedPackage, ...]
    targets: tuple[LockTarget, ...]
    differences: tuple[str, ...]


def plan_outfit_lock(equipping: Equipping, options: LockOptions) -> Change:
    """Plan to write the locks of an outfit; nothing to do where they are as they would be."""
    every = (*equipping.outfit.environments, *map(as_environment, equipping.outfit.commands))
    wanted = [one for one in every if options.targets or equipping.is_meant(one.when)]
    locked = {name for one in wanted for name in locked_versions(lock_file_of(equipping.place, one.name))}
    locked |= {canonicalize_name(name) for name in locked_suites(equipping.place)}
    locked |= {canonicalize_name(one.interpreter.language) for one in every if one.interpreter}
    locked.add(canonicalize_name(equipping.outfit.interpreter.language))
    if unknown := [one for one in options.refreshed if one not in locked]:
        raise UsageError(
            f"{unknown[0]} is in no lock of {equipping.outfit.name}", next_step=ush("outfit", "lock", equipping.place)
        )
    found = [lock_environment(one, equipping, options) for one in wanted]
    suites = archives_lock_text(equipping, moving=options.refreshed, newest=options.newest)
    return plan_lock_files(equipping, [one for one in found if one is not None], suites)


def plan_lock_files(equipping: Equipping, locks: Sequence[EnvironmentLock], suites: str) -> Change:
    """Plan to write these locks, and the text of the one of the suites; empty for none."""
    steps: list[Step] = []
    lines: list[PlanLine] = []
    for one in locks:
        step = text_step(one.place, one.text)
        if step is not None:
            steps.append(step)
            shown = one.differences or ("~ files, hashes or targets",)
            lines.append(plan_line(LineKind.EDIT, About.LOCK, file=one.place, packages=len(one.packages), diff=shown))
    path = suites_lock_of(equipping.place)
    if suites and (step := text_step(path, suites)) is not None:
        steps.append(step)
        diff = tuple(f"+ {line}" for line in suites.splitlines() if line)
        lines.append(plan_line(LineKind.EDIT, About.LOCK, file=path, archives=suites.count("sha256 = "), diff=diff))
    if not steps:
        said = f"{equipping.outfit.name} is locked, and nothing moved"
        return change_of(Plan(aim=said, nothing_to_do=said))
    plan = Plan(
        aim=f"Lock {equipping.outfit.name}",
        lines=tuple(lines),
        afterwards=(
            Labelled(label="Equip a machine with exactly this", step=ush("outfit", "equip", equipping.place)),
        ),
    )
    return change_of(plan, prepare=lambda _staging: tuple(steps))


def lock_environment(
    wanted: WantedEnvironment,
    equipping: Equipping,
    options: LockOptions,
    *,
    kept: Mapping[NormalizedName, str] | None = None,
) -> EnvironmentLock | None:
    """Settle an environment for each target that it is meant for, None where it is meant for none, or has no packages by its
    language; `kept` are versions to stay with, those of the lock that is there where it is None.
    """
    if not wanted.is_python:
        return None
    path = lock_file_of(equipping.place, wanted.name)
    as_of = options.as_of or wanted.as_of
    rules = Rules(as_of=f"{as_of}T23:59:59Z" if as_of else "")
    facts = equipping.facts(wanted.interpreter)
    targets = [parse_target(one, facts.version[:2], rules) for one in options.targets] or [host_target(facts, rules)]
    targets = [one for one in targets if not wanted.when or Marker(wanted.when).evaluate(dict(one.target.markers))]
    if not targets:
        return None
    before = locked_versions(path)
    if kept is None:
        kept = {} if options.newest else {n: one for n, one in before.items() if n not in options.refreshed}
    asked = requirements_of(wanted, equipping.folder)
    try:
        packages = lock_packages(
            asked,
            targets,
            equipping.client,
            equipping.locations.cache,
            kept=kept,
            progress=equipping.progress,
        )
    except NoSolution as error:
        # For another machine nothing is known of its interpreters.
        raise error if options.targets else no_solution_here(error, wanted, asked, rules, equipping) from error
    indexes = {one.name: one.address for one in equipping.client.indexes}
    text = lock_text(packages, targets, folder=equipping.folder, indexes=indexes, as_of=as_of, asked=asked)
    return EnvironmentLock(
        place=path,
        text=text,
        packages=packages,
        targets=tuple(targets),
        differences=lock_difference(before, packages),
    )


def text_step(path: Place, text: str) -> ReplaceFile | None:
    """Return the step that gives a file a text; None where it has it."""
    there = read_file(path)
    before = kept_bytes(there[0]) if there is not None else None
    after = kept_bytes(text.encode("utf-8"))
    return ReplaceFile(path=path, before=before, after=after) if before != after else None
