"""Getting and dropping packages: what is asked for is solved anew with all that was asked for before."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from packaging.requirements import InvalidRequirement, Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.errors import CouldNot, Refused, UnknownName, WordsOff
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.disks import shown_size
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.resolution.driver import Present, Target, fetch_wheel, run_solver
from unified_shell.core.resolution.questions import Candidate, Solution
from unified_shell.core.store.contents import Store

from .changing import FetchWheel, base_of, next_edition
from .contents import Distribution
from .editions import unrecorded_files
from .known import Environment

__all__ = [
    "installed_metadata",
    "parse_request",
    "plan_drop_packages",
    "plan_get",
    "plan_refresh",
    "refetching",
    "target_of",
]

UNPACKED_RATIO = 5


def parse_request(text: str) -> Requirement:
    """Return a requirement as a person types it; raises WordsOff with what was expected."""
    try:
        return Requirement(text)
    except InvalidRequirement as error:
        raise WordsOff(
            f"{text!r} is no requirement: {str(error).splitlines()[0]}",
            next_step="write it as NAME, NAME>=1.2 or NAME[extra]",
        ) from error


def target_of(facts: InterpreterFacts) -> Target:
    """Return what is solved for."""
    return Target(markers=facts.markers(), tags=supported_tags(facts.tag_facts()), python=facts.full_version)


def installed_metadata(environment: Environment) -> dict[NormalizedName, Metadata]:
    """Return the metadata of every distribution that is in the environment's folder, by project."""
    site = environment.layout.site_packages
    found = {}
    for folder in sorted(os.listdir(site)) if os.path.isdir(site) else ():
        content = read_file(join(site, folder, "METADATA")) if folder.endswith(".dist-info") else None
        if content is not None:
            metadata = parse_metadata(content[0], folder)
            found[metadata.name] = metadata
    return found


def plan_get(
    requests: Sequence[Requirement],
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    newest: bool = False,
    as_of: str = "",
    lowest: bool = False,
) -> Change:
    """Plan to have these in an environment, with what they need, changing as little as possible.

    With `newest`, what is there is no reason to stay with its version; `as_of` and `lowest` as in a Target.
    """
    asked = ", ".join(map(str, requests))
    job = _Solving(environment=environment, client=client, host=host, locations=locations, as_of=as_of, lowest=lowest)
    return job.change(
        _requests(environment, requests),
        {} if newest else _present(environment),
        words=f"package get {' '.join(map(str, requests))} -e {environment.name}",
        aim=f"Get {asked} into the environment {environment.name}",
        nothing=f"{asked}: in the environment {environment.name} already",
    )


