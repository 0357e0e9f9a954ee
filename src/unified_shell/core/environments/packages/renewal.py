"""The next edition of an environment: the tree of a set of distributions, made beside the one in use.

What is made anew is as recorded: a file that was edited in place is fetched again, also for the environments that share
it, and both are told beforehand.
"""

import os
from collections.abc import Callable, Collection, Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.steps import Step
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.environments.builds.source_builds import built_name
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.contents import Contents, Distribution
from unified_shell.core.environments.model.registry import Environment, check_changeable, every_environment
from unified_shell.core.environments.trees.next_edition import edition_made
from unified_shell.core.environments.trees.recorded_files import altered_files, edited_and_lost
from unified_shell.core.environments.trees.store_filling import FetchWheel, fill_store
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.files.digests import Sha256, digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.store.contents import Store, damaged_files

from .refetching import refetching
from .time_estimates import note_time

__all__ = ["Renewal", "Renewer", "one_after_another", "sharer_lines"]

Prepare = Callable[[Place], tuple[Step, ...]]


class Renewal(Struct, frozen=True, kw_only=True):
    """What prepares the next edition of an environment, and what a person is told of it beforehand."""

    prepare: Prepare
    lines: tuple[PlanLine, ...] = ()


class Renewer(Struct, frozen=True, kw_only=True):
    """Makes next editions of one scope's environments; `client` brings again what the store has lost."""

    client: IndexClient
    host: Host
    locations: Locations
    progress: Callable[[str], None] = lambda _phase: None

    def renewal(
        self,
        environment: Environment,
        distributions: Sequence[Distribution],
        facts: InterpreterFacts,
        *,
        fetch: FetchWheel | None = None,
        contents: Contents | None = None,
    ) -> Renewal:
        """Return the next edition of an environment, with these distributions and else as `contents` say.

        Wheels that the store does not hold are fetched (by `fetch`) or built, checked against their hash and RECORD,
        unpacked and compiled; all in staging or the store, nothing of it visible. Environments that share what was
        edited in the store get their next edition in the same change.
        """
        check_changeable(environment)
        sharers = self.sharers({environment.name}, self._damaged(one.sha256 for one in distributions))
        makers = [self._prepared(environment, distributions, facts, fetch, contents or environment.contents)]
        makers += [self.as_recorded(one) for one in sharers if not one.protected]
        return Renewal(
            prepare=one_after_another(makers),
            lines=(*_altered_lines(environment), *sharer_lines(sharers)),
        )

    def as_recorded(self, environment: Environment) -> Prepare:
        """Return what makes an environment anew with all that it holds."""
        contents = environment.contents
        return self._prepared(environment, contents.distributions, base_of(environment, self.host), None, contents)

    def sharers(self, names: Collection[str], damaged: Collection[str]) -> list[Environment]:
        """Return the environments, other than those named, that hold one of these contents, or share with one that
        does what is damaged too.
        """
        bad, found = set(damaged), dict[str, Environment]()
        others = [one for one in every_environment(self.locations) if one.name not in names] if bad else []
        grew = True
        while grew:
            grew = False
            for one in others:
                held = [each.sha256 for each in one.contents.distributions]
                if one.name not in found and not bad.isdisjoint(held):
                    found[one.name], grew = one, True
                    bad |= self._damaged(held)
        return list(found.values())

    def _damaged(self, contents: Iterable[Sha256]) -> set[Sha256]:
        store = Store(self.locations.data)
        read = [store.read(sha256) for sha256 in contents]
        return {one.sha256 for one in read if one is not None and damaged_files(one.folder, one.files)}

    def _prepared(
        self,
        environment: Environment,
        distributions: Sequence[Distribution],
        facts: InterpreterFacts,
        fetch: FetchWheel | None,
        told: Contents,
    ) -> Prepare:
        """Return what makes one environment's next tree and returns the steps to it."""
        check_changeable(environment)
        bring = fetch or refetching(self.client, self.locations)
        store = Store(self.locations.data)

        def prepare(staging: Place) -> tuple[Step, ...]:
            paths: dict[str, str] = {}
            wanted = [_built(one, bring, paths) if is_source_name(one.wheel) else one for one in distributions]
            contents = _held(told, wanted)
            sizes: list[int] = []
            here: list[int] = []

            def fetched(one: Distribution) -> str:
                was_here = os.path.exists(FileCache(self.locations.cache).file(one.sha256, one.wheel))
                path = paths.get(one.sha256) or bring(one)
                sizes.append(os.path.getsize(path))
                if was_here:
                    here.append(sizes[-1])
                return path

            began = steady_seconds()
            ready = fill_store(
                contents.distributions, fetched, store, staging, facts, host=self.host, progress=self.progress
            )
            # Where some were here and others not, neither is learnt from it.
            if not here or len(here) == len(sizes):
                seconds = steady_seconds() - began
                note_time(self.locations.cache, len(sizes), sum(sizes), seconds, fetched=not here)
            return edition_made(
                staging,
                environment.prefix,
                contents,
                facts,
                ready,
                host=self.host,
                locations=self.locations,
                replaced=environment,
            )

        return prepare


def one_after_another(makers: Sequence[Prepare]) -> Prepare:
    """Return what prepares several editions in one change, each but the first in a folder of its own."""

    def prepare(staging: Place) -> tuple[Step, ...]:
        steps: list[Step] = []
        for number, make in enumerate(makers):
            beside = join(staging, f"edition-{number}") if number else staging
            os.makedirs(beside, exist_ok=True)
            steps += make(beside)
        return tuple(steps)

    return prepare


def _built(source: Distribution, fetch: FetchWheel, paths: dict[str, str]) -> Distribution:
    """Return what was built from a source, its path noted: from then on it is the wheel that counts."""
    wheel = fetch(source)
    found = replace(
        source,
        wheel=built_name(wheel),
        sha256=digest_of_file(wheel),
        source=source.wheel,
        source_sha256=source.sha256,
    )
    paths[found.sha256] = wheel
    return found


def _held(told: Contents, wanted: Sequence[Distribution]) -> Contents:
    """Return contents with these distributions, and no choice between files of a project that is there no more."""
    names = {one.name for one in wanted}
    overlap = tuple(name for name in told.overlap if name in names)
    return replace(told, distributions=tuple(sorted(wanted, key=lambda one: one.name)), overlap=overlap)


def _altered_lines(environment: Environment) -> tuple[PlanLine, ...]:
    altered = altered_files(environment) if environment.edition else ()
    if not altered:
        return ()
    edited, lost = edited_and_lost(altered)
    paths = tuple(one.path for one in altered)
    return (plan_line(LineKind.WARNING, About.FILES_ALTERED, edited=edited, lost=lost, in_full=paths),)


def sharer_lines(sharers: Sequence[Environment]) -> tuple[PlanLine, ...]:
    """Say which other environments hold files that were edited in place, and what becomes of them."""
    return tuple(
        plan_line(
            LineKind.WARNING if one.protected else LineKind.CHANGE,
            About.SHARES_EDITED_FILES,
            name=one.name,
            protected=one.protected,
            restored=not one.protected,
        )
        for one in sharers
    )
