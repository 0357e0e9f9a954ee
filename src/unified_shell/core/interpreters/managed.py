"""Interpreters that `ush` brought: each a tree of its own, with a file at its top that says where it came from."""

import os

from msgspec import Struct
from msgspec.structs import asdict

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations
from unified_shell.core.machine.places import Place, from_json_text, join, lies_in, to_json_text

__all__ = [
    "ORIGIN_FILE",
    "ManagedInterpreter",
    "all_managed",
    "managed_in",
    "managed_place",
    "origin_text",
    "read_managed",
    "trees_it_is_in",
]

ORIGIN_FILE = "unified-shell-origin.json"
FORMAT = 1


class ManagedInterpreter(Struct, frozen=True, kw_only=True):
    """One interpreter: its name here, what it is, its tree, the executable, and what it was made from.

    `form` is `archive`, `source`, `directory` or `packed`; `sha256` is that of the archive, empty for a
    directory; `built_for` are the prefixes that it was freed from; `options` are those that it was built with.
    """

    name: str
    language: str
    version: str
    prefix: Place
    executable: Place
    form: str
    origin: str
    sha256: str
    built_for: tuple[str, ...] = ()
    options: tuple[str, ...] = ()
    made_seconds: float = 0.0


def managed_place(locations: Locations, name: str) -> Place:
    """Return where an interpreter of that name is kept."""
    return join(locations.data, "interpreters", name)


def read_managed(locations: Locations) -> tuple[ManagedInterpreter, ...]:
    """Return the interpreters of a scope, by name; a tree without its file is none."""
    folder = join(locations.data, "interpreters")
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return ()
    return tuple(one for name in names if (one := managed_in(place := join(folder, name), place)) is not None)


def all_managed(host: Host, locations: Locations) -> tuple[ManagedInterpreter, ...]:
    """Return mine, then everyone's."""
    everyone = everyone_locations(host)
    return (*read_managed(locations), *(read_managed(everyone) if everyone.data != locations.data else ()))


def trees_it_is_in(executable: str, locations: Locations) -> tuple[str, ...]:
    """Return the object of the journal that holds an executable, where a change brought it as an interpreter or with a suite:
    what stands on the executable relies on that.
    """
    for kind in ("interpreters", "suites"):
        top = join(locations.data, kind)
        # The home may be a link; the executable's own place is without any.
        real = os.path.realpath(top)
        if lies_in(executable, real):
            name = os.path.relpath(executable, real).split("/")[0]
            return (f"tree {join(top, name)}",)
    return ()


def origin_text(one: ManagedInterpreter) -> str:
    """Return what the file at the top of its tree says; where it is, the tree's own place tells."""
    fields = {key: value for key, value in asdict(one).items() if key not in ("name", "prefix")}
    fields["executable"] = os.path.relpath(one.executable, one.prefix)
    return to_json_text({"format": FORMAT, **fields})


def managed_in(tree: str, prefix: Place) -> ManagedInterpreter | None:
    """Return the interpreter of a tree that is, or will be, at `prefix`; None for a tree without its file."""
    try:
        with open(join(tree, ORIGIN_FILE), encoding="ascii") as file:
            read = from_json_text(file.read(100_000))
    except (OSError, ValueError):
        return None
    if not isinstance(read, dict) or read.get("format") != FORMAT:
        return None
    return ManagedInterpreter(
        name=os.path.basename(prefix),
        language=str(read["language"]),
        version=str(read["version"]),
        prefix=prefix,
        executable=join(prefix, str(read["executable"])),
        form=str(read["form"]),
        origin=str(read["origin"]),
        sha256=str(read["sha256"]),
        built_for=tuple(map(str, read["built_for"])),
        options=tuple(map(str, read["options"])),
        made_seconds=float(read["made_seconds"]),
    )
