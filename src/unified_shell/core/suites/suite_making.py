"""Making a suite's tree from its archive: unpacked, patched, built, and made to stand where it will be."""

import os
import re
import shutil
from collections.abc import Callable

from msgspec import Struct

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.catalogs.description import Description, Form, FormKind
from unified_shell.core.errors import BuildFailed, CouldNot
from unified_shell.core.installation.prerequisites import COMPILERS
from unified_shell.core.installation.relocation import check_libraries, relocate_tree
from unified_shell.core.installation.workplaces import mark_done, was_done
from unified_shell.core.installation.workshop import Workshop, build_by_commands, last_of_log
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.system_packages import search_line
from unified_shell.core.next_steps import Command

__all__ = ["SuiteMaking"]

UNPACKED = "unpacked"


class SuiteMaking(Struct, frozen=True, kw_only=True):
    """One form of a suite, being made."""

    described: Description
    form: Form
    target: Place
    log: Place
    host: Host
    progress: Callable[[str], None]
    compilers: tuple[tuple[str, str], ...] = ()

    def make(self, archive: str, patches: tuple[str, ...], work: Place, placed: Place) -> None:
        """Make the tree at `placed`, in the workplace `work`; all in it leads to where it will stand.

        Raises CouldNot for an archive that lacks its root, and where it cannot be made relocatable; BuildFailed with the
        decisive lines, and the conditional need that mends it.
        """
        form = self.form
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
        source = self._source(archive, patches, workshop)
        if form.kind is FormKind.BINARY and not form.build:
            shutil.move(source, placed)
        else:
            old = self._built(source, workshop)
            if not os.path.isdir(workshop.prefix):
                raise CouldNot(
                    f"the build of {self.described.name} put nothing into its prefix; nothing was changed",
                    next_step=self._read_log,
                )
            # Away from where it was built: what still finds its libraries there would seem to find its own.
            shutil.move(workshop.prefix, placed)
            self._relocate(placed, old)
        for name in form.executable:
            _make_executable(join(placed, name))

    @property
    def _read_log(self) -> Command:
        return Command(words=("less", self.log))

    def _source(self, archive: str, patches: tuple[str, ...], workshop: Workshop) -> str:
        """Return the folder of what was unpacked and patched, now or in a build that was interrupted."""
        work, form = workshop.folder, self.form
        unpacked = join(work, "source")
        if was_done(work, UNPACKED):
            self.progress("go on with the build that was interrupted")
        else:
            remove_tree(unpacked)
            self.progress("unpack")
            unpack_archive(archive, unpacked)
        source = join(unpacked, form.root) if form.root else root_of(unpacked)
        if not os.path.isdir(source):
            raise CouldNot(f"{form.archive.file_name} has no folder {form.root}", next_step="correct its description")
        if not was_done(work, UNPACKED):
            for number, file in enumerate(patches, 1):
                workshop.run(f"patch {number}", ("patch", "-p1", "--batch", "-i", file), source)
            mark_done(work, UNPACKED)
        return source

    def _built(self, source: str, workshop: Workshop) -> str:
        try:
            if not was_done(workshop.folder, "cleaned"):
                build_by_commands(self.form.clean, source, workshop, of="cleaning")
                mark_done(workshop.folder, "cleaned")
            return build_by_commands(self.form.build, source, workshop)
        except BuildFailed as error:
            said = last_of_log(self.log)
            for one in self.described.needs.conditional:
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
                f"it is not relocatable: {faults[0]} holds {old}; nothing was changed", next_step=self._read_log
            )


def _make_executable(path: str) -> None:
    if not os.path.isfile(path):
        raise CouldNot(f"there is no {path}, which is to be executable", next_step="correct its description")
    os.chmod(path, os.stat(path).st_mode | 0o111)
