"""The suites that `ush` brought: each a tree of its own, with a file at its top that says what it is."""

import contextlib
import os
import re
from collections.abc import Mapping

import msgspec
from msgspec import Struct

from unified_shell.core.catalogs.description import Description
from unified_shell.core.changes.records import read_records
from unified_shell.core.errors import CouldNot, UnknownName
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.places import Place, from_json_text, from_record_text, join, to_json_text
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.planning.script_delta import ScriptDelta

from .suite_offers import Offered, offered_by

__all__ = [
    "NO_PLACE",
    "ORIGIN_FILE",
    "TABLE",
    "ManagedSuite",
    "adopted_file",
    "all_suites",
    "find_newest",
    "find_suite",
    "read_suites",
    "read_tree",
    "suite_place",
    "suite_text",
]

ORIGIN_FILE = "unified-shell-suite.json"
TABLE = "suite"


NO_PLACE = Place("")


class ManagedSuite(Struct, frozen=True, kw_only=True):
    """One suite: its name here (`humscan-1.4`), its tree, how it came, and the description that it was made from. One that
    is `adopted` stays where somebody else put it, and nothing in it is changed.
    """

    name: str
    prefix: Place
    form: str
    origin: str
    sha256: str
    description: Description
    made_seconds: float
    # What its session script was measured to change, where it has one; `sourced` where sessions read the script itself.
    script: ScriptDelta | None = None
    sourced: bool = False
    # A link under which it is known: where its own place holds spaces that it cannot bear, or may be mounted elsewhere.
    link: Place = NO_PLACE
    scope: Scope = Scope.ME
    adopted: bool = False

    @property
    def version(self) -> str:
        """The version that its description names."""
        return self.description.version

    @property
    def interpreter(self) -> Place:
        """The interpreter that it brings; raises CouldNot where it brings none."""
        if not self.description.offers.interpreter:
            raise CouldNot(f"{self.name} brings no interpreter", next_step=ush("interpreter", "list"))
        return join(self.prefix, self.description.offers.interpreter)

    @property
    def offered(self) -> Offered:
        """What it gives a session, by its description and by its script."""
        return offered_by(self.description, self.prefix, self.script)


def suite_place(locations: Locations, name: str) -> Place:
    """Return where a suite of that name is kept."""
    return join(locations.data, "suites", name)


def adopted_file(locations: Locations) -> Place:
    """Return where the suites are kept that were registered in place."""
    return join(locations.data, "suites", "adopted.toml")


def read_suites(locations: Locations) -> tuple[ManagedSuite, ...]:
    """Return the suites of a scope, by name; a tree without its file, or with one that cannot be read, is none."""
    folder = join(locations.data, "suites")
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return ()
    own = [one for name in names if (one := read_tree(join(folder, name), locations)) is not None]
    return tuple(sorted((*own, *_adopted(locations)), key=lambda one: one.name))


def _adopted(locations: Locations) -> list[ManagedSuite]:
    table = read_records(adopted_file(locations)).get(TABLE, {})
    found = []
    for name, value in table.items() if isinstance(table, Mapping) else ():
        place = from_record_text(str(value.get("place", "")))
        with contextlib.suppress(ValueError, msgspec.ValidationError):
            fields = from_json_text(str(value.get("told", "")))
            told = {"name": name, "prefix": place, "scope": locations.scope.value, "adopted": True}
            if isinstance(fields, dict):
                found.append(msgspec.convert({**fields, **told}, ManagedSuite))
    return found


def all_suites(host: Host, locations: Locations) -> tuple[ManagedSuite, ...]:
    """Return mine, then everyone's."""
    everyone = everyone_locations(host)
    return (*read_suites(locations), *(read_suites(everyone) if everyone.data != locations.data else ()))


def find_suite(name: str, host: Host, locations: Locations) -> ManagedSuite:
    """Return a suite by its name here, or by its own name where there is one version of it; raises UnknownName."""
    every = all_suites(host, locations)
    found = [one for one in every if one.name == name] or [one for one in every if one.description.name == name]
    if len(found) != 1:
        known = [one.name for one in every]
        raise UnknownName("suite", name, known, next_step=ush("suite", "list"))
    return found[0]


def find_newest(what: str, host: Host, locations: Locations) -> ManagedSuite:
    """Return the newest version here of the suite that a name with a bound or without one means; raises UnknownName."""
    # Only here: `look` reads the suites too, and starts faster without.
    from packaging.version import Version

    every = all_suites(host, locations)
    name = re.split(r"[<>=!~\s]", what, maxsplit=1)[0]
    found = [one for one in every if one.name == what] or [one for one in every if one.description.name == name]
    if not found:
        raise UnknownName("suite", name, [one.name for one in every], next_step=ush("suite", "list"))
    return max(found, key=lambda one: Version(one.version))


def suite_text(one: ManagedSuite) -> str:
    """Return what the file at the top of its tree says; where it is, the tree's own place tells."""
    fields = msgspec.to_builtins(one)
    del fields["prefix"], fields["scope"], fields["name"], fields["adopted"]
    return to_json_text(fields) + "\n"


def read_tree(tree: Place, locations: Locations) -> ManagedSuite | None:
    """Return the suite that a tree is; None for one without its file, or with one that cannot be read."""
    try:
        content = read_file(join(tree, ORIGIN_FILE))
        fields = from_json_text(content[0]) if content is not None else None
        if not isinstance(fields, dict):
            return None
        prefix = fields.get("link") or tree
        told = {"name": os.path.basename(tree), "prefix": prefix, "scope": locations.scope.value}
        return msgspec.convert({**fields, **told}, ManagedSuite)
    except (OSError, ValueError, msgspec.ValidationError):
        return None
