"""A suite's trial: what was found, what each run took, the beginning of what it made, and the evidence that is kept."""

from __future__ import annotations

import csv
import os
import time
from typing import TYPE_CHECKING

from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import join, shown
from unified_shell.core.next_steps import Command
from unified_shell.core.shells.sessions.path_faults import first_on

from .plan_view import print_findings
from .reports.trial_plot import plot_table
from .terminal.plain_text import plain_text
from .terminal.tables import heading, print_table
from .verify_view import count_text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.catalogs.description import Trial
    from unified_shell.core.machine.host import Host
    from unified_shell.core.suites.managed_suites import ManagedSuite
    from unified_shell.core.suites.trials.evidence import Evidence
    from unified_shell.core.suites.trials.trial_runs import RunFigures, TrialRun

    from .terminal.screen import Screen

__all__ = ["evidence_rows", "print_evidence", "print_trial"]

# The beginning of a result is enough to see what it is.
MOST_ROWS = 5
# A program is looked at twenty times a second.
LEAST_SEEN_SECONDS = 0.2
# A line of a terminal.
MOST_WIDE = 100
TEXT_HEAD_BYTES = 20_000


def print_trial(screen: Screen, suite: ManagedSuite, run: TrialRun, host: Host) -> None:
    """Write what was found, what each run took, and the beginning of each result that was made."""
    print_findings(screen, run.findings)
    screen.result("")
    screen.result(f"{count_text(run.findings)}.")
    _print_runs(screen, run.runs)
    trial = suite.description.trial
    if trial is not None:
        folder = join(run.folder, trial.folder)
        for expected in trial.makes:
            _print_result(screen, join(folder, expected.file), host.home)
        _print_viewer(screen, trial, folder, host)
    screen.result(f"Results: {shown(run.folder, host.home)}")


def print_evidence(screen: Screen, trials: Sequence[Evidence]) -> None:
    """Write a row a trial that is kept."""
    if not trials:
        return
    heading(screen, "Trials")
    print_table(screen, ("when", "machine", "processes: time", "result"), evidence_rows(trials), indent=2)


def evidence_rows(trials: Sequence[Evidence]) -> list[tuple[str, str, str, str]]:
    """Return a row a trial: when it was run, where, how long it took, what was found."""
    rows = []
    for one in trials:
        when = time.strftime("%Y-%m-%d %H:%M", time.localtime(one.ran_seconds))
        took = ", ".join(f"{run.processes}: {run.elapsed_seconds:.1f} s" for run in one.runs)
        result = "unfinished" if one.interrupted else one.faults[0] if one.faults else f"all {one.passed} passed"
        rows.append((when, one.host_name, took, plain_text(result)))
    return rows


def _print_runs(screen: Screen, runs: Sequence[RunFigures]) -> None:
    if not runs:
        return
    rows = [
        (
            str(one.processes),
            f"{one.elapsed_seconds:.2f} s",
            f"{one.cpu_seconds:.2f} s",
            shown_size(one.most_memory_bytes) if _was_seen(one) else "too short to see",
            f"{_counted(one.seen_processes, 'process', 'es')}, {_counted(one.seen_threads, 'thread', 's')}"
            if _was_seen(one)
            else "too short to see",
        )
        for one in runs
    ]
    print_table(screen, ("asked for", "time", "processor", "memory, at most", "seen at once"), rows, indent=2)


def _was_seen(run: RunFigures) -> bool:
    """Tell whether a run was long enough for a look at it to say something."""
    return run.elapsed_seconds >= LEAST_SEEN_SECONDS and bool(run.seen_processes)


def _counted(count: int, word: str, ending: str) -> str:
    return f"{count} {word}{'' if count == 1 else ending}"


def _print_result(screen: Screen, path: str, home: str) -> None:
    if not os.path.isfile(path):
        return
    if path.endswith((".csv", ".tsv")):
        heading(screen, f"{shown(path, home)}, its first rows:")
        with open(path, newline="", encoding="utf-8", errors="replace") as file:
            rows = [row for _, row in zip(range(MOST_ROWS + 1), csv.reader(file), strict=False)]
        print_table(screen, rows[0] if rows else (), rows[1:], indent=2)
        if picture := plot_table(path):
            screen.result(f"Plot: {shown(picture, home)}")
        return
    with open(path, "rb") as content:
        head = content.read(TEXT_HEAD_BYTES)
    if b"\0" in head:
        return
    heading(screen, f"{shown(path, home)}, its first lines:")
    for line in head.decode("utf-8", "replace").splitlines()[:MOST_ROWS]:
        text = plain_text(line)
        screen.result(f"  {text[:MOST_WIDE]}{'…' if len(text) > MOST_WIDE else ''}")


def _print_viewer(screen: Screen, trial: Trial, folder: str, host: Host) -> None:
    if not trial.viewer:
        return
    if not first_on(host.search_path(), trial.viewer[0]):
        screen.result(f"Its viewer, {trial.viewer[0]}, is not installed; nothing depends on it.")
        return
    files = {one.file for one in trial.makes}
    words = tuple(join(folder, word) if word in files else word for word in trial.viewer)
    screen.next(Command(words=words, why="opens the result"))
