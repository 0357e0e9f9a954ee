"""What a trial works on: a copy of the suite's own samples, an archive that is fetched apart, small files from its description."""

import os
import shutil
from collections.abc import Callable

from msgspec import Struct

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.catalogs.description import Archive, Trial
from unified_shell.core.errors import CouldNot, HashDiffers, Refused
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.suites.managed_suites import ManagedSuite
from unified_shell.core.transfers.fetching import Fetcher

__all__ = ["SampleSource", "fill_folder"]


class SampleSource(Struct, frozen=True, kw_only=True):
    """How the sample data that a trial fetches apart is had; `file` is the archive where a person has it already."""

    file: str
    host: Host
    locations: Locations
    fetcher: Fetcher
    progress: Callable[[str], None]

    def unpacked(self, suite: ManagedSuite) -> Place | None:
        """Return the folder with the sample of a suite, unpacked; None for a trial without one.

        Raises Refused for one that has to be fetched by hand, HashDiffers for another file.
        """
        trial = suite.description.trial
        if trial is None or trial.sample is None:
            return None
        unpacked = join(self.locations.cache, "samples", trial.sample.sha256[:16])
        done = join(unpacked, "complete")
        if not os.path.exists(done):
            path = self._archive(suite, trial.sample)
            self.progress("unpack the sample data")
            remove_tree(unpacked)
            os.makedirs(unpacked)
            unpack_archive(path, join(unpacked, "all"))
            with open(done, "wb"):
                pass
        return Place(root_of(join(unpacked, "all")))

    def _archive(self, suite: ManagedSuite, archive: Archive) -> str:
        if not self.file and not archive.url:
            raise Refused(
                f"the sample data of {suite.name} must be fetched by hand: {archive.by_hand}",
                next_step=ush("suite", "try", suite.name, "--sample", archive.file_name, why="when the file is here"),
            )
        if self.file:
            path = join(self.host.working_directory, self.file)
            if not os.path.isfile(path):
                raise CouldNot(f"there is no file {self.file!r}", next_step=ush("suite", "try", suite.name))
        else:
            path = join(self.locations.cache, "archives", archive.file_name)
            self.progress(f"fetch {archive.file_name}")
            size = archive.size_bytes or -1
            self.fetcher.download(archive.url, path, sha256=archive.sha256, size_bytes=size)
        if digest_of_file(path) != archive.sha256:
            raise HashDiffers(f"{path} is not the sample data that is described", next_step="fetch it again")
        return path


def _outside_place(trial: Trial, host: Host) -> Place | None:
    """Return where a suite looks for its sample data, if that is a place of its own choice in the person's home."""
    if not trial.place.startswith("{home}/"):
        return None
    return join(host.home, trial.place.removeprefix("{home}/"))


def fill_folder(suite: ManagedSuite, sample: Place | None, folder: Place, host: Host) -> None:
    """Make a folder with all that a trial works on.

    Raises Refused where other content is at the place that the suite expects its sample data at.
    """
    trial = suite.description.trial
    assert trial is not None
    os.makedirs(folder, exist_ok=True)
    outside = _outside_place(trial, host)
    below = folder if outside is not None or not trial.place else join(folder, trial.place)
    if trial.data:
        source = join(suite.prefix, trial.data)
        if not os.path.isdir(source):
            raise CouldNot(f"the sample data of {suite.name} is gone: {source}", next_step=ush("undo"))
        shutil.copytree(source, below, dirs_exist_ok=True)
    if sample is not None and outside is not None:
        _put_outside(suite, sample, outside, host)
    elif sample is not None:
        shutil.copytree(sample, below, dirs_exist_ok=True)
    for name, text in trial.files:
        path = join(folder, name)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "w", encoding="utf-8") as file:
            file.write(text)
    os.makedirs(join(folder, trial.folder), exist_ok=True)


def _put_outside(suite: ManagedSuite, sample: Place, outside: Place, host: Host) -> None:
    if not os.path.lexists(outside):
        shutil.copytree(sample, outside)
        return
    other = _differing(sample, outside)
    if other:
        raise Refused(
            f"{shown(outside, host.home)}, where {suite.name} expects its sample data, holds other content:"
            f" {other} is not that of the sample",
            where=f"the sample is unpacked at {shown(sample, host.home)}",
            next_step=Command(words=("mv", outside, f"{outside}.mine"), why="then try again"),
        )


def _differing(sample: str, there: str) -> str:
    """Return the first file of a sample that is not in a folder, or there with other content."""
    for folder, _, names in os.walk(sample):
        for name in sorted(names):
            ours = join(folder, name)
            relative = os.path.relpath(ours, sample)
            theirs = join(there, relative)
            if not os.path.isfile(theirs) or digest_of_file(theirs) != digest_of_file(ours):
                return relative
    return ""
