"""Building wheels from source distributions: in an environment of their own, through the hooks of their backend.

Source: PEP 517 (hooks), 518 (what building needs), 643 (metadata that needs no building). All of it happens in the
cache; what was built is kept there for the same source and interpreter. A build runs the project's code, so nothing
here is called for a project that nobody allowed it for.
"""

import contextlib
import os
import shutil
import uuid
from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec import Struct, field
from msgspec.structs import replace
from packaging.requirements import Requirement
from packaging.version import Version

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.distributions.file_names import FileName, parse_file_name
from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.sources import static_metadata
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.distributions.wheels import parse_wheel_name, read_metadata_of_wheel, unpack_wheel
from unified_shell.core.environments.model.contents import Contents, Distribution
from unified_shell.core.environments.model.layout import Layout
from unified_shell.core.environments.trees.editions import make_edition
from unified_shell.core.environments.trees.store_filling import fill_store
from unified_shell.core.errors import BuildFailed, UshError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.installation.workshop import Workshop
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.files.digests import Sha256, digest_of_bytes, digest_of_file
from unified_shell.core.machine.files.durable import read_file, remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_json_text, join, to_json_text
from unified_shell.core.machine.processes.presence import is_held, present
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.reading_metadata import fetch_file
from unified_shell.core.resolution.target import Rules, Target
from unified_shell.core.store.contents import Store

from .build_recipes import BuildRecipe, read_recipe

__all__ = ["SourceBuilder", "built_before", "built_name"]

LOCK = ".lock"
DIGEST = ".sha256"


