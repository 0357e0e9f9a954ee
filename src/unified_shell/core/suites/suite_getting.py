"""Bringing a suite: its archive fetched and compared, unpacked, patched, built, made relocatable, placed and checked."""

import os
import re
import shutil
from collections.abc import Callable

from msgspec import Struct

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.catalogs.description import Archive, FormKind
from unified_shell.core.changes.executor import PlanMoved
from unified_shell.core.changes.plan import Prepared
from unified_shell.core.changes.steps import PlaceTree
from unified_shell.core.errors import BuildFailed, CouldNot, HashDiffers
from unified_shell.core.findings import Finding
from unified_shell.core.installation.prerequisites import COMPILERS
from unified_shell.core.installation.relocation import check_libraries, relocate_tree
from unified_shell.core.installation.workplaces import passing_workplace
from unified_shell.core.installation.workshop import Workshop, build_by_commands, last_of_log
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.presence import hold
from unified_shell.core.machine.processes.system_packages import search_line
from unified_shell.core.next_steps import Command
from unified_shell.core.transfers.addresses import shown_address
from unified_shell.core.transfers.fetching import Fetcher

from .managed_suites import ORIGIN_FILE, ManagedSuite, suite_place, suite_text
from .suite_checks import check_suite
from .suite_origins import SuiteOrigin

__all__ = ["SuiteGetting"]


class SuiteGetting(Struct, frozen=True, kw_only=True):
    """One suite on its way."""

    origin: SuiteOrigin
    host: Host
    locations: Locations
    fetcher: Fetcher
    progress: Callable[[str], None]
    # Those that a person chose for this build, by language.
    compilers: tuple[tuple[str, str], ...] = ()

    @property
    def target(self) -> Place:
        """Where it will stand."""
        return suite_place(self.locations, self.origin.name)

    @property
    def log(self) -> Place:
        """Where what a build says is kept."""
        return join(self.locations.cache, "logs", f"build-{self.origin.name}.log")

    def prepare(self, staging: Place) -> Prepared:
        """Make the tree in staging; returns the step that places it, and the checks of its description."""
        # Of two that get the same at once, the second waits: a build takes all there is of the machine.
        lock = join(self.locations.data, "locks", f"get-suite-{self.origin.name}.lock")
        release = hold(lock, lambda: self.progress(f"waiting for another ush that installs {self.origin.name}"))
        try:
            if os.path.lexists(self.target):
                raise PlanMoved
            path = self._archive(self.origin.form.archive, self.origin.file)
            placed = join(staging, "tree")
            with passing_workplace(staging) as work:
                self._make(path, work, placed)
            kept = self._write_origin(placed)
        finally:
            release()

        def verify() -> tuple[Finding, ...]:
            return check_suite(kept, self.host)

        return Prepared(steps=(PlaceTree(staged=placed, target=self.target),), verify=verify)

    def _archive(self, archive: Archive, given: str) -> str:
        """Return the file of an archive, which has the hash and size that were promised."""
        path = given or join(self.locations.cache, "archives", self.origin.name, archive.file_name)
        if not given and not (os.path.isfile(path) and digest_of_file(path) == archive.sha256):
            self.progress(f"fetch {archive.file_name}")
            self.fetcher.download(archive.url, path, sha256=archive.sha256, size_bytes=archive.size_bytes or -1)
        if digest_of_file(path) != archive.sha256:
            raise HashDiffers(f"{archive.file_name} is not what was promised", next_step="fetch it again")
        if archive.size_bytes and os.path.getsize(path) != archive.size_bytes:
            raise CouldNot(
                f"{archive.file_name} has {os.path.getsize(path)} bytes; {archive.size_bytes} were promised",
                where=shown_address(archive.url),
                next_step="tell the author of its description",
            )
        return path

    def _make(self, path: str, work: Place, placed: Place) -> None:
        """Make the tree at `placed`: as it was unpacked, or built from that; all in it leads to where it will stand."""
        form, unpacked = self.origin.form, join(work, "unpacked")
        self.progress("unpack")
        unpack_archive(path, unpacked)
        source = join(unpacked, form.root) if form.root else root_of(unpacked)
        if not os.path.isdir(source):
            raise CouldNot(f"{form.archive.file_name} has no folder {form.root}", next_step="correct its description")
        os.makedirs(os.path.dirname(self.log), exist_ok=True)
        workshop = Workshop(
            folder=work,
            log=self.log,
            host=self.host,
            progress=self.progress,
            limit_seconds=form.limit_seconds,
            expected_seconds=form.expected_seconds,
            variables=tuple(
                (variable, program) for language, program in self.compilers for variable in COMPILERS[language][0]
            ),
        )
        for number, patch in enumerate(form.patches):
            file = self._archive(patch, "")
            workshop.run(f"patch {number + 1}", ("patch", "-p1", "--batch", "-i", file), source)
        if form.kind is FormKind.BINARY and not form.build:
            shutil.move(source, placed)
            return
        old = self._built(source, workshop)
        if not os.path.isdir(workshop.prefix):
            raise CouldNot(
                f"the build of {self.origin.description.name} put nothing into its prefix; nothing was changed",
                next_step=Command(words=("less", self.log)),
            )
        # Away from where it was built: what still finds its libraries there would seem to find its own.
        shutil.move(workshop.prefix, placed)
        self._relocate(placed, old)

    def _built(self, source: str, workshop: Workshop) -> str:
        """Build it; a failure that a conditional need mends names that need."""
        try:
            return build_by_commands(self.origin.form.build, source, workshop)
        except BuildFailed as error:
            said = last_of_log(self.log)
            for one in self.origin.description.needs.conditional:
                if re.search(one.failure, said, re.MULTILINE):
                    line = one.line or search_line(one.need.split()[-1], self.host)
                    raise BuildFailed(
                        f"{error.message}\nIt needs {one.need}, which mends this", next_step=line or error.next_step
                    ) from error
            raise

    def _relocate(self, tree: str, old: str) -> None:
        self.progress("make it relocatable")
        moved = relocate_tree(tree, old, self.target, finds_itself=False)
        faults = moved.stuck or check_libraries(tree, old)
        if faults:
            raise CouldNot(
                f"it is not relocatable: {faults[0]} holds {old}; nothing was changed",
                next_step=Command(words=("less", self.log)),
            )

    def _write_origin(self, tree: Place) -> ManagedSuite:
        form = self.origin.form
        kept = ManagedSuite(
            name=self.origin.name,
            prefix=self.target,
            form=form.kind.value,
            origin=self.origin.file or shown_address(form.archive.url),
            sha256=form.archive.sha256,
            description=self.origin.description,
            made_seconds=now_seconds(),
        )
        with open(join(tree, ORIGIN_FILE), "x", encoding="ascii") as file:
            file.write(suite_text(kept))
        return kept
