"""Building an interpreter from its source: configure, compile, install into staging, judge by importing.

A build's own exit codes are not believed: with a dozen of its modules missing, CPython's configure and make
answer 0. Everything is built for a prefix in staging and freed from there afterwards, as any other tree is.
"""

import os
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from unified_shell.core.errors import BuildFailed
from unified_shell.core.machine.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes import Ran, run_logged, run_program

from .facts import clean_variables
from .parts import PARTS
from .prerequisites import check_tools, missing_pieces
from .proofs import missing_parts
from .workplaces import mark_done, was_done

__all__ = ["BuildWish", "Workshop", "build", "build_by_commands", "build_variables"]

BUILD_SECONDS = 3 * 3600.0
USEFUL = re.compile(r"error[: ]|fatal|undefined reference|cannot find|no such file|not found|failed", re.IGNORECASE)
USEFUL_LINES = 3
BUILD_VARIABLES = re.compile(
    r"PATH|LANG|TZ|TERM|TMPDIR|USER|LOGNAME|SHELL|SOURCE_DATE_EPOCH|MAKEFLAGS|LD_LIBRARY_PATH|LIBRARY_PATH|CPATH"
    r"|C_INCLUDE_PATH|CPLUS_INCLUDE_PATH|ACLOCAL_PATH|PKG_CONFIG(_\w+)?|CC|CXX|FC|F77|F90|CPP|LD|AR|AS|NM|RANLIB|STRIP"
    r"|[A-Z]*FLAGS|LIBS|OMP_NUM_THREADS|\w+_(ROOT|DIR|HOME|INCLUDE|LIB|LIBRARIES)|SSL_CERT_(FILE|DIR)"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class BuildWish:
    """What a person chose: names of parts to have and to leave out, and the slow, optimised way."""

    wanted: tuple[str, ...] = ()
    unwanted: tuple[str, ...] = ()
    optimised: bool = False

    @property
    def options(self) -> tuple[str, ...]:
        """The same as options of the command, to be kept with what was built."""
        flags = [f"--with {one}" for one in self.wanted] + [f"--without {one}" for one in self.unwanted]
        return (*flags, *(["--optimised"] if self.optimised else []))


@dataclass(frozen=True, slots=True, kw_only=True)
class Workshop:
    """Where and how something is built: a folder without spaces, a log, and who is told of the progress."""

    folder: Place
    log: Place
    host: Host
    progress: Callable[[str], None]

    @property
    def prefix(self) -> Place:
        """What is built is installed here."""
        return join(self.folder, "prefix")

    def run(self, phase: str, argv: Sequence[str], directory: str, *, first_on_path: str = "") -> Ran:
        """Run one phase to its end; raises BuildFailed with its last useful lines."""
        variables = build_variables(self.host, self.folder)
        if first_on_path:
            variables["PATH"] = os.pathsep.join(filter(None, (first_on_path, variables.get("PATH", ""))))
        with open(self.log, "a", encoding="utf-8") as log:
            log.write(f"\n== {phase}: {' '.join(argv)}\n")
        self.progress(phase)
        ran = run_logged(
            argv,
            environment=variables,
            timeout_seconds=BUILD_SECONDS,
            directory=directory,
            log=self.log,
            on_wait=lambda seconds: self.progress(f"{phase}, {_clock(seconds)}"),
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
        return BuildFailed(f"{phase} failed ({why}):\n  {told}\nNothing was changed", next_step=f"less {self.log}")


def build_variables(host: Host, folder: Place) -> dict[str, str]:
    """Return what a build is told of this session: how to compile, and nothing that is a secret.

    Its home is the workshop: what the person's own home holds, passwords among it, is not its business either.
    """
    known = {name: value for name, value in clean_variables(host).items() if BUILD_VARIABLES.fullmatch(name)}
    return {**known, "HOME": folder, "LC_ALL": "C"}


def build(language: str, source: str, target: str, wish: BuildWish, workshop: Workshop) -> str:
    """Build a source tree in the workshop; returns the prefix that the result was made for.

    Its files are in the workshop's `prefix`; it will stand at `target`.
    """
    check_tools(("make",), workshop.host)
    if language == "lua":
        return _build_lua(source, target, workshop)
    return _build_python(source, wish, workshop)


def build_by_commands(commands: Sequence[Sequence[str]], source: str, workshop: Workshop) -> str:
    """Build as a description says: `{prefix}`, `{source}` and `{jobs}` in its words stand for what they say."""
    given = {"prefix": workshop.prefix, "source": source, "jobs": str(os.cpu_count() or 1)}
    for number, words in enumerate(commands, 1):
        argv = [_filled(word, given) for word in words]
        workshop.run(f"step {number} of {len(commands)} ({os.path.basename(argv[0])})", argv, source)
    return workshop.prefix


def _lua_platform(version: str, host: Host) -> str:
    """Return the word for Lua's own makefile: with line editing where its library is there."""
    has_readline = not missing_pieces(("readline/readline.h",), ("readline",), host)
    if tuple(map(int, version.split(".")[:2])) >= (5, 4):
        return "linux-readline" if has_readline else "linux"
    return "linux" if has_readline else "posix"


def _build_python(source: str, wish: BuildWish, workshop: Workshop) -> str:
    folder = join(workshop.folder, "build")
    if was_done(workshop.folder, "configure"):
        workshop.progress("go on with the build that was interrupted")
    else:
        _configure(source, folder, wish, workshop)
    jobs = f"-j{os.cpu_count() or 1}"
    workshop.run("compile", ("make", jobs), folder)
    # What an interrupted installation left is not believed.
    remove_tree(workshop.prefix)
    workshop.run("install", ("make", "install"), folder)
    _judge(wish, workshop)
    return workshop.prefix


def _configure(source: str, folder: str, wish: BuildWish, workshop: Workshop) -> None:
    remove_tree(folder)
    os.mkdir(folder)
    options = ["--enable-optimizations", "--with-lto"] if wish.optimised else []
    configure = ("sh", join(source, "configure"), f"--prefix={workshop.prefix}", "--without-ensurepip", *options)
    ran = workshop.run("configure", configure, folder)
    if not os.path.isfile(join(folder, "Makefile")):
        raise workshop.failed("configure", ran)
    _leave_out(folder, wish.unwanted)
    mark_done(workshop.folder, "configure")


def _leave_out(folder: str, names: Sequence[str]) -> None:
    """Name the modules of unwanted parts in CPython's own list of what is not to be built."""
    unwanted = [module for one in PARTS if one.name in names for module in one.modules]
    if unwanted:
        with open(join(folder, "Modules", "Setup.local"), "a", encoding="ascii") as file:
            file.write("\n*disabled*\n" + "\n".join(unwanted) + "\n")


def _judge(wish: BuildWish, workshop: Workshop) -> None:
    """See by importing that every part that was asked for is there."""
    python = join(workshop.prefix, "bin", "python3")
    gone = missing_parts(python, wish.wanted, workshop.host)
    if gone:
        raise BuildFailed(
            f"it was built, but without {', '.join(gone)}, which was asked for; nothing was changed",
            next_step=f"less {workshop.log}",
        )
    ran = run_program((python, "-I", "-c", "pass"), environment=clean_variables(workshop.host), timeout_seconds=60)
    if ran.returncode != 0:
        raise BuildFailed(f"what was built does not start: {ran.trouble}", next_step=f"less {workshop.log}")


def _build_lua(source: str, target: str, workshop: Workshop) -> str:
    """Lua compiles in where it looks for modules: the place where it will stand, not the one where it is made."""
    header = join(source, "src", "luaconf.h")
    with open(header, encoding="utf-8", errors="surrogateescape") as file:
        text = file.read()
    root = "".join(f"\\{c}" if c in '"\\' else c for c in f"{target}/")
    fresh, count = re.subn(
        r"^#define LUA_ROOT\s.*$", lambda _: f'#define LUA_ROOT\t"{root}"', text, flags=re.MULTILINE
    )
    if not count:
        raise BuildFailed(f"{header} names no place of its modules (LUA_ROOT); nothing was changed")
    with open(header, "w", encoding="utf-8", errors="surrogateescape") as file:
        file.write(fresh)
    version = re.search(r"#define\s+LUA_VERSION_NUM\s+(\d)(\d\d)", _text_of(join(source, "src", "lua.h")))
    told = f"{version[1]}.{int(version[2])}" if version else "5.4"
    jobs = f"-j{os.cpu_count() or 1}"
    workshop.run("compile", ("make", jobs, _lua_platform(told, workshop.host)), source)
    workshop.run("install", ("make", "install", f"INSTALL_TOP={workshop.prefix}"), source)
    return target


def _text_of(path: str) -> str:
    with open(path, encoding="utf-8", errors="replace") as file:
        return file.read()


def _filled(word: str, given: dict[str, str]) -> str:
    for name, value in given.items():
        word = word.replace(f"{{{name}}}", value)
    return word


def _clock(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.1f} min"
