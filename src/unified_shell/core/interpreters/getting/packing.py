"""Packing an interpreter into an archive from which `interpreter get` brings it to another place or machine."""

import os
from collections.abc import Callable

from unified_shell.core.archives.packing import check_archive_name, pack_tree
from unified_shell.core.errors import Refused
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import ORIGIN_FILE, ManagedInterpreter
from unified_shell.core.machine.common_dirs import SHARED_PREFIXES
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.next_steps import ush

from .archive_detection import PACKED_FILE

__all__ = ["pack_interpreter", "pack_managed", "packed_name"]

FORMAT = 1


def packed_name(language: str, version: str, host: Host) -> str:
    """Return what the archive is called where nobody says."""
    return f"{language}-{version}-{host.platform}.tar.gz"


def pack_interpreter(
    facts: InterpreterFacts,
    archive: str,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> tuple[Place, int]:
    """Write the archive and return its place and the number of its members.

    Raises Refused for an environment, and for an interpreter that shares its prefix with others.
    """
    if facts.environment_prefix:
        raise Refused(
            f"{facts.executable} belongs to the environment {facts.environment_prefix}",
            next_step=ush("interpreter", "pack", facts.real_executable),
        )
    prefix = os.path.realpath(facts.base_prefix)
    if facts.externally_managed or prefix in SHARED_PREFIXES:
        raise Refused(
            f"{facts.real_executable} shares {prefix} with the rest of the system, and cannot be packed",
            next_step=("build one of your own:", ush("interpreter", "get", "SOURCE-ARCHIVE")),
        )
    return _pack(prefix, "python", facts.full_version, archive, host=host, locations=locations, progress=progress)


def pack_managed(
    kept: ManagedInterpreter,
    archive: str,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> tuple[Place, int]:
    """Write the archive of an interpreter that `ush` brought, of whichever language, and return its place and members."""
    return _pack(kept.prefix, kept.language, kept.version, archive, host=host, locations=locations, progress=progress)


def _pack(
    prefix: str,
    language: str,
    version: str,
    archive: str,
    *,
    host: Host,
    locations: Locations,
    progress: Callable[[str], None],
) -> tuple[Place, int]:
    check_archive_name(archive)
    target = Place(os.path.normpath(join(host.working_directory, archive)))
    told = {
        "format": FORMAT,
        "prefix": prefix,
        "language": language,
        "version": version,
        "platform": host.platform,
    }
    extra = {PACKED_FILE: to_json_text(told).encode("ascii")}
    if os.path.exists(join(prefix, ORIGIN_FILE)):
        # Where it came from is told anew when it is got; an empty file here is overwritten then.
        extra[ORIGIN_FILE] = b""
    work = join(locations.cache, "packing")
    return target, pack_tree(prefix, f"{language}-{version}", target, extra, work=work, progress=progress)
