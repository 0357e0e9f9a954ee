"""Building an interpreter from its source: configure, compile, install into staging, judge by importing.

A build's own exit codes are not believed: with a dozen of its modules missing, CPython's configure and make
answer 0. Everything is built for a prefix in staging and freed from there afterwards, as any other tree is.
"""

import os
import re
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.errors import BuildFailed
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.installation.prerequisites import check_tools, missing_pieces
from unified_shell.core.installation.workplaces import mark_done, was_done
from unified_shell.core.installation.workshop import Workshop
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import run_program

from .parts import PARTS
from .proofs import missing_parts

__all__ = ["BuildOptions", "build"]


class BuildOptions(Struct, frozen=True, kw_only=True):
    """What a person chose: names of parts to have and to leave out, and the slow, optimised way."""

    wanted: tuple[str, ...] = ()
    unwanted: tuple[str, ...] = ()
    optimised: bool = False

    @property
    def options(self) -> tuple[str, ...]:
        """The same as options of the command, to be kept with what was built."""
        flags = [f"--with {one}" for one in self.wanted] + [f"--without {one}" for one in self.unwanted]
        return (*flags, *(["--optimised"] if self.optimised else []))


def build(language: str, source: str, target: str, request: BuildOptions, workshop: Workshop) -> str:
    """Build a source tree in the workshop; returns the prefix that the result was made for.

    Its files are in the workshop's `prefix`; it will stand at `target`.
    """
    check_tools(("make",), workshop.host)
    return BUILDERS[language](source, target, request, workshop)


def _lua_platform(version: str, host: Host) -> str:
    """Return the word for Lua's own makefile: with line editing where its library is there."""
    has_readline = not missing_pieces(("readline/readline.h",), ("readline",), host)
    if tuple(map(int, version.split(".")[:2])) >= (5, 4):
        return "linux-readline" if has_readline else "linux"
    return "linux" if has_readline else "posix"


def _build_python(source: str, _target: str, request: BuildOptions, workshop: Workshop) -> str:
    folder = join(workshop.folder, "build")
    if was_done(workshop.folder, "configure"):
        workshop.progress("go on with the build that was interrupted")
    else:
        _configure(source, folder, request, workshop)
    jobs = f"-j{os.cpu_count() or 1}"
    workshop.run("compile", ("make", jobs), folder)
    # What an interrupted installation left is not believed.
    remove_tree(workshop.prefix)
    workshop.run("install", ("make", "install"), folder)
    _judge(request, workshop)
    return workshop.prefix


def _configure(source: str, folder: str, request: BuildOptions, workshop: Workshop) -> None:
    remove_tree(folder)
    os.mkdir(folder)
    options = ["--enable-optimizations", "--with-lto"] if request.optimised else []
    configure = ("sh", join(source, "configure"), f"--prefix={workshop.prefix}", "--without-ensurepip", *options)
    ran = workshop.run("configure", configure, folder)
    if not os.path.isfile(join(folder, "Makefile")):
        raise workshop.failed("configure", ran)
    _leave_out(folder, request.unwanted)
    mark_done(workshop.folder, "configure")


def _leave_out(folder: str, names: Sequence[str]) -> None:
    """Name the modules of unwanted parts in CPython's own list of what is not to be built."""
    unwanted = [module for one in PARTS if one.name in names for module in one.modules]
    if unwanted:
        with open(join(folder, "Modules", "Setup.local"), "a", encoding="ascii") as file:
            file.write("\n*disabled*\n" + "\n".join(unwanted) + "\n")


def _judge(request: BuildOptions, workshop: Workshop) -> None:
    """See by importing that every part that was asked for is there."""
    python = join(workshop.prefix, "bin", "python3")
    gone = missing_parts(python, request.wanted, workshop.host)
    if gone:
        raise BuildFailed(
            f"it was built without {', '.join(gone)}, which was requested; nothing was changed",
            next_step=f"less {workshop.log}",
        )
    ran = run_program((python, "-I", "-c", "pass"), environment=clean_variables(workshop.host), timeout_seconds=60)
    if ran.returncode != 0:
        raise BuildFailed(f"what was built does not start: {ran.trouble}", next_step=f"less {workshop.log}")


def _build_lua(source: str, target: str, _request: BuildOptions, workshop: Workshop) -> str:
    """Lua compiles in where it looks for modules: the place where it will stand, not the one where it is made."""
    header = join(source, "src", "luaconf.h")
    with open(header, encoding="utf-8", errors="surrogateescape") as file:
        text = file.read()
    root = "".join(f"\\{c}" if c in '"\\' else c for c in f"{target}/")
    fresh, count = re.subn(
        r"^#define LUA_ROOT\s.*$", lambda _: f'#define LUA_ROOT\t"{root}"', text, flags=re.MULTILINE
    )
    if not count:
        raise BuildFailed(f"{header} does not define the module directory (LUA_ROOT); nothing was changed")
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


# One for each language of the table that has a `source`.
BUILDERS = {"python": _build_python, "lua": _build_lua}