def plan_refresh(
    names: Sequence[str], environment: Environment, client: IndexClient, host: Host, locations: Locations
) -> Change:
    """Plan to have the newest versions that fit together, of these packages or of all; nothing else moves needlessly."""
    wanted = {canonicalize_name(name) for name in names}
    known = {one.name for one in environment.contents.distributions}
    for name in wanted - known:
        raise UnknownName(f"package in {environment.name}", name, known, next_step="ush package list")
    what = ", ".join(sorted(wanted)) or "everything"
    job = _Solving(environment=environment, client=client, host=host, locations=locations)
    return job.change(
        _requests(environment, ()),
        {name: one for name, one in _present(environment).items() if wanted and name not in wanted},
        words=f"package refresh {' '.join(sorted(wanted))}".rstrip() + f" -e {environment.name}",
        aim=f"Have the newest of {what} in the environment {environment.name}",
        nothing=f"{what} in the environment {environment.name} is already the newest that fits",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Solving:
    """What a change of packages is solved with."""

    environment: Environment
    client: IndexClient
    host: Host
    locations: Locations
    as_of: str = ""
    lowest: bool = False

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
        facts = base_of(environment, self.host)
        if not client.indexes:
            raise WordsOff(
                "no index is named yet that packages could come from",
                next_step="ush index add NAME ADDRESS",
            )
        solution = run_solver(list(wanted.values()), self._target(facts), client, present, locations.cache)
        distributions = _distributions(solution, wanted)
        if set(distributions) == set(environment.contents.distributions):
            plan = Plan(words=words, aim=nothing, nothing_to_do=nothing)
            return Change(plan=plan, prepare=lambda _staging: ())
        by_hash = {one.file.sha256: one.file for one in solution.chosen.values()}
        prepare = next_edition(
            environment,
            distributions,
            facts,
            lambda one: fetch_wheel(by_hash[one.sha256], client, locations.cache),
            host=self.host,
            locations=locations,
        )
        plan = _plan(environment, distributions, solution, locations, words=words, aim=f"{aim} ({facts.title})")
        return Change(plan=plan, prepare=prepare)

    def _target(self, facts: InterpreterFacts) -> Target:
        return replace(target_of(facts), as_of=self.as_of, lowest=self.lowest)


def _plan(
    environment: Environment,
    distributions: Sequence[Distribution],
    solution: Solution,
    locations: Locations,
    *,
    words: str,
    aim: str,
) -> Plan:
    downloads = _to_fetch(distributions, solution, locations)
    size = sum(max(one.size_bytes, 0) for one in downloads)
    return Plan(
        words=words,
        aim=aim,
        lines=(
            *_lines(environment, distributions, solution),
            *(
                (*_download_lines(downloads, size), *_cached_lines(distributions, locations))
                or (PlanLine(kind=LineKind.NOTE, subject="all wheels are here; nothing is to be fetched"),)
            ),
            *_carried_lines(environment),
        ),
        download_bytes=size,
        disk_bytes=size * UNPACKED_RATIO,
        # One that is made by the same change relies on nothing before it.
        relies_on=(f"environment {environment.name}",) if environment.edition else (),
    )


def plan_drop_packages(
    names: Sequence[str],
    environment: Environment,
    host: Host,
    locations: Locations,
    client: IndexClient,
) -> Change:
    """Plan to take packages out, with what came along for them alone; others stay as they are."""
    facts = base_of(environment, host)
    contents = environment.contents
    dropped = {canonicalize_name(name) for name in names}
    for name in dropped:
        if contents.find(name) is None:
            known = [one.name for one in contents.distributions]
            raise UnknownName(f"package in {environment.name}", name, known, next_step="ush package list")
    roots = {one.name: Requirement(one.requested) for one in contents.requested if one.name not in dropped}
    kept = _reachable(roots, environment, facts)
    needed = sorted(dropped & set(kept))
    if needed:
        by = ", ".join(kept[needed[0]])
        raise Refused(f"{needed[0]} is needed by {by}", next_step=f"ush package drop {by.split(', ')[0].split()[0]}")
    distributions = [one for one in contents.distributions if one.name in kept]
    gone = [one for one in contents.distributions if one.name not in kept]
    plan = Plan(
        words=f"package drop {' '.join(names)} -e {environment.name}",
        aim=f"Drop {', '.join(names)} from the environment {environment.name}",
        lines=(
            *(
                PlanLine(
                    kind=LineKind.REMOVE,
                    subject=f"{one.name} {one.version}",
                    detail="" if one.name in dropped else "nothing else needs it",
                )
                for one in gone
            ),
            *_carried_lines(environment),
        ),
        relies_on=(f"environment {environment.name}",),
    )

    fetch = refetching(client, locations)
    return Change(
        plan=plan, prepare=next_edition(environment, distributions, facts, fetch, host=host, locations=locations)
    )


def refetching(client: IndexClient, locations: Locations) -> FetchWheel:
    """Return what fetches a wheel that an environment has already, should the store have lost it."""

    def fetch(one: Distribution) -> str:
        found = client.find(one.name) if client.indexes else None
        file = next((file for file in (found.files if found else ()) if file.sha256 == one.sha256), None)
        if file is None:
            raise CouldNot(
                f"{one.wheel} is needed again (it was written to in the store), and no index has it",
                next_step="ush index list",
            )
        return fetch_wheel(file, client, locations.cache)

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
                file=IndexFile(name=one.wheel, address="", sha256=one.sha256),
                index=one.index,
                present=True,
            ),
            metadata=metadata[one.name],
        )
        for one in environment.contents.distributions
        if one.name in metadata
    }


def _distributions(solution: Solution, wanted: Mapping[NormalizedName, Requirement]) -> tuple[Distribution, ...]:
    return tuple(
        Distribution(
            name=name,
            version=one.version,
            sha256=one.file.sha256,
            wheel=one.file.name,
            index=one.index,
            requested=str(wanted[name]) if name in wanted else "",
        )
        for name, one in sorted(solution.chosen.items())
    )


