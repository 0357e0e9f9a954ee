"""Running a suite's trial: its commands with one process and with several, within their limits, and what came of it."""

import os
from collections.abc import Callable, Iterator

from msgspec import Struct

from unified_shell.core.catalogs.description import Trial, TrialCommand
from unified_shell.core.errors import CouldNot, Refused
from unified_shell.core.expectations.expected_files import difference, file_trouble
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.machine.processes.processes import Ran, run_logged
from unified_shell.core.machine.processes.usage import UsageSampler
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.shells.sessions.path_faults import first_on
from unified_shell.core.suites.managed_suites import ManagedSuite
from unified_shell.core.suites.suite_offers import session_variables

from .trial_data import fill_folder

__all__ = ["RunFigures", "TrialRun", "run_trial"]

LOG = "trial.log"
ENDED = "and was ended"


class RunFigures(Struct, frozen=True, kw_only=True):
    """What one run of all commands took: `processes` were asked for; the most that were seen at once, with their threads."""

    processes: int
    elapsed_seconds: float
    cpu_seconds: float
    most_memory_bytes: int
    seen_processes: int
    seen_threads: int


class TrialRun(Struct, frozen=True, kw_only=True):
    """What came of a trial: the folder with its results, what each run took, and what was found."""

    folder: Place
    runs: tuple[RunFigures, ...]
    findings: tuple[Finding, ...]


class _LimitReached(Exception):
    """A trial took more memory or disk than its description allows."""


class _Trying(Struct, frozen=True, kw_only=True):
    """One trial that is under way."""

    suite: ManagedSuite
    trial: Trial
    host: Host
    sample: Place | None
    progress: Callable[[str], None]

    @property
    def commands(self) -> tuple[TrialCommand, ...]:
        """The commands for this system."""
        system = self.host.platform.split("-")[0]
        return tuple(one for one in self.trial.commands if one.system in ("", system))

    def process_counts(self, processes: int) -> tuple[int, ...]:
        """Return with how many processes it runs: one, and several where something of it can be told how many."""
        texts = [word for one in self.commands for word in one.words] + [value for _, value in self.trial.variables]
        several = processes or self.trial.processes
        return (1, several) if several > 1 and any("{processes}" in text for text in texts) else (1,)

    def run_all(self, count: int, place: Place) -> list[Ran]:
        """Run the commands up to the first that goes wrong."""
        ran: list[Ran] = []
        try:
            for command in self.commands:
                one = self._run(command, count, place)
                ran.append(one)
                if one.returncode not in command.exit_codes:
                    break
        except KeyboardInterrupt:
            # No process is left by now; what was made stays, and says of itself that it is not whole.
            with open(join(place, LOG), "a", encoding="utf-8") as log:
                log.write("\nInterrupted: these results are unfinished.\n")
            self.progress(f"unfinished results: {shown(place, self.host.home)}")
            raise
        return ran

    def _run(self, command: TrialCommand, count: int, place: Place) -> Ran:
        given = {"{processes}": str(count), "{prefix}": self.suite.prefix, "{home}": self.host.home}
        argv = [_filled(word, given) for word in command.words]
        variables = session_variables(self.suite.offered, self.host)
        variables |= {name: _filled(value, given) for name, value in self.trial.variables}
        program = first_on(variables.get("PATH", "").split(os.pathsep), argv[0]) or argv[0]
        folder = join(place, self.trial.folder)
        title = f"{' '.join(argv)}, {_counted(count)}"
        self.progress(title)
        with open(join(place, LOG), "ab") as log:
            log.write(f"$ {' '.join(argv)}\n".encode("utf-8", "surrogateescape"))
        try:
            return run_logged(
                (program, *argv[1:]),
                environment=variables,
                timeout_seconds=self.trial.limit_seconds,
                directory=folder,
                log=join(place, LOG),
                on_wait=lambda seconds, said, usage: self._watch(title, place, seconds, said, usage),
                given=join(folder, command.input) if command.input else os.devnull,
                output=join(folder, command.output) if command.output else "",
            )
        except FileNotFoundError as error:
            return Ran(returncode=None, not_started=f"{error.filename} does not exist")
        except _LimitReached as error:
            return Ran(returncode=None, not_started=str(error))

    def _watch(self, title: str, place: Place, seconds: float, said: bytes, usage: UsageSampler) -> None:
        trial = self.trial
        last = said.decode("utf-8", "replace").strip().rpartition("\n")[2][-80:]
        expected = f" of about {trial.expected_seconds} s" if trial.expected_seconds else ""
        self.progress(f"{title}, {seconds:.0f} s{expected}{': ' if last else ''}{last}")
        if trial.limit_memory_bytes and usage.most_memory_bytes > trial.limit_memory_bytes:
            raise _LimitReached(f"took more than {shown_size(trial.limit_memory_bytes)} of memory, {ENDED}")
        if trial.limit_disk_bytes and _size_of(place) > trial.limit_disk_bytes:
            raise _LimitReached(f"wrote more than {shown_size(trial.limit_disk_bytes)}, {ENDED}")

    def judged(self, place: Place, count: int, ran: list[Ran]) -> Iterator[Finding]:
        """Judge how the commands ended, and what they made."""
        subject = f"suite {self.suite.name}, {_counted(count)}"
        log = Command(words=("less", join(place, LOG)))
        pairs = zip(ran, self.commands, strict=False)
        wrong = next(((one, command) for one, command in pairs if one.returncode not in command.exit_codes), None)
        answer, cause = _ended(*wrong) if wrong is not None else ("yes", Cause.UNKNOWN)
        yield Finding(
            subject=subject,
            question="its commands end well",
            verdict=Verdict.FAULT if wrong else Verdict.PASSED,
            answer=answer,
            cause=cause,
            remedy=log if wrong else "",
            elapsed_seconds=sum(one.elapsed_seconds for one in ran),
        )
        folder = join(place, self.trial.folder)
        for expected in self.trial.makes if not wrong else ():
            trouble, left = file_trouble(expected, folder)
            verdict = Verdict.FAULT if trouble else Verdict.NOT_TRIED if left else Verdict.PASSED
            yield Finding(
                subject=subject,
                question=f"makes {expected.file} as described",
                verdict=verdict,
                answer=trouble or left or shown(join(folder, expected.file)),
                cause=Cause.FILE_DIFFERS if trouble else Cause.UNKNOWN,
                remedy=log if trouble else "",
            )

    def compared(self, serial: Place, parallel: Place, count: int) -> Iterator[Finding]:
        """Judge whether one process and several made the same."""
        for expected in self.trial.makes:
            ours, theirs = (join(place, self.trial.folder, expected.file) for place in (serial, parallel))
            unlike = difference(expected, ours, theirs)
            yield Finding(
                subject=f"suite {self.suite.name}",
                question=f"{expected.file} is the same of 1 process and of {count}",
                verdict=Verdict.FAULT if unlike else Verdict.PASSED,
                answer=unlike or "yes",
                cause=Cause.FILE_DIFFERS if unlike else Cause.UNKNOWN,
                remedy=Command(words=("diff", ours, theirs)) if unlike else "",
            )


