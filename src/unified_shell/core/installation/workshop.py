"""Running the build of something from its source: its folder, its log, what it is told of the session, its faults."""

import os
import re
from collections.abc import Callable, Sequence

from msgspec import Struct

from unified_shell.core.errors import BuildFailed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.processes import Ran, run_logged
from unified_shell.core.machine.processes.usage import UsageSampler
from unified_shell.core.next_steps import Command

from .clean_variables import clean_variables
from .workplaces import mark_done, was_done

__all__ = ["Workshop", "build_by_commands", "build_variables", "last_of_log"]

# Above the slow, optimised build of an interpreter on one core; what takes longer hangs.
BUILD_SECONDS = 3 * 3600.0


USEFUL = re.compile(r"error[: ]|fatal|undefined reference|cannot find|no such file|not found|failed", re.IGNORECASE)


# An error is short; the log, which is named, has all.
USEFUL_LINES = 3


# A failure is decided in what was said last.
LAST_BYTES = 200_000
BUILD_VARIABLES = re.compile(
    r"PATH|LANG|TZ|TERM|TMPDIR|USER|LOGNAME|SHELL|SOURCE_DATE_EPOCH|MAKEFLAGS|LD_LIBRARY_PATH|LIBRARY_PATH|CPATH"
    r"|C_INCLUDE_PATH|CPLUS_INCLUDE_PATH|ACLOCAL_PATH|PKG_CONFIG(_\w+)?|CC|CXX|FC|F77|F90|CPP|LD|AR|AS|NM|RANLIB|STRIP"
    r"|[A-Z]*FLAGS|LIBS|OMP_NUM_THREADS|\w+_(ROOT|DIR|HOME|INCLUDE|LIB|LIBRARIES)|SSL_CERT_(FILE|DIR)"
)


class Workshop(Struct, frozen=True, kw_only=True):
    """Where and how something is built: a folder without spaces, a log, and who is told of the progress."""

    folder: Place
    log: Place
    host: Host
    progress: Callable[[str], None]
    # What one phase may take, and how long all took somebody else; 0 where nothing is said.
    limit_seconds: float = 0.0
    expected_seconds: float = 0.0
    # Given to every phase, as a compiler that was chosen.
    variables: tuple[tuple[str, str], ...] = ()

    @property
    def prefix(self) -> Place:
        """What is built is installed here."""
        return join(self.folder, "prefix")

    def run(self, phase: str, argv: Sequence[str], directory: str, *, first_on_path: str = "") -> Ran:
        """Run one phase to its end; raises BuildFailed with its last useful lines."""
        variables = build_variables(self.host, self.folder) | dict(self.variables)
        if first_on_path:
            variables["PATH"] = os.pathsep.join(filter(None, (first_on_path, variables.get("PATH", ""))))
        with open(self.log, "a", encoding="utf-8") as log:
            log.write(f"\n== {phase}: {' '.join(argv)}\n")
        self.progress(phase)
        expected = (
            f", all of it took about {_clock(self.expected_seconds)} elsewhere" if self.expected_seconds else ""
        )

        def tell(seconds: float, _said: bytes, _usage: UsageSampler) -> None:
            self.progress(f"{phase}, {_clock(seconds)}{expected}")

        ran = run_logged(
            argv,
            environment=variables,
            timeout_seconds=self.limit_seconds or BUILD_SECONDS,
            directory=directory,
            log=self.log,
            on_wait=tell,
        )
        if ran.returncode != 0:
            raise self.failed(phase, ran)
        return ran

    def failed(self, phase: str, ran: Ran) -> BuildFailed:
        """Return the error for a phase that went wrong."""
        lines = ran.output.decode("utf-8", "replace").strip().splitlines()
        useful = [one for one in lines if USEFUL.search(one)] or lines
        told = "\n  ".join(one.strip()[:200] for one in useful[-USEFUL_LINES:])
        why = ran.trouble if ran.not_started or ran.timed_out else f"ended with exit code {ran.returncode}"
        return BuildFailed(
            f"{phase} failed ({why}):\n  {told}\nNothing was changed", next_step=Command(words=("less", self.log))
        )


def build_variables(host: Host, folder: Place) -> dict[str, str]:
    """Return what a build is told of this session: how to compile, and nothing that is a secret.

    Its home is the workshop: what the person's own home holds, passwords among it, is not its business either.
    """
    known = {name: value for name, value in clean_variables(host).items() if BUILD_VARIABLES.fullmatch(name)}
    return {**known, "HOME": folder, "LC_ALL": "C"}


def build_by_commands(commands: Sequence[Sequence[str]], source: str, workshop: Workshop, *, of: str = "step") -> str:
    """Build as a description says: `{prefix}`, `{source}` and `{jobs}` in its words stand for what they say. A command that
    came to its end in a build that was interrupted is not run again.
    """
    given = {"prefix": workshop.prefix, "source": source, "jobs": str(os.cpu_count() or 1)}
    for number, words in enumerate(commands, 1):
        argv = [_filled(word, given) for word in words]
        if was_done(workshop.folder, f"{of}-{number}"):
            continue
        workshop.run(f"{of} {number} of {len(commands)} ({os.path.basename(argv[0])})", argv, source)
        mark_done(workshop.folder, f"{of}-{number}")
    return workshop.prefix


def last_of_log(log: str) -> str:
    """Return the end of what a build said."""
    with open(log, "rb") as file:
        file.seek(max(os.path.getsize(log) - LAST_BYTES, 0))
        return file.read().decode("utf-8", "replace")


def _filled(word: str, given: dict[str, str]) -> str:
    for name, value in given.items():
        word = word.replace(f"{{{name}}}", value)
    return word


def _clock(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.1f} min"
