"""Getting packages: what is asked for is solved anew with all that was asked for before."""

import functools
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.environments.builds.source_builds import SourceBuilder
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.installed import installed_metadata
from unified_shell.core.environments.model.registry import Environment, check_changeable
from unified_shell.core.errors import NoSolution, UnknownName, UsageError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.questions import Candidate, Solution
from unified_shell.core.resolution.target import Present, Rules, Target

from .package_change import PackageChange, with_overlap
from .requests import requests_of

__all__ = ["PackageRequest", "plan_get", "plan_refresh", "solve_alone", "target_of"]


class PackageRequest(Struct, frozen=True, kw_only=True):
    """What a person asks for, and by which rules; with `newest`, what is there is no reason to stay with its version.

    `constraints` and `overrides` take the place of those that the environment had; None leaves them. `overlap` are
    projects whose files count from now on where another one brings different ones to the same place.
    """

    requests: tuple[Requirement, ...] = ()
    newest: bool = False
    rules: Rules = field(default_factory=Rules)
    constraints: tuple[Requirement, ...] | None = None
    overrides: tuple[Requirement, ...] | None = None
    overlap: frozenset[NormalizedName] = frozenset()


def target_of(facts: InterpreterFacts, rules: Rules | None = None) -> Target:
    """Return what is solved for."""
    return Target(
        markers=facts.markers(),
        tags=supported_tags(facts.tag_facts()),
        python=facts.full_version,
        rules=rules or Rules(),
    )


def plan_get(
    request: PackageRequest,
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to have what is wished for in an environment, with what it needs, changing as little as possible."""
    asked = ", ".join(map(str, request.requests)) or "what was asked for"
    client.newest = client.newest or request.newest
    already = f"{asked}: already in the environment {environment.name}"
    job = _Solving(
        request=request, environment=environment, client=client, host=host, locations=locations, progress=progress
    )
    return job.change(
        {} if request.newest else _present(environment),
        aim=f"Install {asked} in the environment {environment.name}",
        nothing=already,
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
        raise UnknownName(
            f"package in {environment.name}", name, known, next_step=ush("package", "list", *environment.naming)
        )
    what = ", ".join(sorted(wanted)) or "everything"
    client.newest = True
    job = _Solving(
        request=PackageRequest(),
        environment=environment,
        client=client,
        host=host,
        locations=locations,
        progress=progress,
    )
    return job.change(
        {name: one for name, one in _present(environment).items() if wanted and name not in wanted},
        aim=f"Update {what} in the environment {environment.name}",
        nothing=f"{what} in the environment {environment.name} is already up to date",
    )


def solve_alone(
    request: PackageRequest,
    facts: InterpreterFacts,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Solution:
    """Return what a request comes to for an interpreter, in no environment."""
    rules = replace(request.rules, constraints=request.constraints or (), overrides=request.overrides or ())
    builder = SourceBuilder(
        facts=facts, client=client, host=host, locations=locations, progress=progress, rules=rules
    )
    return run_solver(
        request.requests,
        target_of(facts, rules),
        client,
        {},
        locations.cache,
        read_source=builder.metadata,
        progress=progress,
    )


class _Solving(Struct, frozen=True, kw_only=True):
    """What a change of packages is solved with."""

    request: PackageRequest
    environment: Environment
    client: IndexClient
    host: Host
    locations: Locations
    progress: Callable[[str], None]

    def change(
        self,
        present: Mapping[NormalizedName, Present],
        *,
        aim: str,
        nothing: str,
    ) -> Change:
        """Return the change to what is asked for; `present` are those that keep their version where they can."""
        environment, client, locations = self.environment, self.client, self.locations
        check_changeable(environment)
        facts = base_of(environment, self.host)
        requests = requests_of(environment.contents, self.request.requests, facts.markers())
        if not client.indexes and any(not one.url for one in requests.meant):
            raise UsageError(
                "no index is named yet: the address of a server (Simple API, PEP 503), or a folder of wheels, that packages"
                " come from.\nA laboratory's own is known to whoever keeps it; that of the Python Package Index stands in"
                " its documentation",
                next_step=ush("index", "add", "NAME", "ADDRESS"),
            )
        rules = self._rules()
        builder = self._builder(facts, rules)
        solve = functools.partial(
            run_solver, requests.meant, target_of(facts, rules), client, present, locations.cache
        )
        with client.doubting_on_error():
            solution = self._solved(lambda: solve(read_source=builder.metadata, progress=self.progress))
        contents = replace(
            environment.contents,
            constraints=tuple(map(str, rules.constraints)),
            overrides=tuple(map(str, rules.overrides)),
            overlap=with_overlap(environment.contents.overlap, self.request.overlap),
        )
        settled = PackageChange(
            environment=environment, facts=facts, client=client, locations=locations, builder=builder
        )
        return settled.change(solution, requests, contents, aim=aim, nothing=nothing)

    def _solved(self, solve: Callable[[], Solution]) -> Solution:
        """Return a solution; what was published since a page was read may be what is wanted."""
        try:
            return solve()
        except NoSolution:
            if not self.client.used_kept:
                raise
            self.client.forget()
            self.client.newest = True
            return solve()

    def _rules(self) -> Rules:
        """Return the request's rules, with what the environment holds to: its own bounds, and what was built for it."""
        contents, request = self.environment.contents, self.request
        bounds = tuple(map(Requirement, contents.constraints)) if request.constraints is None else request.constraints
        overrides = tuple(map(Requirement, contents.overrides)) if request.overrides is None else request.overrides
        built = {one.name for one in contents.distributions if one.source}
        return replace(request.rules, constraints=bounds, overrides=overrides, built=request.rules.built | built)

    def _builder(self, facts: InterpreterFacts, rules: Rules) -> SourceBuilder:
        return SourceBuilder(
            facts=facts,
            client=self.client,
            host=self.host,
            locations=self.locations,
            progress=self.progress,
            rules=rules,
        )


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
