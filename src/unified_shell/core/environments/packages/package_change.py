"""From what was settled on, by the solver or by a lock, to the change that has it in an environment."""

from collections.abc import Iterable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import Step
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.environments.builds.source_builds import SourceBuilder
from unified_shell.core.environments.model.contents import Contents, Distribution
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.trees.collisions import FilesCollide, find_collisions, overlap_lines
from unified_shell.core.environments.trees.recorded_files import altered_files
from unified_shell.core.environments.trees.store_filling import FetchWheel
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.resolution.reading_metadata import fetch_file
from unified_shell.core.store.contents import Store

from .package_plans import check_all_here, package_plan
from .renewal import Renewer
from .requests import Requests
from .wheel_previews import preview_wheels

__all__ = ["PackageChange", "with_overlap"]


class PackageChange(Struct, frozen=True, kw_only=True):
    """What a settled set is fetched, built and installed with."""

    environment: Environment
    facts: InterpreterFacts
    client: IndexClient
    locations: Locations
    builder: SourceBuilder

    def change(
        self,
        solution: Solution,
        requests: Requests,
        contents: Contents,
        *,
        aim: str,
        nothing: str,
    ) -> Change:
        """Return the change to a solution of what is asked for; `contents` say what else is to hold."""
        environment, facts = self.environment, self.facts
        distributions = _distributions(solution, requests.said, environment)
        same = contents == environment.contents and set(distributions) == set(contents.distributions)
        if same and not altered_files(environment):
            nothing = _for_others(requests) or nothing
            plan = Plan(aim=nothing, nothing_to_do=nothing)
            return change_of(plan)
        renewer = Renewer(
            client=self.client, host=self.builder.host, locations=self.locations, progress=self.builder.progress
        )
        renewal = renewer.renewal(
            environment, distributions, facts, fetch=self._fetching(solution), contents=contents
        )
        known = set(environment.contents.distributions)
        files = {name: one.file for name, one in solution.chosen.items()}
        brought = preview_wheels(
            [one for one in distributions if one not in known], files, self.client, self.locations
        )
        collisions = find_collisions(distributions, brought, Store(self.locations.data), environment.layout)
        if unsettled := [one for one in collisions if not set(one.projects) & set(contents.overlap)]:
            raise FilesCollide(unsettled)
        if self.client.fetcher.offline:
            check_all_here(distributions, solution, self.locations)
        aim = f"{aim} ({facts.title})"
        left_out = {name: rows for name in solution.chosen if (rows := self.client.left_out(name))}
        plan = package_plan(
            environment,
            distributions,
            solution,
            brought,
            self.locations,
            aim=aim,
            left_out=left_out,
        )
        others = tuple(map(str, requests.elsewhere))
        told = [plan_line(LineKind.NOTE, About.EXCLUDED_BY_MARKER, requirements=others)] if others else []
        told += overlap_lines(collisions, contents.overlap)
        plan = replace(plan, lines=(*plan.lines, *renewal.lines, *told))

        def prepare(staging: Place) -> tuple[Step, ...]:
            with self.client.doubting_on_error():
                return renewal.prepare(staging)

        return change_of(plan, prepare=prepare)

    def _fetching(self, solution: Solution) -> FetchWheel:
        by_hash = {one.file.sha256: one.file for one in solution.chosen.values()}

        def fetch(one: Distribution) -> str:
            path = fetch_file(by_hash[one.sha256], self.client, self.locations.cache)
            return path if path.endswith(".whl") else self.builder.wheel(path, one.sha256, one.name, one.version)

        return fetch


def with_overlap(known: Iterable[str], more: Iterable[str]) -> tuple[str, ...]:
    """Return the projects whose files count where others bring different ones to the same place."""
    return tuple(sorted({*known, *more}))


def _for_others(requests: Requests) -> str:
    """Say which of this call's requirements are not meant for the environment's interpreter."""
    texts = ", ".join(map(str, requests.elsewhere))
    return f"excluded by its marker for this interpreter: {texts}" if texts else ""


def _distributions(
    solution: Solution, said: Mapping[NormalizedName, tuple[str, ...]], environment: Environment
) -> tuple[Distribution, ...]:
    found = []
    for name, one in sorted(solution.chosen.items()):
        requested = said.get(name, ())
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