def run_trial(
    suite: ManagedSuite,
    folder: Place,
    host: Host,
    *,
    sample: Place | None = None,
    processes: int = 0,
    progress: Callable[[str], None] = lambda _phase: None,
) -> TrialRun:
    """Run a suite's trial in a new folder, and where it can use several processes, once more with them; the results of both
    must be the same.

    Raises CouldNot for a suite without a trial, Refused where the folder is there already.
    """
    trial = suite.description.trial
    trying = _Trying(suite=suite, trial=trial or Trial(), host=host, sample=sample, progress=progress)
    if not trying.commands:
        raise CouldNot(f"{suite.name} describes no trial", next_step=ush("verify", f"suite:{suite.name}"))
    if os.path.lexists(folder):
        raise Refused(f"{folder} is there already", next_step=ush("suite", "try", suite.name, "--into", "OTHER"))
    counts = trying.process_counts(processes)
    findings: list[Finding] = []
    runs: list[RunFigures] = []
    for count in counts:
        place = folder if count == counts[0] else join(folder, f"processes-{count}")
        fill_folder(suite, sample, place, host)
        ran = trying.run_all(count, place)
        runs.append(_figures(count, ran))
        findings += trying.judged(place, count, ran)
        if any(one.is_fault for one in findings):
            break
    else:
        if len(counts) > 1:
            findings += trying.compared(folder, join(folder, f"processes-{counts[1]}"), counts[1])
    return TrialRun(folder=folder, runs=tuple(runs), findings=tuple(findings))


def _ended(ran: Ran, command: TrialCommand) -> tuple[str, Cause]:
    answer = f"{command.words[0]}: {ran.trouble or f'ended with exit code {ran.returncode}'}"
    limited = ran.timed_out or ran.not_started.endswith(ENDED)
    return answer, Cause.LIMIT_EXCEEDED if limited else Cause.FAILS_AT_START


def _filled(word: str, given: dict[str, str]) -> str:
    for name, value in given.items():
        word = word.replace(name, value)
    return word


def _size_of(folder: str) -> int:
    return sum(
        os.lstat(join(place, name)).st_size
        for place, _, names in os.walk(folder)
        for name in names
        if os.path.lexists(join(place, name))
    )


def _figures(count: int, ran: list[Ran]) -> RunFigures:
    return RunFigures(
        processes=count,
        elapsed_seconds=sum(one.elapsed_seconds for one in ran),
        cpu_seconds=sum(one.cpu_seconds for one in ran),
        most_memory_bytes=max([one.most_memory_bytes for one in ran], default=0),
        seen_processes=max([one.most_processes for one in ran], default=0),
        seen_threads=max([one.most_threads for one in ran], default=0),
    )


def _counted(count: int) -> str:
    return f"{count} process{'es' if count > 1 else ''}"
