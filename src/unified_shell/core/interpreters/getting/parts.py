"""The optional parts of CPython: what each needs to be built, and the system's package that brings that.

Established by hiding each package alone and building again; `configure` and `make` answer 0 with a dozen of
them missing.
"""

from collections.abc import Iterable, Sequence

from msgspec import Struct

from unified_shell.core.errors import UnknownName
from unified_shell.core.installation.prerequisites import missing_pieces
from unified_shell.core.machine.host import Host
from unified_shell.core.next_steps import ush

__all__ = ["PARTS", "Missing", "Part", "missing_parts", "parts_named", "remedy_for"]


class Part(Struct, frozen=True, kw_only=True):
    """One part: the C modules that tell whether it is there, the headers and libraries it is built from.

    `package` brings those on Debian; `ready_package` brings the part itself for the system's own Python,
    where it is split off.
    """

    name: str
    modules: tuple[str, ...]
    headers: tuple[str, ...]
    libraries: tuple[str, ...]
    package: str
    ready_package: str = ""


PARTS = (
    Part(
        name="TLS",
        modules=("_ssl", "_hashlib"),
        headers=("openssl/ssl.h",),
        libraries=("ssl", "crypto"),
        package="libssl-dev",
    ),
    Part(
        name="SQLite",
        modules=("_sqlite3",),
        headers=("sqlite3.h",),
        libraries=("sqlite3",),
        package="libsqlite3-dev",
    ),
    Part(name="ctypes", modules=("_ctypes",), headers=("ffi.h",), libraries=("ffi",), package="libffi-dev"),
    Part(name="zlib", modules=("zlib",), headers=("zlib.h",), libraries=("z",), package="zlib1g-dev"),
    Part(name="bzip2", modules=("_bz2",), headers=("bzlib.h",), libraries=("bz2",), package="libbz2-dev"),
    Part(name="xz", modules=("_lzma",), headers=("lzma.h",), libraries=("lzma",), package="liblzma-dev"),
    Part(
        name="Tk",
        modules=("_tkinter",),
        headers=("tcl.h", "tk.h"),
        libraries=("tk8.6", "tcl8.6"),
        package="tk8.6-dev",
        ready_package="python3-tk",
    ),
    Part(
        name="readline",
        modules=("readline",),
        headers=("readline/readline.h",),
        libraries=("readline",),
        package="libreadline-dev",
    ),
    Part(
        name="curses",
        modules=("_curses", "_curses_panel"),
        headers=("ncurses.h", "panel.h"),
        libraries=("ncursesw", "panelw"),
        package="libncurses-dev",
    ),
    Part(name="uuid", modules=("_uuid",), headers=("uuid/uuid.h",), libraries=("uuid",), package="uuid-dev"),
    Part(
        name="gdbm",
        modules=("_gdbm",),
        headers=("gdbm.h",),
        libraries=("gdbm",),
        package="libgdbm-dev",
        ready_package="python3-gdbm",
    ),
)


def remedy_for(part: str, *, is_system: bool, version: str) -> str:
    """Return what brings a part to an interpreter that lacks it: for the system's own one, or for a built one."""
    known = next((one for one in PARTS if one.name == part), None)
    if part == "headers":
        return f"apt-get install python{version}-dev" if is_system else "build it again from its source"
    if known is None:
        return ""
    if is_system:
        return f"apt-get install {known.ready_package}" if known.ready_package else ""
    return f"apt-get install {known.package}, then build it again"


def parts_named(names: Iterable[str]) -> tuple[Part, ...]:
    """Return the parts of these names, whatever their case; raises UnknownName."""
    known = {one.name.lower(): one for one in PARTS}
    found = []
    for name in names:
        if name.lower() not in known:
            raise UnknownName(
                "part", name, [one.name for one in PARTS], next_step=ush("interpreter", "get", "--help")
            )
        found.append(known[name.lower()])
    return tuple(found)


class Missing(Struct, frozen=True, kw_only=True):
    """A part that cannot be built: the headers and libraries that are not there, the package that brings them."""

    part: str
    pieces: tuple[str, ...]
    package: str


def missing_parts(parts: Sequence[Part], host: Host) -> tuple[Missing, ...]:
    """Return the parts that the compiler and linker of this machine cannot build."""
    headers = tuple(dict.fromkeys(header for one in parts for header in one.headers))
    libraries = tuple(dict.fromkeys(library for one in parts for library in one.libraries))
    gone = set(missing_pieces(headers, libraries, host))
    found = []
    for one in parts:
        pieces = [
            *(h for h in one.headers if h in gone),
            *(f"-l{name}" for name in one.libraries if f"-l{name}" in gone),
        ]
        if pieces:
            found.append(Missing(part=one.name, pieces=tuple(pieces), package=one.package))
    return tuple(found)
