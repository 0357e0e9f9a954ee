"""What of an environment's files is not as its distributions recorded it: edited, put in place of, or gone.

Source: "Recording installed projects": RECORD, which is the last file of a distribution to be written. A file of the
recorded size that is no younger than it is as it was; of a younger one the content counts.
"""

import base64
import hashlib
import os
from collections.abc import Iterator, Sequence

from msgspec import Struct

from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.distributions.record import RecordRow, parse_record
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import join

__all__ = ["AlteredFile", "altered_files", "altered_text", "edited_and_lost"]

# Made anew by the interpreter when it is not there; and what others than its distribution write.
NOT_JUDGED = (".pyc", "/RECORD", "/INSTALLER", "/REQUESTED")
MOST_NAMED = 3


class AlteredFile(Struct, frozen=True, kw_only=True):
    """A recorded file that is another one than was recorded, or gone; `path` is relative to the environment."""

    project: str
    path: str
    is_gone: bool = False


def altered_files(environment: Environment, *, thorough: bool = False) -> tuple[AlteredFile, ...]:
    """Return the recorded files of an environment that are not as recorded; with `thorough` every content is compared."""
    found: list[AlteredFile] = []
    if environment.contents.is_python:
        infos = dict(_info_folders(environment))
        for project, info in infos.items():
            found += _altered(project, info, environment, thorough=thorough)
        site = environment.layout.site_packages_name
        found += [
            AlteredFile(project=one.name, path=f"{site}/{one.name}, all of it", is_gone=True)
            for one in environment.contents.distributions
            if one.name not in infos
        ]
    return tuple(found)


def edited_and_lost(files: Sequence[AlteredFile]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return the paths of the edited ones, and of those that are gone."""
    return (
        tuple(one.path for one in files if not one.is_gone),
        tuple(one.path for one in files if one.is_gone),
    )


def altered_text(files: Sequence[AlteredFile]) -> str:
    """Return the files in words, edited ones apart from those that are gone."""
    parts = []
    for word, paths in (
        ("edited", [one.path for one in files if not one.is_gone]),
        ("gone", [one.path for one in files if one.is_gone]),
    ):
        more = f" and {len(paths) - MOST_NAMED} more" if len(paths) > MOST_NAMED else ""
        if paths:
            parts.append(f"{word}: {', '.join(paths[:MOST_NAMED])}{more}")
    return "; ".join(parts)


def _info_folders(environment: Environment) -> Iterator[tuple[str, str]]:
    """Yield each distribution's project and the folder that holds what is recorded of it."""
    site = environment.layout.site_packages
    for folder in sorted(os.listdir(site)) if os.path.isdir(site) else ():
        if folder.endswith(".dist-info"):
            yield canonicalize_name(folder.removesuffix(".dist-info").rsplit("-", 1)[0]), folder


def _altered(project: str, info: str, environment: Environment, *, thorough: bool) -> Iterator[AlteredFile]:
    site, prefix = environment.layout.site_packages, environment.prefix
    place = join(site, info, "RECORD")
    read = read_file(place)
    if read is None:
        yield AlteredFile(project=project, path=os.path.relpath(place, prefix), is_gone=True)
        return
    try:
        rows = parse_record(read[0], info)
    except UshError:
        yield AlteredFile(project=project, path=os.path.relpath(place, prefix))
        return
    written = os.lstat(place).st_mtime_ns
    for row in rows:
        if row.path.endswith(NOT_JUDGED):
            continue
        file = f"{site}/{row.path}"
        try:
            facts = os.stat(file)
        except OSError:
            yield AlteredFile(project=project, path=os.path.relpath(file, prefix), is_gone=True)
            continue
        other_size = row.size_bytes >= 0 and facts.st_size != row.size_bytes
        doubtful = thorough or facts.st_mtime_ns > written
        lost_bit = row.path.startswith("../../../bin/") and not facts.st_mode & 0o111 and _is_script(file)
        if other_size or lost_bit or (doubtful and row.digest and not _has_digest(file, row)):
            yield AlteredFile(project=project, path=os.path.relpath(file, prefix))


def _is_script(file: str) -> bool:
    with open(file, "rb") as opened:
        return opened.read(2) == b"#!"


def _has_digest(file: str, row: RecordRow) -> bool:
    algorithm, _, value = row.digest.partition("=")
    if algorithm not in ("sha256", "sha384", "sha512"):
        return True
    try:
        with open(file, "rb") as opened:
            raw = hashlib.file_digest(opened, algorithm).digest()
    except OSError:
        return False
    return base64.urlsafe_b64encode(raw).decode("ascii").rstrip("=") == value.rstrip("=")
