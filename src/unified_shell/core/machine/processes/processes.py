"""Starting programs: without a shell, in a session of their own, with a time limit that holds."""

import contextlib
import errno
import os
import select
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.files.reading_at import read_at
from unified_shell.core.machine.interrupts import holding_interrupts, raise_if_interrupted
from unified_shell.core.machine.programs.executables import FileKind, read_executable

from .descendants import end_marked, ending_with_us, marked
from .ending import end_group, waiting_for_end
from .logged_pipe import LoggedPipe
from .usage import UsageSampler

__all__ = [
    "BackgroundProgram",
    "Ran",
    "run_attached",
    "run_logged",
    "run_program",
]

# Held in memory; no answer that is asked for is larger.
OUTPUT_LIMIT_BYTES = 4_000_000
# A service writes its state before it ends; one that does not end by then is killed.
END_SECONDS = 5.0
# Nobody asks for so much; a program that goes on to print would fill the disk.
FLOOD_BYTES = 256_000_000
# How soon an interrupt is seen while waiting: it must seem at once.
ASK_SECONDS = 0.1


class Ran(Struct, frozen=True, kw_only=True):
    """How a program ended. `returncode` is None where it did not start, ran out of time, or was ended because it `floods`:
    it printed more than anybody asks for. The processor's seconds, and the most processes, threads and bytes of memory that
    were seen at once, are known of what was run with a log.
    """

    returncode: int | None
    output: bytes = b""
    errors: bytes = b""
    timed_out: bool = False
    floods: bool = False
    not_started: str = ""
    elapsed_seconds: float = 0.0
    cpu_seconds: float = 0.0
    most_processes: int = 0
    most_threads: int = 0
    most_memory_bytes: int = 0

    @property
    def starts(self) -> bool:
        """Tell whether the program was found, loaded and ended by itself.

        Any exit code counts but 126 and 127 (a shell's words for not executable and not found), death by
        a signal, and an error of the loader.
        """
        code = self.returncode
        return code is not None and code >= 0 and code not in (126, 127) and not self._loader_failed()

    def _loader_failed(self) -> bool:
        return b"error while loading shared libraries" in self.errors or (
            self.returncode == 1 and b"version `GLIBC" in self.errors
        )

    @property
    def trouble(self) -> str:
        """Say in one line why it does not count as started or went wrong; empty where it ended with 0."""
        if self.not_started:
            return self.not_started
        if self.floods:
            return f"printed more than {FLOOD_BYTES // 1_000_000} MB, and was ended"
        if self.timed_out:
            return f"did not end within {self.elapsed_seconds:.0f} s"
        if self.returncode is not None and self.returncode < 0:
            return f"was ended by {_signal_name(-self.returncode)}"
        if self.returncode == 0:
            return ""
        last = self.errors.decode("utf-8", "replace").strip().splitlines()
        return last[-1] if last else f"ended with exit code {self.returncode}"


@holding_interrupts()
def run_program(
    argv: Sequence[str],
    *,
    environment: Mapping[str, str],
    timeout_seconds: float,
    directory: str = "/",
    given: bytes = b"",
    program: str = "",
    with_descendants: bool = False,
) -> Ran:
    """Run a program to its end and return how it went; never raises for what the program does.

    `program` is the file to start where the first word is another, as in login sessions.

    Output goes through files, so that a child of the program that lives on cannot hold us up; at the time
    limit the whole session is killed, and the program ends with us however we end. `with_descendants`, what it
    started into sessions of their own is ended too.
    """
    began = steady_seconds()
    variables, mark = marked(environment) if with_descendants else (dict(environment), "")
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err, tempfile.TemporaryFile() as into:
        into.write(given)
        into.seek(0)
        try:
            process = subprocess.Popen(
                list(argv),
                executable=program or None,
                stdin=into,
                stdout=out,
                stderr=err,
                env=variables,
                cwd=directory,
                start_new_session=True,
                preexec_fn=ending_with_us(),  # noqa: PLW1509 - one call of the system, made ready before the fork
            )
        except (OSError, ValueError) as error:
            return Ran(returncode=None, not_started=_why_not_started(program or argv[0], error))
        floods = False

        def watch() -> None:
            nonlocal floods
            if sum(os.fstat(one.fileno()).st_size for one in (out, err)) > FLOOD_BYTES:
                floods = True
                end_group(process.pid)

        try:
            code = _wait(process, timeout_seconds, watch)
        finally:
            if mark:
                end_marked(mark)
        return Ran(
            returncode=None if floods else code,
            output=_head(out.fileno()),
            errors=_head(err.fileno()),
            timed_out=code is None and not floods,
            floods=floods,
            elapsed_seconds=steady_seconds() - began,
        )


