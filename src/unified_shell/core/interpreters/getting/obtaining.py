"""Getting an interpreter: from an archive or folder, ready or a source, freed and proved in its own place."""

import os
import shutil
from collections.abc import Callable
from contextlib import AbstractContextManager

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.catalogs.description import Archive
from unified_shell.core.changes.executor import PlanMoved
from unified_shell.core.changes.plan import Change, Plan, Prepared
from unified_shell.core.changes.steps import PlaceTree, PutRecord, Step
from unified_shell.core.errors import CouldNot, HashDiffers
from unified_shell.core.findings import Finding
from unified_shell.core.installation.prerequisites import check_tools
from unified_shell.core.installation.relocation import check_libraries, relocate_tree
from unified_shell.core.installation.workplaces import (
    build_key,
    kept_workplace,
    mark_done,
    passing_workplace,
    was_done,
)
from unified_shell.core.installation.workshop import Workshop, build_by_commands, build_variables
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.managed import ORIGIN_FILE, ManagedInterpreter, managed_place, origin_text
from unified_shell.core.interpreters.other_languages import language_named, said_version
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.common_dirs import SHARED_PREFIXES
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.disks import read_disk, shown_size
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.machine.processes.presence import hold
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.fetching import Fetcher

from .archive_detection import PACKED_FILE, Content, DetectedContent, detect_content
from .building import BuildOptions, build
from .described_checks import run_described
from .origins import KNOWN_TABLE, Origin, known_archives_file
from .proofs import prove, prove_parts

__all__ = ["Getting", "needed_bytes"]


