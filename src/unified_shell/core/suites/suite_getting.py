"""Bringing a suite: its archive fetched and compared, its tree made, placed and checked."""

import os
import re
from collections.abc import Callable

from msgspec import Struct

from unified_shell.core.catalogs.description import Archive, FormKind
from unified_shell.core.changes.executor import PlanMoved
from unified_shell.core.changes.plan import Prepared
from unified_shell.core.changes.steps import FlipLink, PlaceTree, RetireTree, Step
from unified_shell.core.environments.own_wiring import OwnWiring
from unified_shell.core.errors import CouldNot, HashDiffers, TransferFailed
from unified_shell.core.findings import Finding
from unified_shell.core.installation.workplaces import build_key, kept_workplace, passing_workplace
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.common_dirs import place_without_spaces
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.presence import hold
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import shown_address
from unified_shell.core.transfers.fetching import Fetcher

from .managed_suites import NO_PLACE, ORIGIN_FILE, ManagedSuite, suite_place, suite_text
from .script_checks import measure_in
from .suite_checks import check_suite
from .suite_making import SuiteMaking
from .suite_origins import SuiteOrigin

__all__ = ["SuiteGetting", "staged_tree"]


def staged_tree(staging: Place, name: str) -> Place:
    """Return where in staging a suite is made ready; several may be in one plan."""
    return join(staging, f"suite-{name}")


class SuiteGetting(Struct, frozen=True, kw_only=True):
    """One suite on its way."""

    origin: SuiteOrigin
    host: Host
    locations: Locations
    fetcher: Fetcher
    progress: Callable[[str], None]
    # Those that a person chose for this build, by language.
    compilers: tuple[tuple[str, str], ...] = ()
    # Its session script is read by new sessions, and not written down for every shell.
    sourced: bool = False
    # It is put on the search paths of this environment alone.
    environment: OwnWiring | None = None
    # The folder of a link to it, for what cannot bear the name of its own place.
    place: Place = NO_PLACE
    # It is built anew, from its archive, though it is here.
    rebuild: bool = False

    @property
    def tree(self) -> Place:
        """Where its files will be."""
        return suite_place(self.locations, self.origin.name)

    @property
    def link(self) -> Place:
        """The link under which it will be known, where it cannot bear the spaces in the name of its own place, or where a
        person asked for one; empty where it needs none.
        """
        if self.place:
            return join(self.place, self.origin.name)
        if self.origin.description.needs.place_without_spaces and re.search(r"\s", self.tree):
            found = place_without_spaces(self.host.user_name)
            return join(found, self.origin.name) if found is not None else NO_PLACE
        return NO_PLACE

    @property
    def target(self) -> Place:
        """The place that it is made for: its link, or its own."""
        return self.link or self.tree

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
            if os.path.lexists(self.tree) and not self.rebuild:
                raise PlanMoved
            placed = staged_tree(staging, self.origin.name)
            self._make(staging, placed)
            kept = self._write_origin(placed)
        finally:
            release()

        if kept.script is not None and kept.script.trouble:
            raise CouldNot(
                f"its session script does not come to its end: {kept.script.trouble}; nothing was changed",
                next_step="correct session-script in its description",
            )

        def verify() -> tuple[Finding, ...]:
            return check_suite(kept, self.host)

        place: list[Step] = [PlaceTree(staged=placed, target=self.tree)]
        if os.path.lexists(self.tree):
            retired = join(self.locations.data, "retired", os.path.basename(staging))
            place.insert(0, RetireTree(target=self.tree, retired=retired))
        if self.link:
            there = os.readlink(self.link) if os.path.islink(self.link) else ""
            place += [FlipLink(link=self.link, before=there, after=self.tree)] if there != self.tree else []
        return Prepared(steps=tuple(place), verify=verify)

    def _make(self, staging: Place, placed: Place) -> None:
        """Make the tree at `placed`; a build that was interrupted goes on where it was."""
        form = self.origin.form
        path = self._archive(form.archive, self.origin.file)
        patches = tuple(self._archive(one, "") for one in form.patches)
        making = SuiteMaking(
            described=self.origin.description,
            form=form,
            target=self.target,
            log=self.log,
            host=self.host,
            progress=self.progress,
            compilers=self.compilers,
        )
        if form.kind is FormKind.BINARY:
            with passing_workplace(staging) as work:
                making.make(path, patches, work, placed)
            return
        given = (form.archive.sha256, form.build, form.patches, self.compilers, self.target)
        key = f"{self.origin.name}-{build_key(*given)}"
        # Places that are compiled in can be overwritten by one that is no longer.
        key += "-" * max(len(self.target) - len(join(self.locations.cache, "builds", key, "prefix")), 0)
        if self.rebuild:
            remove_tree(join(self.locations.cache, "builds", key))
        with kept_workplace(key, staging, self.locations, self.progress) as work:
            making.make(path, patches, work, placed)

    def _archive(self, archive: Archive, given: str) -> str:
        """Return the file of an archive, which has the hash and size that were promised."""
        path = given or join(self.locations.cache, "archives", self.origin.name, archive.file_name)
        if not given and not (os.path.isfile(path) and digest_of_file(path) == archive.sha256):
            self.progress(f"fetch {archive.file_name}")
            try:
                self.fetcher.download(archive.url, path, sha256=archive.sha256, size_bytes=archive.size_bytes or -1)
            except TransferFailed as error:
                what = self.origin.description.name
                have = ush(
                    "suite", "get", what, "--archive", archive.file_name, why="when you have the file from elsewhere"
                )
                raise TransferFailed(error.message, where=error.where, next_step=have) from error
        if digest_of_file(path) != archive.sha256:
            raise HashDiffers(f"{archive.file_name} is not what was promised", next_step="fetch it again")
        if archive.size_bytes and os.path.getsize(path) != archive.size_bytes:
            raise CouldNot(
                f"{archive.file_name} has {os.path.getsize(path)} bytes; {archive.size_bytes} were promised",
                where=shown_address(archive.url),
                next_step="tell the author of its description",
            )
        return path

    def _write_origin(self, tree: Place) -> ManagedSuite:
        form = self.origin.form
        if self.origin.description.offers.session_scripts:
            self.progress("read its session script three times")
        kept = ManagedSuite(
            name=self.origin.name,
            prefix=self.target,
            form=form.kind.value,
            origin=self.origin.file or shown_address(form.archive.url),
            sha256=form.archive.sha256,
            description=self.origin.description,
            script=measure_in(self.origin.description.offers.session_scripts, tree, self.target, self.host),
            sourced=self.sourced,
            link=self.link,
            made_seconds=now_seconds(),
        )
        with open(join(tree, ORIGIN_FILE), "x", encoding="ascii") as file:
            file.write(suite_text(kept))
        return kept
