"""What somebody changed since a machine was equipped: packages, files of environments, session files."""

from collections.abc import Iterator

from msgspec import Struct

from unified_shell.core.environments.model.registry import Environment, list_environments
from unified_shell.core.environments.packages.lock_files import drift_from_lock
from unified_shell.core.environments.trees.recorded_files import altered_files
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.shells.wiring.session_files import session_file_steps
from unified_shell.core.shells.wiring.wiring import read_wiring

from .equipping import Equipping
from .outfit import WantedInterpreter
from .unnamed import what_is_unnamed
from .wanted_suites import suite_here

__all__ = ["Drift", "drift_of"]

MOST_FILES = 20


class Drift(Struct, frozen=True, kw_only=True):
    """One thing that differs: of what, how, and what puts it right where one command does."""

    subject: str
    difference: str
    remedy: Command | None = None


def drift_of(equipping: Equipping) -> tuple[Drift, ...]:
    """Return how what the outfit named differs from what it brought: files that were edited or are gone, packages that are
    not as locked, session files that are not those of the wiring.
    """
    here = {one.name: one for one in list_environments(equipping.locations)}
    found: list[Drift] = []
    for wanted in equipping.outfit.environments:
        if wanted.name in here:
            found += _of_environment(here[wanted.name], equipping, wanted.interpreter)
    return (*found, *_of_sessions(equipping), *_unnamed(equipping))


def _of_environment(
    environment: Environment, equipping: Equipping, interpreter: WantedInterpreter | None
) -> Iterator[Drift]:
    subject = f"environment {environment.name}"
    for one in altered_files(environment)[:MOST_FILES]:
        state = "is gone" if one.is_gone else "was edited"
        yield Drift(
            subject=subject,
            difference=f"{one.path} of {one.project} {state}",
            remedy=ush("verify", environment.name, "--mend", why="makes its files anew"),
        )
    if environment.contents.lock:
        try:
            facts = equipping.facts(interpreter)
            for line in drift_from_lock(environment, facts):
                yield Drift(subject=subject, difference=line)
        except UshError as error:
            yield Drift(subject=subject, difference=str(error))


def _unnamed(equipping: Equipping) -> Iterator[Drift]:
    suites = {one.name: found for one in equipping.outfit.suites if (found := suite_here(one, equipping)) is not None}
    places = {name: str(one.prefix) for name, one in suites.items()}
    remedy = ush("outfit", "equip", equipping.place, "--drop-unnamed", why="takes away what is no longer named")
    for title in what_is_unnamed(equipping, places).titles(equipping.host.home):
        yield Drift(subject=title, difference="the outfit brought it and no longer names it", remedy=remedy)


def _of_sessions(equipping: Equipping) -> Iterator[Drift]:
    host, locations = equipping.host, equipping.locations
    for step in session_file_steps(read_wiring(locations), locations, host.home):
        there = read_file(step.path)
        what = "was changed" if there is not None else "is gone"
        yield Drift(
            subject="sessions",
            difference=f"{shown(step.path, host.home)} {what}",
            remedy=ush("verify", "--mend", why="writes what sessions read anew"),
        )