@holding_interrupts()
def run_logged(
    argv: Sequence[str],
    *,
    environment: Mapping[str, str],
    timeout_seconds: float,
    directory: str,
    log: str,
    on_wait: Callable[[float, bytes, UsageSampler], None],
    given: str = os.devnull,
    output: str = "",
) -> Ran:
    """Run a long program to its end with all that it started; what it says is added to the file `log`, up to a limit, and
    its standard output goes into the file `output` where one is named. The file `given` is its standard input.

    `on_wait` is called about ten times a second with the seconds that have passed, the end of what was said, and what was seen
    running; what it raises ends the program. The answer's `output` is the end of what this program added to the log.
    """
    began, taken = steady_seconds(), _children_seconds()
    variables, mark = marked(environment)
    first = os.path.join(os.path.dirname(__file__), "end_with_parent.py")
    with contextlib.ExitStack() as files:
        log_file = files.enter_context(open(log, "ab"))
        into = files.enter_context(open(given, "rb"))
        out = files.enter_context(open(output, "wb")) if output else None
        # A pipe, not the log itself: a program that opens its error stream anew would cut a file off.
        pipe = files.enter_context(LoggedPipe(log_file))
        process = subprocess.Popen(
            [sys.executable, "-I", "-S", first, *argv],
            stdin=into,
            stdout=out or pipe.descriptor,
            stderr=pipe.descriptor,
            env=variables,
            cwd=directory,
            start_new_session=True,
        )
        usage = files.enter_context(UsageSampler(process.pid))
        try:
            code = _wait(
                process, timeout_seconds, lambda: on_wait(steady_seconds() - began, pipe.last[-2000:], usage)
            )
        finally:
            end_marked(mark)
    return Ran(
        returncode=code,
        output=pipe.last,
        errors=pipe.last[-2000:],
        timed_out=code is None,
        elapsed_seconds=steady_seconds() - began,
        cpu_seconds=_children_seconds() - taken,
        most_processes=usage.most_processes,
        most_threads=usage.most_threads,
        most_memory_bytes=usage.most_memory_bytes,
    )


def _children_seconds() -> float:
    """Return the processor's seconds of all children that have ended."""
    times = os.times()
    return times.children_user + times.children_system


def run_attached(argv: Sequence[str], *, environment: Mapping[str, str], directory: str = "") -> int:
    """Run a program on our own terminal and return its exit code; a shell's code where it did not start."""
    try:
        done = subprocess.run(list(argv), env=dict(environment), cwd=directory or None, check=False)
    except OSError:
        return 127
    return done.returncode if done.returncode >= 0 else 128 - done.returncode


def _wait(
    process: "subprocess.Popen[bytes]", timeout_seconds: float, on_wait: Callable[[], None] | None = None
) -> int | None:
    end = steady_seconds() + timeout_seconds
    try:
        with waiting_for_end(process.pid) as wait:
            while True:
                seconds = min(ASK_SECONDS, max(end - steady_seconds(), 0.001))
                try:
                    return process.wait(wait(seconds))
                except subprocess.TimeoutExpired:
                    raise_if_interrupted()
                    if on_wait is not None:
                        on_wait()
                    if steady_seconds() >= end:
                        return None
    finally:
        # The children that a hanging or daemonising program leaves behind go with its session.
        end_group(process.pid)
        process.wait()


def _head(descriptor: int) -> bytes:
    return read_at(descriptor, OUTPUT_LIMIT_BYTES, 0)


def _signal_name(number: int) -> str:
    try:
        return signal.Signals(number).name
    except ValueError:
        return f"signal {number}"


def _why_not_started(program: str, error: OSError | ValueError) -> str:
    """Say why the system did not start a file; it names the file where it means the file's interpreter."""
    if not isinstance(error, OSError):
        return str(error)
    facts = read_executable(program)
    if error.errno == errno.ENOENT and facts.kind is FileKind.ABSENT:
        return "is a dangling link" if os.path.islink(program) else "is not there"
    if error.errno == errno.ENOENT and facts.interpreter:
        return f"needs {facts.interpreter}, which is not there"
    if error.errno == errno.ENOEXEC:
        return "is an empty file" if facts.kind is FileKind.EMPTY else "is no program for this machine"
    if error.errno == errno.EACCES:
        return "is not executable"
    return (error.strerror or str(error)).lower()


class BackgroundProgram:
    """A program that goes on while a block runs, and is ended with all its children after it."""

    def __init__(
        self, argv: Sequence[str], *, environment: Mapping[str, str], directory: str, is_heard: bool = True
    ) -> None:
        self._argv, self._environment, self._directory = list(argv), dict(environment), directory
        self._is_heard = is_heard
        self._process: subprocess.Popen[bytes] | None = None

    @holding_interrupts()
    def __enter__(self) -> "BackgroundProgram":
        self._process = subprocess.Popen(
            self._argv,
            stdin=subprocess.DEVNULL,
            # What nobody reads would fill the pipe, and hold the program up.
            stdout=subprocess.PIPE if self._is_heard else subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env=self._environment,
            cwd=self._directory,
            start_new_session=True,
            preexec_fn=ending_with_us(),  # noqa: PLW1509 - one call of the system, made ready before the fork
        )
        return self

    @holding_interrupts()
    def __exit__(self, *_: object) -> None:
        if self._process is not None:
            end_group(self._process.pid, signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(END_SECONDS)
            end_group(self._process.pid)
            self._process.wait()
            if self._process.stdout is not None:
                self._process.stdout.close()

    @property
    def has_ended(self) -> bool:
        """Tell whether it ended by itself."""
        return self._process is None or self._process.poll() is not None

    def first_line(self, timeout_seconds: float) -> str:
        """Return the first line that the program writes; raises TimeoutError where none comes."""
        if self._process is None or self._process.stdout is None:
            raise TimeoutError("the program was not started")
        ready, _, _ = select.select([self._process.stdout], [], [], timeout_seconds)
        line = self._process.stdout.readline() if ready else b""
        if not line:
            raise TimeoutError(f"{self._argv[0]} said nothing within {timeout_seconds:.0f} s")
        return line.decode("utf-8", "surrogateescape").rstrip("\n")
