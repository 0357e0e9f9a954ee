"""From what was settled on, by the solver or by a lock, to the change that has it in an environment."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from packaging.requirements import Requirement
from packaging.utils import NormalizedName

from unified_shell.core.changes.plan import Change, Plan
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.locations import Locations
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.resolution.reading_metadata import fetch_file

from .changing import next_edition
from .contents import Contents, Distribution
from .filling import FetchWheel
from .forthcoming import look_ahead
from .known import Environment
from .package_plans import package_plan
from .source_builds import SourceBuilder

__all__ = ["Settled"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Settled:
    """What a settled set is fetched, built and installed with."""

    environment: Environment
    facts: InterpreterFacts
    client: IndexClient
    locations: Locations
    builder: SourceBuilder

    def change(
        self,
        solution: Solution,
        wanted: Mapping[NormalizedName, Requirement],
        contents: Contents,
        *,
        words: str,
        aim: str,
        nothing: str,
    ) -> Change:
        """Return the change to a solution, `wanted` being what was asked for; `contents` say what else is to hold."""
        environment, facts = self.environment, self.facts
        distributions = _distributions(solution, wanted, environment)
        if contents == environment.contents and set(distributions) == set(contents.distributions):
            plan = Plan(words=words, aim=nothing, nothing_to_do=nothing)
            return Change(plan=plan, prepare=lambda _staging: ())
        prepare = next_edition(
            environment,
            distributions,
            facts,
            self._fetching(solution),
            contents=contents,
            host=self.builder.host,
            locations=self.locations,
            progress=self.builder.progress,
        )
        known = set(environment.contents.distributions)
        files = {name: one.file for name, one in solution.chosen.items()}
        brought = look_ahead([one for one in distributions if one not in known], files, self.client, self.locations)
        aim = f"{aim} ({facts.title})"
        left_out = {name: rows for name in solution.chosen if (rows := self.client.left_out(name))}
        plan = package_plan(
            environment, distributions, solution, brought, self.locations, words=words, aim=aim, left_out=left_out
        )
        return Change(plan=plan, prepare=prepare)

    def _fetching(self, solution: Solution) -> FetchWheel:
        by_hash = {one.file.sha256: one.file for one in solution.chosen.values()}

        def fetch(one: Distribution) -> str:
            path = fetch_file(by_hash[one.sha256], self.client, self.locations.cache)
            return path if path.endswith(".whl") else self.builder.wheel(path, one.sha256, one.name, one.version)

        return fetch


def _distributions(
    solution: Solution, wanted: Mapping[NormalizedName, Requirement], environment: Environment
) -> tuple[Distribution, ...]:
    found = []
    for name, one in sorted(solution.chosen.items()):
        requested = str(wanted[name]) if name in wanted else ""
        before = environment.contents.find(name)
        if one.present and before is not None:
            found.append(replace(before, requested=requested))
            continue
        found.append(
            Distribution(
                name=name,
                version=one.version,
                sha256=one.file.sha256,
                wheel=one.file.name,
                index=one.index,
                requested=requested,
                address=one.file.address if one.direct else "",
            )
        )
    return tuple(found)