class SourceBuilder(Struct, frozen=True, kw_only=True):
    """Builds for one interpreter. `under_way` are the projects whose building needed this one."""

    facts: InterpreterFacts
    client: IndexClient
    host: Host
    locations: Locations
    progress: Callable[[str], None]
    rules: Rules = field(default_factory=Rules)
    under_way: tuple[NormalizedName, ...] = ()

    def metadata(self, source: str, sha256: Sha256, project: NormalizedName) -> Metadata:
        """Return the metadata of a source distribution: as it is told inside, else as its backend tells it."""
        if (built := self._kept(sha256)) is not None:
            return read_metadata_of_wheel(built, project)
        with _Work(self.locations) as work:
            tree = self._unpacked(source, sha256, work)
            if (told := static_metadata(tree)) is not None and told.name == project:
                return told
            return read_metadata_of_wheel(self._built(tree, source, sha256, project, work), project)

    def wheel(self, source: str, sha256: Sha256, project: NormalizedName, version: str) -> str:
        """Return the path of the wheel built from a source distribution; raises BuildFailed."""
        path = self._kept(sha256)
        if path is None:
            with _Work(self.locations) as work:
                path = self._built(self._unpacked(source, sha256, work), source, sha256, project, work)
        name = parse_wheel_name(os.path.basename(path))
        if name is None or name.version != Version(version):
            raise BuildFailed(f"{os.path.basename(source)} was built as {os.path.basename(path)}, not as {version}")
        return path

    def _place(self, sha256: Sha256) -> Place:
        """Return where what is built from a source for this interpreter is kept."""
        facts = self.facts
        told = (facts.implementation, facts.short_version, facts.architecture, facts.word_size_bits, facts.libc.name)
        kind = digest_of_bytes("\0".join(map(str, (*told, facts.free_threaded))).encode())[:16]
        return join(FileCache(self.locations.cache).built(sha256), kind)

    def _kept(self, sha256: Sha256) -> str | None:
        place = self._place(sha256)
        names = sorted(one for one in os.listdir(place) if one.endswith(".whl")) if os.path.isdir(place) else []
        whole = (join(place, name) for name in names if _is_whole(join(place, name)))
        return next(whole, None)

    def _unpacked(self, source: str, sha256: Sha256, work: Place) -> Place:
        folder = join(work, f"source-{sha256[:12]}")
        unpack_archive(source, folder)
        return Place(root_of(folder))

    def _built(self, tree: Place, source: str, sha256: Sha256, project: NormalizedName, work: Place) -> str:
        if project in self.under_way:
            around = " → ".join((*self.under_way, project))
            raise BuildFailed(f"building {project} needs itself: {around}", next_step="find a wheel of one of them")
        recipe = read_recipe(tree, os.path.basename(source))
        shop = self._workshop(project, work)
        self.progress(f"build {project}")
        environment = self._environment(recipe.requires, project, work)
        more = _Hooks(recipe, tree, environment, shop).texts("get_requires_for_build_wheel", {})
        if more:
            environment = self._environment((*recipe.requires, *map(Requirement, more)), project, work)
        hooks = _Hooks(recipe, tree, environment, shop)
        into = join(work, "wheel")
        os.mkdir(into)
        answer = hooks.call("build_wheel", [into, {}])
        name = os.path.basename(str(answer))
        if not name.endswith(".whl") or not os.path.isfile(join(into, name)):
            raise BuildFailed(f"the backend of {project} answered {answer!r}, which is not a wheel that it made")
        return self._keep(_checked(join(into, name), project, work), sha256, project)

    def _keep(self, wheel: str, sha256: Sha256, project: NormalizedName) -> str:
        name = parse_wheel_name(os.path.basename(wheel))
        if name is None or name.project != project:
            raise BuildFailed(f"{project} was built as {os.path.basename(wheel)}")
        if not name.tags & set(supported_tags(self.facts.tag_facts())):
            raise BuildFailed(f"{os.path.basename(wheel)} was built for another interpreter than {self.facts.title}")
        place = self._place(sha256)
        os.makedirs(place, exist_ok=True)
        kept = join(place, os.path.basename(wheel))
        # The hash first: a wheel beside which there is none, or another one, is not whole.
        write_cached(kept + DIGEST, digest_of_file(wheel).encode("ascii"))
        shutil.copyfile(wheel, f"{kept}.part")
        os.replace(f"{kept}.part", kept)
        return kept

    def _environment(self, requires: Sequence[Requirement], project: NormalizedName, work: Place) -> Layout:
        """Make an environment with what building needs; its own sources are built only where that is allowed."""
        inner = replace(self, under_way=(*self.under_way, project))
        target = Target(
            markers=self.facts.markers(),
            tags=supported_tags(self.facts.tag_facts()),
            python=self.facts.full_version,
            rules=replace(self.rules, constraints=(), overrides=(), lowest=False),
        )
        try:
            solution = run_solver(requires, target, self.client, {}, self.locations.cache, read_source=inner.metadata)
            distributions, paths = [], {}
            for name, one in sorted(solution.chosen.items()):
                path, sha256 = fetch_file(one.file, self.client, self.locations.cache), one.file.sha256
                if not path.endswith(".whl"):
                    path = inner.wheel(path, sha256, name, one.version)
                    sha256 = digest_of_file(path)
                paths[sha256] = path
                distributions.append(
                    Distribution(name=name, version=one.version, sha256=sha256, wheel=built_name(path), index="")
                )
            ready = fill_store(
                distributions,
                lambda one: paths[one.sha256],
                Store(join(self.locations.cache, "building")),
                work,
                self.facts,
                host=self.host,
                progress=lambda _phase: None,
            )
        except UshError as error:
            raise BuildFailed(
                f"{project} cannot be built: a build requirement is unavailable: {error.message}",
                next_step=error.next_step,
            ) from error
        tree = join(work, f"environment-{uuid.uuid4().hex[:8]}")
        held = Contents(
            name="build",
            identity=str(uuid.uuid4()),
            interpreter=self.facts.real_executable,
            python=self.facts.full_version,
            made_seconds=now_seconds(),
            distributions=tuple(distributions),
        )
        make_edition(tree, tree, held, self.facts, ready, host=self.host)
        return Layout(prefix=tree, short_version=self.facts.short_version)

    def _workshop(self, project: str, work: Place) -> Workshop:
        log = join(self.locations.cache, "logs", f"build-{project}.log")
        os.makedirs(os.path.dirname(log), exist_ok=True)
        return Workshop(folder=work, log=log, host=self.host, progress=self.progress)


