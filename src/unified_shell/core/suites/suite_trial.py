"""A suite's trial: its example commands on a copy of its sample data, one process and several, and what they make."""

import os
import shutil
from collections.abc import Callable, Iterator

from msgspec import Struct

from unified_shell.core.errors import CouldNot, Refused
from unified_shell.core.expectations.expected_files import file_trouble
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.sessions.path_faults import first_on

from .managed_suites import ManagedSuite
from .suite_checks import suite_variables

__all__ = ["TrialRun", "run_trial"]


class TrialRun(Struct, frozen=True, kw_only=True):
    """What came of a trial: the folder with its results, how long each run took, and what was found."""

    folder: Place
    seconds: tuple[tuple[int, float], ...]
    findings: tuple[Finding, ...]


def run_trial(
    suite: ManagedSuite,
    folder: Place,
    host: Host,
    *,
    processes: int = 0,
    progress: Callable[[str], None] = lambda _phase: None,
) -> TrialRun:
    """Run a suite's trial in a new folder, and where its commands name `{processes}`, once more with several; the results
    of both must be the same.

    Raises CouldNot for a suite without a trial, Refused where the folder is there already.
    """
    trial = suite.description.trial
    if trial is None or not trial.commands:
        raise CouldNot(f"{suite.name} describes no trial", next_step=ush("verify", f"suite:{suite.name}"))
    if os.path.lexists(folder):
        raise Refused(f"{folder} is there already", next_step=ush("suite", "try", suite.name, "--into", "OTHER"))
    several = processes or trial.processes
    is_parallel = several > 1 and any("{processes}" in word for words in trial.commands for word in words)
    counts = (1, several) if is_parallel else (1,)
    findings: list[Finding] = []
    seconds: list[tuple[int, float]] = []
    for count in counts:
        place = folder if count == 1 else join(folder, f"processes-{count}")
        _copy_data(suite, place)
        ran: list[Ran] = []
        for words in trial.commands:
            progress(f"{' '.join(words)}, {count} process{'es' if count > 1 else ''}")
            ran.append(_run(words, count, suite, place, host))
        seconds.append((count, sum(one.elapsed_seconds for one in ran)))
        findings += _judged(suite, place, count, ran)
        if any(one.is_fault for one in findings):
            break
    else:
        if is_parallel:
            findings += _compared(suite, folder, join(folder, f"processes-{several}"), several)
    return TrialRun(folder=folder, seconds=tuple(seconds), findings=tuple(findings))


def _copy_data(suite: ManagedSuite, place: Place) -> None:
    trial = suite.description.trial
    if trial is None or not trial.data:
        os.makedirs(place, exist_ok=True)
        return
    source = join(suite.prefix, trial.data)
    if not os.path.isdir(source):
        raise CouldNot(f"the sample data of {suite.name} is gone: {source}", next_step=ush("undo"))
    shutil.copytree(source, join(place, trial.place) if trial.place else place, dirs_exist_ok=True)


def _run(words: tuple[str, ...], count: int, suite: ManagedSuite, place: Place, host: Host) -> Ran:
    trial = suite.description.trial
    limit = trial.limit_seconds if trial is not None else 0
    argv = [word.replace("{processes}", str(count)).replace("{prefix}", suite.prefix) for word in words]
    variables = suite_variables(suite.description, suite.prefix, host)
    program = first_on(variables.get("PATH", "").split(os.pathsep), argv[0]) or argv[0]
    ran = run_program(
        (program, *argv[1:]),
        environment=variables,
        timeout_seconds=limit,
        directory=place,
        with_descendants=True,
    )
    with open(join(place, "trial.log"), "ab") as log:
        log.write(f"$ {' '.join(argv)}\n".encode("utf-8", "surrogateescape") + ran.output + ran.errors)
    return ran


def _judged(suite: ManagedSuite, place: Place, count: int, ran: list[Ran]) -> Iterator[Finding]:
    trial = suite.description.trial
    subject = f"suite {suite.name}, {count} process{'es' if count > 1 else ''}"
    log = f"less {shown(join(place, 'trial.log'))}"
    wrong = next((one for one in ran if one.returncode != 0), None)
    yield Finding(
        subject=subject,
        question="its commands end well",
        verdict=Verdict.FAULT if wrong else Verdict.PASSED,
        answer=wrong.trouble if wrong else "yes",
        cause=(Cause.LIMIT_EXCEEDED if wrong.timed_out else Cause.FAILS_AT_START) if wrong else Cause.UNKNOWN,
        remedy=log if wrong else "",
        elapsed_seconds=sum(one.elapsed_seconds for one in ran),
    )
    for expected in trial.makes if trial is not None and not wrong else ():
        trouble, left = file_trouble(expected, place)
        verdict = Verdict.FAULT if trouble else Verdict.NOT_TRIED if left else Verdict.PASSED
        yield Finding(
            subject=subject,
            question=f"makes {expected.file} as described",
            verdict=verdict,
            answer=trouble or left or shown(join(place, expected.file)),
            cause=Cause.FILE_DIFFERS if trouble else Cause.UNKNOWN,
            remedy=log if trouble else "",
        )


def _compared(suite: ManagedSuite, serial: Place, parallel: Place, count: int) -> Iterator[Finding]:
    trial = suite.description.trial
    for expected in trial.makes if trial is not None else ():
        same = digest_of_file(join(serial, expected.file)) == digest_of_file(join(parallel, expected.file))
        yield Finding(
            subject=f"suite {suite.name}",
            question=f"{expected.file} is the same of 1 process and of {count}",
            verdict=Verdict.PASSED if same else Verdict.FAULT,
            answer="yes" if same else f"{join(parallel, expected.file)} differs",
            cause=Cause.UNKNOWN if same else Cause.FILE_DIFFERS,
            remedy="" if same else f"diff {join(serial, expected.file)} {join(parallel, expected.file)}",
        )