def _lines(
    environment: Environment, distributions: Sequence[Distribution], solution: Solution
) -> tuple[PlanLine, ...]:
    lines = []
    for one in distributions:
        before = environment.contents.find(one.name)
        asked = "; ".join(dict.fromkeys(solution.asked_by[one.name]))
        if before is None:
            lines.append(PlanLine(kind=LineKind.ADD, subject=f"{one.name} {one.version}", detail=asked))
        elif before.version != one.version:
            subject = f"{one.name} {before.version} → {one.version}"
            lines.append(PlanLine(kind=LineKind.CHANGE, subject=subject, detail=asked))
    names = {one.name for one in distributions}
    lines += [
        PlanLine(kind=LineKind.REMOVE, subject=f"{one.name} {one.version}", detail="nothing needs it any more")
        for one in environment.contents.distributions
        if one.name not in names
    ]
    kept = len(distributions) - sum(1 for line in lines if line.kind is not LineKind.REMOVE)
    if kept:
        lines.append(PlanLine(kind=LineKind.KEEP, subject=f"{kept} that are there stay as they are"))
    return tuple(lines)


def _to_fetch(distributions: Sequence[Distribution], solution: Solution, locations: Locations) -> list[IndexFile]:
    store = Store(locations.data)
    return [
        solution.chosen[one.name].file
        for one in distributions
        if not os.path.isdir(join(store.top, one.sha256))
        and not os.path.exists(join(locations.cache, "wheels", one.sha256, one.wheel))
    ]


def _download_lines(downloads: Sequence[IndexFile], size_bytes: int) -> tuple[PlanLine, ...]:
    if not downloads:
        return ()
    count = f"{len(downloads)} wheel{'s' if len(downloads) > 1 else ''}"
    unknown = any(one.size_bytes < 0 for one in downloads)
    size = "of unknown size" if unknown and not size_bytes else shown_size(size_bytes)
    disk = f"about {shown_size(size_bytes * UNPACKED_RATIO)} on disk" if size_bytes else ""
    return (PlanLine(kind=LineKind.DOWNLOAD, subject=f"{count}, {size}", detail=disk),)


def _cached_lines(distributions: Sequence[Distribution], locations: Locations) -> tuple[PlanLine, ...]:
    """Say which wheels were fetched already: where an index has no metadata apart, to read theirs."""
    store = Store(locations.data)
    paths = [
        join(locations.cache, "wheels", one.sha256, one.wheel)
        for one in distributions
        if not os.path.isdir(join(store.top, one.sha256))
    ]
    sizes = [os.path.getsize(path) for path in paths if os.path.exists(path)]
    if not sizes:
        return ()
    count = f"{len(sizes)} wheel{'s' if len(sizes) > 1 else ''}"
    detail = f"about {shown_size(sum(sizes) * UNPACKED_RATIO)} on disk"
    return (
        PlanLine(kind=LineKind.NOTE, subject=f"{count}, {shown_size(sum(sizes))}, fetched already", detail=detail),
    )


def _carried_lines(environment: Environment) -> tuple[PlanLine, ...]:
    files = unrecorded_files(environment.prefix, environment.short_version)
    if not files:
        return ()
    more = f" and {len(files) - 3} more" if len(files) > 3 else ""
    return (
        PlanLine(
            kind=LineKind.NOTE,
            subject=f"carried over, though no package brought them: {', '.join(files[:3])}{more}",
        ),
    )


def _reachable(
    roots: Mapping[NormalizedName, Requirement], environment: Environment, facts: InterpreterFacts
) -> dict[NormalizedName, list[str]]:
    """Return what the roots need of what is installed, each with who needs it."""
    metadata = installed_metadata(environment)
    markers = facts.markers()
    kept: dict[NormalizedName, list[str]] = {}
    todo = [(requirement, "you") for requirement in roots.values()]
    done: set[tuple[str, frozenset[str]]] = set()
    while todo:
        requirement, by = todo.pop()
        name = canonicalize_name(requirement.name)
        kept.setdefault(name, []).append(by)
        extras = frozenset(requirement.extras)
        if (name, extras) in done or name not in metadata:
            continue
        done.add((name, extras))
        for text in metadata[name].requires:
            needed = Requirement(text)
            marker = needed.marker
            if marker is None or any(marker.evaluate({**markers, "extra": extra}) for extra in ("", *extras)):
                todo.append((needed, f"{name} {metadata[name].version}"))
    return kept