class Getting(Struct, frozen=True, kw_only=True):
    """One interpreter on its way: what it comes from, its name, and what is chosen for a build."""

    origin: Origin
    name: str
    request: BuildOptions
    host: Host
    locations: Locations
    fetcher: Fetcher
    progress: Callable[[str], None]

    @property
    def target(self) -> Place:
        """Where it will stand."""
        return managed_place(self.locations, self.name)

    @property
    def log(self) -> Place:
        """Where what a build says is kept."""
        return join(self.locations.cache, "logs", f"build-{self.name}.log")

    def change(self, plan: Plan, more_steps: tuple[Step, ...] = ()) -> Change:
        """Return the change that brings it."""

        def prepare(staging: Place) -> Prepared:
            # Of two that get the same at once, the second waits: a build takes all there is of the machine.
            lock = join(self.locations.data, "locks", f"get-{self.name}.lock")
            release = hold(lock, lambda: self.progress(f"waiting for another ush that installs {self.name}"))
            try:
                if os.path.lexists(self.target):
                    raise PlanMoved
                tree, kept, records = self._prepare(staging)
            except BaseException:
                release()
                raise

            def verify() -> tuple[Finding, ...]:
                release()
                return self._proofs(kept)

            steps = (PlaceTree(staged=tree, target=self.target), *records, *more_steps)
            return Prepared(steps=steps, verify=verify)

        return Change(plan=plan, prepare=prepare)

    def _proofs(self, kept: ManagedInterpreter) -> tuple[Finding, ...]:
        proofs = prove(kept, self.host)
        if not any(one.is_fault for one in proofs):
            proofs += prove_parts(kept, self.request.wanted, self.host)
        described = self.origin.description
        if described is None or any(one.is_fault for one in proofs):
            return proofs
        return (*proofs, *run_described(described.checks, kept, self.host))

    def _prepare(self, staging: Place) -> tuple[Place, ManagedInterpreter, tuple[Step, ...]]:
        path, digest, records = ("", "", ()) if self.origin.folder else self._archive()
        with self._workplace(digest, staging) as work:
            source = self._source(path, work)
            told = self.origin.description.offers.interpreter if self.origin.description else ""
            form = self.origin.form
            if form is not None and form.build:
                tree, found, old = self._build_described(source, told, work)
            else:
                found = detect_content(source, self.host, executable=told)
                copied_from = (self.origin.folder,) if self.origin.folder else ()
                tree, old = source, tuple(dict.fromkeys((*copied_from, *found.built_for)))
                if found.content is Content.SOURCE:
                    tree, found, old = self._build(source, found, work)
            placed = join(staging, "tree")
            shutil.move(tree, placed)
        self._relocate(placed, old, found.language)
        kept = self._write_origin(placed, found, digest, old)
        return placed, kept, records

    def _workplace(self, digest: str, staging: Place) -> AbstractContextManager[Place]:
        """Return where to work: for a build from a known archive by its own makefiles, one where it can go on."""
        form = self.origin.form
        if not digest or not self.origin.source_language or (form is not None and (form.build or form.patches)):
            return passing_workplace(staging)
        told = build_variables(self.host, Place(""))
        key = build_key(digest, self.target, self.request.options, self.host.architecture, sorted(told.items()))
        return kept_workplace(key, staging, self.locations, self.progress)

    def _source(self, path: str, work: Place) -> str:
        """Return the unpacked tree; one that an interrupted build left whole is taken as it is."""
        target = join(work, "unpacked")
        if self.origin.folder:
            self.progress("copy")
            shutil.copytree(self.origin.folder, target, symlinks=True)
            return target
        form = self.origin.form
        if not was_done(work, "unpack"):
            remove_tree(target)
            self.progress("unpack")
            unpack_archive(path, target)
        root = join(target, form.root) if form is not None and form.root else root_of(target)
        if was_done(work, "unpack"):
            return root
        for number, patch in enumerate(form.patches if form is not None else ()):
            self._patch(patch, root, join(work, f"patch-{number}"))
        mark_done(work, "unpack")
        return root

    def _archive(self) -> tuple[str, str, tuple[Step, ...]]:
        """Return the archive, its SHA-256, and the step that records one seen for the first time."""
        path, records = self._fetched()
        digest = digest_of_file(path)
        if self.origin.sha256 and digest != self.origin.sha256:
            raise HashDiffers(
                f"{os.path.basename(path)} is not what was promised: its SHA-256 is {digest[:16]}…, promised was"
                f" {self.origin.sha256[:16]}…",
                next_step="fetch it again",
            )
        if self.origin.size_bytes and os.path.getsize(path) != self.origin.size_bytes:
            raise CouldNot(
                f"{os.path.basename(path)} has {os.path.getsize(path)} bytes; {self.origin.size_bytes} were promised",
                where=self.origin.address,
                next_step="tell the author of its description",
            )
        return path, digest, records

    def _fetched(self) -> tuple[str, tuple[Step, ...]]:
        if self.origin.file:
            return self.origin.file, ()
        name = os.path.basename(self.origin.address.split("?")[0]) or "archive"
        path = join(self.locations.cache, "archives", self.name, name)
        if not (self.origin.sha256 and os.path.isfile(path) and digest_of_file(path) == self.origin.sha256):
            self.progress(f"fetch {name}")
            self.fetcher.download(
                self.origin.address, path, sha256=self.origin.sha256, size_bytes=self.origin.size_bytes or -1
            )
        if self.origin.sha256:
            return path, ()
        value = to_json_text({"sha256": digest_of_file(path)})
        keys = (KNOWN_TABLE, self.origin.address)
        return path, (PutRecord(path=known_archives_file(self.locations), keys=keys, before="", after=value),)

    def _patch(self, patch: Archive, tree: str, target: str) -> None:
        check_tools(("patch",), self.host)
        self.fetcher.download(patch.url, target, sha256=patch.sha256, size_bytes=patch.size_bytes or -1)
        self._workshop(Place(os.path.dirname(target))).run(
            f"patch {patch.file_name}", ("patch", "-p1", "--batch", "-i", target), tree
        )

    def _build(
        self, source: str, found: DetectedContent, work: Place
    ) -> tuple[str, DetectedContent, tuple[str, ...]]:
        workshop = self._workshop(work)
        old = build(found.language, source, self.target, self.request, workshop)
        made = detect_content(workshop.prefix, self.host)
        return workshop.prefix, _as_source(made, found.version), (old,)

    def _build_described(self, source: str, told: str, work: Place) -> tuple[str, DetectedContent, tuple[str, ...]]:
        workshop = self._workshop(work)
        form, description = self.origin.form, self.origin.description
        if form is None or description is None:
            raise CouldNot("there is no description of how to build it")
        old = build_by_commands(form.build, source, workshop)
        made = detect_content(workshop.prefix, self.host, executable=told)
        return workshop.prefix, _as_source(made, description.version), (old,)

    def _workshop(self, work: Place) -> Workshop:
        os.makedirs(os.path.dirname(self.log), exist_ok=True)
        return Workshop(folder=work, log=self.log, host=self.host, progress=self.progress)

    def _relocate(self, tree: Place, built_for: tuple[str, ...], language: str) -> None:
        for old in built_for:
            self.progress("make it relocatable")
            if old != self.target:
                moved = relocate_tree(tree, old, self.target, finds_itself=language == "python")
                if moved.stuck and language != "python":
                    raise CouldNot(
                        f"it is not relocatable: {moved.stuck[0]} has its place compiled in, {old},"
                        f" and {self.target} is longer; nothing was changed",
                        next_step=(
                            "build it from its source, or adopt it in place:",
                            ush("interpreter", "adopt", "PATH"),
                        ),
                    )
            # A place that others share holds the system's own libraries as well.
            faults = check_libraries(tree, old) if old not in SHARED_PREFIXES else ()
            if faults:
                raise CouldNot(
                    f"it is not relocatable: {faults[0]}; nothing was changed",
                    next_step=(
                        "build it from its source, or adopt it in place:",
                        ush("interpreter", "adopt", "PATH"),
                    ),
                )

    def _said_version(self, found: DetectedContent, tree: Place) -> str:
        """Let a ready-built interpreter say its version, still in staging; raises CouldNot where it does not start."""
        executable = join(tree, found.executable)
        if found.language == "python":
            return probe(executable, self.host).full_version
        version, trouble = said_version(language_named(found.language), executable, self.host)
        if not version:
            raise CouldNot(f"{found.executable} of it does not start: {trouble}; nothing was changed")
        return version

    def _write_origin(
        self, tree: Place, found: DetectedContent, digest: str, old: tuple[str, ...]
    ) -> ManagedInterpreter:
        version = found.version or self._said_version(found, tree)
        kept = ManagedInterpreter(
            name=self.name,
            language=found.language,
            version=version,
            prefix=self.target,
            executable=join(self.target, found.executable),
            form="directory" if self.origin.folder else found.content.value,
            origin=self.origin.shown,
            sha256=digest,
            built_for=tuple(one for one in old if one != self.target),
            options=self.request.options,
            made_seconds=now_seconds(),
        )
        with open(join(tree, ORIGIN_FILE), "w", encoding="ascii") as file:
            file.write(origin_text(kept))
        packed = join(tree, PACKED_FILE)
        if os.path.exists(packed):
            os.unlink(packed)
        return kept


def needed_bytes(origin: Origin, locations: Locations) -> int:
    """Return how much disk it takes; raises CouldNot where there is less, before anything is done."""
    described = origin.description.needs.disk_bytes if origin.description else 0
    language = find_language(origin.source_language)
    build = language.source.build_bytes if language is not None and language.source is not None else 0
    need = max(described, origin.tree_bytes, origin.size_bytes * 4) + build
    free = read_disk(locations.data).free_bytes
    if need > free:
        raise CouldNot(
            f"needs about {shown_size(need)}; only {shown_size(free)} free",
            where=locations.data,
            next_step="free some disk space, or set USH_HOME to another disk",
        )
    return need


def _as_source(made: DetectedContent, version: str) -> DetectedContent:
    return replace(made, content=Content.SOURCE, version=version)
