"""PATH in a new session of a shell, entry by entry: what it gives, what it hides, and who put it there."""

import os
from collections.abc import Callable, Sequence
from functools import cache

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, inside, join
from unified_shell.core.machine.programs.executables import FileKind, read_executable
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.search_path_rules import rule_of
from unified_shell.core.shells.sessions.path_faults import FaultKind, commands_in, find_faults
from unified_shell.core.shells.sessions.sessions import open_session

from .tracing import TracedEntry, trace_path

__all__ = ["EntryReport", "PathReport", "report_path"]

# Enough to say what a directory is for, without opening all of a large one.
SAMPLED = 12


class EntryReport(Struct, frozen=True, kw_only=True):
    """One entry. `hides` are commands of later entries that it stands before, `hidden` its own that earlier
    ones stand before; `source` is who put it there: a file, `the wiring`, or `inherited`.
    """

    position: int
    directory: Place
    exists: bool
    commands: int
    hides: tuple[str, ...]
    hidden: tuple[str, ...]
    source: str
    file: Place
    line: int
    fault: str


class PathReport(Struct, frozen=True, kw_only=True):
    """The whole of PATH in a new session. `lost`: it changed again where no trace saw it."""

    shell: str
    mode: Mode
    entries: tuple[EntryReport, ...]
    lost: bool
    trouble: str


def report_path(dialect: Dialect, mode: Mode, host: Host, locations: Locations, variable: str = "PATH") -> PathReport:
    """Open a new session, trace it, and report on its PATH, or on another search path, whose entries offer no commands."""
    session = open_session(dialect, mode, host)
    if session.trouble:
        return PathReport(shell=dialect.name, mode=mode, entries=(), lost=False, trouble=session.trouble)
    trace = trace_path(dialect, mode, host, session.search_path(variable), variable)
    if variable == "PATH":
        entries = _entries(trace.entries, host, locations)
    else:
        entries = _of_another(trace.entries, variable, locations)
    return PathReport(shell=dialect.name, mode=mode, entries=entries, lost=trace.lost, trouble=trace.trouble)


def _entries(traced: Sequence[TracedEntry], host: Host, locations: Locations) -> tuple[EntryReport, ...]:
    directories = [one.directory for one in traced]
    # One directory is often reached by two names, such as /bin and /usr/bin, and holds thousands.
    offered = cache(commands_in)
    offers = [offered(os.path.realpath(one)) if os.path.isabs(one) else () for one in directories]
    faults = {one.position: one.kind for one in find_faults(directories)}
    first: dict[str, int] = {}
    for at, names in enumerate(offers):
        for name in names:
            first.setdefault(name, at)
    real = _real_files(directories)
    found = []
    for at, one in enumerate(traced):
        again = one.directory in directories[:at]
        hidden = () if again else tuple(name for name in offers[at] if first[name] != at)
        later = {name for after, names in enumerate(offers) if after > at for name in names}
        hides = () if again else tuple(name for name in offers[at] if first[name] == at and name in later)
        # The same directory by two names, such as /bin and /usr/bin, hides nothing of its own.
        same = {real(one.directory, name) for name in hidden[:200]}
        true_hidden = tuple(name for name in hidden[:200] if real(directories[first[name]], name) not in same)
        found.append(
            EntryReport(
                position=at + 1,
                directory=one.directory,
                exists=os.path.isdir(one.directory),
                commands=len(offers[at]),
                hides=_truly(hides, at, directories, offers, real),
                hidden=true_hidden,
                source=_source(one, locations),
                file=one.file,
                line=one.line,
                fault=_fault(faults.get(at + 1), one.directory, offers[at], host),
            )
        )
    return tuple(found)


def _of_another(traced: Sequence[TracedEntry], variable: str, locations: Locations) -> tuple[EntryReport, ...]:
    has_default = rule_of(variable).default is not None
    faults = {
        one.position: one.kind.value
        for one in find_faults([one.directory for one in traced])
        if not (has_default and one.kind is FaultKind.EMPTY)
    }
    return tuple(
        EntryReport(
            position=position,
            directory=one.directory,
            exists=os.path.isdir(one.directory),
            commands=0,
            hides=(),
            hidden=(),
            source=_source(one, locations),
            file=one.file,
            line=one.line,
            fault=faults.get(position, ""),
        )
        for position, one in enumerate(traced, 1)
    )


def _real_files(directories: Sequence[str]) -> Callable[[str, str], str]:
    """Return what says which file a name in one of these directories is: links above it are followed once for all names."""
    tops = {one: os.path.realpath(one) for one in directories}

    def real(directory: str, name: str) -> str:
        place = join(tops[directory], name)
        return os.path.realpath(place) if os.path.islink(place) else place

    return real


def _truly(
    names: Sequence[str],
    at: int,
    directories: Sequence[str],
    offers: Sequence[tuple[str, ...]],
    real: Callable[[str, str], str],
) -> tuple[str, ...]:
    """Return those names whose later candidate is another file."""
    found = []
    for name in names[:200]:
        other = next(one for after, one in enumerate(directories) if after > at and name in offers[after])
        if real(directories[at], name) != real(other, name):
            found.append(name)
    return tuple(found)


def _source(one: TracedEntry, locations: Locations) -> str:
    if not one.file:
        return "inherited"
    return "the wiring" if inside(one.file, join(locations.data, "wiring")) else "startup file"


def _fault(kind: FaultKind | None, directory: str, names: Sequence[str], host: Host) -> str:
    if kind is not None:
        return kind.value
    for name in names[:SAMPLED]:
        facts = read_executable(join(directory, name))
        if facts.kind is FileKind.ELF and facts.architecture not in (host.architecture, "i386", "arm"):
            return f"{name} was made for {facts.architecture}"
    return ""