def _checked(wheel: Place, project: NormalizedName, work: Place) -> Place:
    """Return a wheel that a backend made, seen to be whole before it is kept; raises BuildFailed."""
    name = os.path.basename(wheel)
    if os.path.islink(wheel):
        raise BuildFailed(f"{name} was built as a link; a file is needed")
    opened = join(work, f"opened-{uuid.uuid4().hex[:8]}")
    try:
        unpack_wheel(wheel, opened, project)
    except UshError as error:
        raise BuildFailed(f"the wheel built from {project} is invalid: {error.message}", where=name) from error
    finally:
        remove_tree(opened)
    return wheel


def _is_whole(wheel: str) -> bool:
    told = read_file(wheel + DIGEST)
    return told is not None and os.path.isfile(wheel) and told[0] == digest_of_file(wheel).encode("ascii")


def built_name(path: str) -> FileName:
    """Return the file name of a wheel that a backend made; raises BuildFailed for what is none."""
    name = parse_file_name(os.path.basename(path))
    if name is None:
        raise BuildFailed(f"{os.path.basename(path)!r} was built, which is not the name of a wheel")
    return name


def built_before(one: Distribution, locations: Locations) -> str | None:
    """Return the path of a wheel that was built here and is kept, or None."""
    top = FileCache(locations.cache).built(one.source_sha256) if one.source_sha256 else ""
    for kind in os.listdir(top) if top and os.path.isdir(top) else ():
        path = join(top, kind, one.wheel)
        if os.path.isfile(path) and digest_of_file(path) == one.sha256:
            return path
    return None


class _Hooks(Struct, frozen=True):
    """Calls the hooks of a tree's backend, each in a process of its own."""

    recipe: BuildRecipe
    tree: Place
    environment: Layout
    shop: Workshop

    def call(self, hook: str, arguments: Sequence[object]) -> object:
        """Return a hook's answer, None where the backend has no such hook; raises BuildFailed."""
        answer = join(self.shop.folder, f"answer-{uuid.uuid4().hex[:8]}")
        program = str(Path(__file__).with_name("call_build_hook.py"))
        folders = to_json_text(list(self.recipe.backend_folders))
        argv = (
            *(self.environment.python, "-s", "-B", program, self.recipe.backend, folders, hook, answer),
            to_json_text(list(arguments)),
        )
        self.shop.run(hook.replace("_", " "), argv, self.tree, first_on_path=self.environment.scripts)
        with open(answer, encoding="utf-8") as file:
            said = from_json_text(file.read())
        if not isinstance(said, dict):
            raise BuildFailed(f"the hook {hook} gave no answer")
        return said.get("result")

    def texts(self, hook: str, settings: dict[str, str]) -> list[str]:
        """Return a hook's answer that is a list of texts; an absent hook answers with none."""
        said = self.call(hook, [settings])
        if said is not None and not (isinstance(said, list) and all(isinstance(one, str) for one in said)):
            raise BuildFailed(f"the hook {hook} answered {said!r}, not a list of requirements")
        return said or []


class _Work:
    """A folder for a build, gone with it; those that killed builds left are swept first."""

    def __init__(self, locations: Locations) -> None:
        self._top = join(locations.cache, "building", "work")
        self._place = join(self._top, uuid.uuid4().hex)
        self._stack = contextlib.ExitStack()

    def __enter__(self) -> Place:
        os.makedirs(self._top, exist_ok=True)
        for name in os.listdir(self._top):
            place = join(self._top, name)
            if not name.endswith(LOCK) and not is_held(place + LOCK):
                remove_tree(place)
        self._stack.enter_context(present(self._place + LOCK))
        os.mkdir(self._place)
        return self._place

    def __exit__(self, *_: object) -> None:
        remove_tree(self._place)
        self._stack.close()
