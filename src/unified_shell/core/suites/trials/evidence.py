"""What is kept of a suite's trials: when, on what machine, how long each run took, and what was found. It is history, as the
journal is: losing it changes nothing.
"""

import os

import msgspec
from msgspec import Struct

from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.durable import FileMode, read_file, replace_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_json_text, join, to_json_text
from unified_shell.core.suites.managed_suites import ManagedSuite

from .trial_runs import RunFigures, TrialRun

__all__ = ["Evidence", "TrialsOf", "keep_evidence", "read_evidence", "trials_of"]

# Enough to see whether a suite became slower; a file of some kilobytes.
MOST_KEPT = 20


class Evidence(Struct, frozen=True, kw_only=True):
    """One trial: its time, the suite's archive and version, the machine, its runs, and what was wrong, or `interrupted`."""

    ran_seconds: float
    version: str
    sha256: str
    host_name: str
    platform: str
    folder: Place
    runs: tuple[RunFigures, ...] = ()
    passed: int = 0
    faults: tuple[str, ...] = ()
    interrupted: bool = False


class TrialsOf(Struct, frozen=True, kw_only=True):
    """What is kept of a suite's trials, the newest first, and the tables among the files that they make."""

    name: str
    tables: tuple[str, ...]
    kept: tuple[Evidence, ...]


def trials_of(suite: ManagedSuite, locations: Locations) -> TrialsOf:
    """Return what is kept of a suite's trials."""
    trial = suite.description.trial
    files = [join(trial.folder, one.file) for one in trial.makes] if trial is not None else []
    tables = tuple(one for one in files if one.endswith((".csv", ".tsv")))
    return TrialsOf(name=suite.name, tables=tables, kept=read_evidence(suite, locations))


def read_evidence(suite: ManagedSuite, locations: Locations) -> tuple[Evidence, ...]:
    """Return what is kept of a suite's trials, the newest first; a file that cannot be read holds none."""
    content = read_file(_file(suite, locations))
    if content is None:
        return ()
    try:
        fields = from_json_text(content[0])
        return tuple(msgspec.convert(one, Evidence) for one in fields) if isinstance(fields, list) else ()
    except (ValueError, msgspec.ValidationError):
        return ()


def keep_evidence(
    suite: ManagedSuite, run: TrialRun, host: Host, locations: Locations, *, interrupted: bool = False
) -> None:
    """Keep what came of a trial, with those before it."""
    new = Evidence(
        ran_seconds=now_seconds(),
        version=suite.version,
        sha256=suite.sha256,
        host_name=host.host_name,
        platform=host.platform,
        folder=run.folder,
        runs=run.runs,
        passed=sum(not one.is_fault for one in run.findings),
        faults=tuple(f"{one.question}: {one.answer}" for one in run.findings if one.is_fault),
        interrupted=interrupted,
    )
    kept = (new, *read_evidence(suite, locations))[:MOST_KEPT]
    path = _file(suite, locations)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    content = (to_json_text(msgspec.to_builtins(kept)) + "\n").encode("ascii")
    replace_file(path, content, FileMode(bits=0o600), beside=f"{path}.new")


def _file(suite: ManagedSuite, locations: Locations) -> Place:
    return join(locations.data, "trials", f"{suite.name}.json")
