"""Getting packages: what is asked for is solved anew with all that was asked for before."""

import os
import urllib.parse
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from packaging.requirements import InvalidRequirement, Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.changes.plan import Change
from unified_shell.core.distributions.sources import is_source_name, source_parts
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.errors import CouldNot, UnknownName, WordsOff
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import typed
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.questions import Candidate, Solution
from unified_shell.core.resolution.reading_metadata import fetch_file
from unified_shell.core.resolution.target import Present, Rules, Target
from unified_shell.core.transfers.addresses import address_of_folder

from .changing import base_of
from .contents import Distribution
from .filling import FetchWheel
from .installed import installed_metadata
from .known import Environment, check_changeable
from .settled import Settled
from .source_builds import SourceBuilder, built_before

__all__ = ["Wish", "parse_request", "plan_get", "plan_refresh", "refetching", "solve_alone", "target_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What a person asks for, and by which rules; with `newest`, what is there is no reason to stay with its version.

    `constraints` and `overrides` take the place of those that the environment had; None leaves them.
    """

    requests: tuple[Requirement, ...] = ()
    newest: bool = False
    rules: Rules = field(default_factory=Rules)
    constraints: tuple[Requirement, ...] | None = None
    overrides: tuple[Requirement, ...] | None = None


def parse_request(text: str, directory: str = "") -> Requirement:
    """Return a requirement as a person types it: by the standard, or the file of a wheel or source distribution.

    Raises WordsOff with what was expected.
    """
    path = os.path.normpath(os.path.join(directory, text))
    if (text.endswith(".whl") or is_source_name(text)) and "@" not in text and os.path.isfile(path):
        name = parse_wheel_name(os.path.basename(path))
        parts = source_parts(os.path.basename(path))
        project = name.project if name is not None else parts.project if parts is not None else ""
        text = f"{project} @ {address_of_folder(os.path.abspath(path))}" if project else text
    try:
        found = Requirement(text)
    except InvalidRequirement as error:
        raise WordsOff(
            f"{text!r} is no requirement: {str(error).splitlines()[0]}",
            next_step="write it as NAME, NAME>=1.2, NAME[extra] or NAME @ ADDRESS",
        ) from error
    if found.url and urllib.parse.urlsplit(found.url).username is not None:
        raise WordsOff(
            f"the address of {found.name} carries a name or password, which would be written down",
            next_step="put them into ~/.netrc, and leave them out of the address",
        )
    return found


def target_of(facts: InterpreterFacts, rules: Rules | None = None) -> Target:
    """Return what is solved for."""
    return Target(
        markers=facts.markers(),
        tags=supported_tags(facts.tag_facts()),
        python=facts.full_version,
        rules=rules or Rules(),
    )


def plan_get(
    wish: Wish,
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to have what is wished for in an environment, with what it needs, changing as little as possible."""
    asked = ", ".join(map(str, wish.requests)) or "what was asked for"
    job = _Solving(
        wish=wish, environment=environment, client=client, host=host, locations=locations, progress=progress
    )
    return job.change(
        _requests(environment, wish.requests),
        {} if wish.newest else _present(environment),
        words=f"package get {' '.join(map(str, wish.requests))} -e {typed(environment.name)}",
        aim=f"Get {asked} into the environment {environment.name}",
        nothing=f"{asked}: in the environment {environment.name} already",
    )


def plan_refresh(
    names: Sequence[str],
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to have the newest versions that fit together, of these packages or of all; nothing else moves needlessly."""
    wanted = {canonicalize_name(name) for name in names}
    known = {one.name for one in environment.contents.distributions}
    for name in wanted - known:
        raise UnknownName(f"package in {environment.name}", name, known, next_step="ush package list")
    what = ", ".join(sorted(wanted)) or "everything"
    job = _Solving(
        wish=Wish(), environment=environment, client=client, host=host, locations=locations, progress=progress
    )
    return job.change(
        _requests(environment, ()),
        {name: one for name, one in _present(environment).items() if wanted and name not in wanted},
        words=f"package refresh {' '.join(sorted(wanted))}".rstrip() + f" -e {typed(environment.name)}",
        aim=f"Have the newest of {what} in the environment {environment.name}",
        nothing=f"{what} in the environment {environment.name} is already the newest that fits",
    )


def solve_alone(
    wish: Wish,
    facts: InterpreterFacts,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Solution:
    """Return what a wish comes to for an interpreter, in no environment."""
    rules = replace(wish.rules, constraints=wish.constraints or (), overrides=wish.overrides or ())
    builder = SourceBuilder(
        facts=facts, client=client, host=host, locations=locations, progress=progress, rules=rules
    )
    return run_solver(
        wish.requests, target_of(facts, rules), client, {}, locations.cache, read_source=builder.metadata
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Solving:
    """What a change of packages is solved with."""

    wish: Wish
    environment: Environment
    client: IndexClient
    host: Host
    locations: Locations
    progress: Callable[[str], None]

    def change(
        self,
        wanted: Mapping[NormalizedName, Requirement],
        present: Mapping[NormalizedName, Present],
        *,
        words: str,
        aim: str,
        nothing: str,
    ) -> Change:
        """Return the change to what is wanted; `present` are those that keep their version where they can."""
        environment, client, locations = self.environment, self.client, self.locations
        check_changeable(environment)
        facts = base_of(environment, self.host)
        if not client.indexes and any(not one.url for one in wanted.values()):
            raise WordsOff(
                "no index is named yet that packages could come from",
                next_step="ush index add NAME ADDRESS",
            )
        rules = self._rules()
        builder = self._builder(facts, rules)
        solution = run_solver(
            list(wanted.values()),
            target_of(facts, rules),
            client,
            present,
            locations.cache,
            read_source=builder.metadata,
        )
        contents = replace(
            environment.contents,
            constraints=tuple(map(str, rules.constraints)),
            overrides=tuple(map(str, rules.overrides)),
        )
        settled = Settled(environment=environment, facts=facts, client=client, locations=locations, builder=builder)
        return settled.change(solution, wanted, contents, words=words, aim=aim, nothing=nothing)

    def _rules(self) -> Rules:
        """Return the wish's rules, with what the environment holds to: its own bounds, and what was built for it."""
        contents, wish = self.environment.contents, self.wish
        bounds = tuple(map(Requirement, contents.constraints)) if wish.constraints is None else wish.constraints
        overrides = tuple(map(Requirement, contents.overrides)) if wish.overrides is None else wish.overrides
        built = {one.name for one in contents.distributions if one.source}
        return replace(wish.rules, constraints=bounds, overrides=overrides, built=wish.rules.built | built)

    def _builder(self, facts: InterpreterFacts, rules: Rules) -> SourceBuilder:
        return SourceBuilder(
            facts=facts,
            client=self.client,
            host=self.host,
            locations=self.locations,
            progress=self.progress,
            rules=rules,
        )


def refetching(client: IndexClient, locations: Locations) -> FetchWheel:
    """Return what fetches a wheel that an environment has already, should the store have lost it."""

    def fetch(one: Distribution) -> str:
        if (kept := built_before(one, locations)) is not None:
            return kept
        if one.address and not one.source:
            return fetch_file(
                IndexFile(name=one.wheel, address=one.address, sha256=one.sha256), client, locations.cache
            )
        found = client.find(one.name) if client.indexes else None
        file = next((file for file in (found.files if found else ()) if file.sha256 == one.sha256), None)
        if file is None:
            raise CouldNot(
                f"{one.wheel} is needed again (it was written to in the store), and no index has it",
                next_step="ush index list",
            )
        return fetch_file(file, client, locations.cache)

    return fetch


def _requests(environment: Environment, requests: Sequence[Requirement]) -> dict[NormalizedName, Requirement]:
    """Return all that is asked for: what was before, with what is new in its place."""
    wanted = {one.name: Requirement(one.requested) for one in environment.contents.requested}
    for request in requests:
        wanted[canonicalize_name(request.name)] = request
    return wanted


def _present(environment: Environment) -> dict[NormalizedName, Present]:
    metadata = installed_metadata(environment)
    return {
        one.name: Present(
            candidate=Candidate(
                project=one.name,
                version=one.version,
                file=IndexFile(name=one.wheel, address=one.address, sha256=one.sha256),
                index=one.index,
                present=True,
                direct=bool(one.address),
            ),
            metadata=metadata[one.name],
        )
        for one in environment.contents.distributions
        if one.name in metadata
    }
