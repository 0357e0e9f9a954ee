"""Files that two distributions bring to one place: the same content is of both, another one is told before anything is fetched.

Source: the packaging guide on namespace packages, by which several distributions bring the same `__init__.py`.
"""

from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.wheel_preview import Brought, MemberFacts
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.layout import Layout
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.places import join, typed
from unified_shell.core.store.contents import Store

from .command_files import command_files

__all__ = ["Collision", "FilesCollide", "find_collisions", "overlap_lines"]

MOST_NAMED = 3
# Every distribution's own, or made of its sources.
NOT_COMPARED = (".pyc",)


class Collision(Struct, frozen=True, kw_only=True):
    """A path, relative to the environment, at which these projects bring different contents."""

    path: str
    projects: tuple[str, str]


class FilesCollide(Refused):
    """Distributions bring different contents to one place, and nobody said whose is wanted."""

    def __init__(self, collisions: Sequence[Collision]) -> None:
        first, second = collisions[0].projects
        paths = [one.path for one in collisions if set(one.projects) == {first, second}]
        more = f" and {len(paths) - MOST_NAMED} more" if len(paths) > MOST_NAMED else ""
        super().__init__(
            f"{first} and {second} both provide {', '.join(paths[:MOST_NAMED])}{more}, with different contents",
            again_with=("--overlap", first),
            next_step=f"(uses its files; --overlap {typed(second)} uses the other's)",
        )
        self.collisions = tuple(collisions)


def find_collisions(
    distributions: Sequence[Distribution],
    brought: Mapping[NormalizedName, Brought],
    store: Store,
    layout: Layout,
) -> tuple[Collision, ...]:
    """Return where distributions differ about a file, as far as it is known of each before it is fetched.

    What cannot be compared yet counts as the same; installing compares it in full.
    """
    known: dict[str, tuple[str, MemberFacts]] = {}
    found = []
    for one in distributions:
        for path, facts in _paths(one, brought, store, layout):
            owner, there = known.setdefault(path, (one.name, facts))
            if owner != one.name and there.differs_from(facts):
                found.append(Collision(path=path, projects=(owner, one.name)))
    return tuple(found)


def overlap_lines(collisions: Sequence[Collision], preferred: Sequence[str]) -> list[PlanLine]:
    """Say whose files are taken where two bring different ones."""
    lines = []
    for project in preferred:
        paths = tuple(dict.fromkeys(one.path for one in collisions if project in one.projects))
        if paths:
            lines.append(
                plan_line(LineKind.WARNING, About.FILES_DIFFER, project=project, files=paths[:1], in_full=paths)
            )
    return lines


def _paths(
    one: Distribution, brought: Mapping[NormalizedName, Brought], store: Store, layout: Layout
) -> Iterator[tuple[str, MemberFacts]]:
    """Yield where a distribution's files go, with what is known of each: from the store, or as it was seen ahead."""
    preview = brought.get(one.name)
    if preview is not None:
        for facts in preview.files:
            if target := _target(facts.name, one, layout):
                yield target, facts
        for group, name, module, attribute in preview.entries:
            entry = EntryPoint(group=group, name=name, module=module, attribute=attribute)
            for made in command_files(entry, layout):
                sha256 = digest_of_bytes(made.content)
                yield made.path, MemberFacts(name=name, size_bytes=len(made.content), sha256=sha256)
        return
    content = store.read(one.sha256) if one.sha256 else None
    for file in content.files if content is not None else ():
        if target := _target(file.name, one, layout):
            yield target, MemberFacts(name=file.name, size_bytes=file.size_bytes, sha256=file.sha256)


def _target(name: str, one: Distribution, layout: Layout) -> str:
    top, _, below = name.partition("/")
    if name.endswith(NOT_COMPARED) or top.endswith(".dist-info"):
        return ""
    if not top.endswith(".data"):
        return f"{layout.site_packages_name}/{name}"
    key, _, rest = below.partition("/")
    try:
        return join(layout.scheme(key, one.name), rest) if rest else ""
    except KeyError:
        return ""
