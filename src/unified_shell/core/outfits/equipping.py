"""An outfit with the machine that it is compared with."""

import os
from collections.abc import Callable

from msgspec import Struct, field
from packaging.markers import Marker

from unified_shell.core.catalogs.address_book import NamedAddress
from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.reading import Listed
from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.adopting import choose_interpreter
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.transfers.addresses import address_of_folder, is_web_address
from unified_shell.core.transfers.fetching import Fetcher

from .outfit import Outfit, WantedInterpreter

__all__ = ["Equipping", "address_of", "named_at"]


class Equipping(Struct, frozen=True, kw_only=True):
    """An outfit that is compared with a machine and carried out. `place` is its file; `client` asks its indexes before those
    that the machine knows, `find` its catalogs likewise.
    """

    outfit: Outfit
    place: Place
    host: Host
    locations: Locations
    client: IndexClient
    fetcher: Fetcher
    find: Callable[[Callable[[Description], bool]], Listed | None]
    accepted: tuple[str, ...] = ()
    progress: Callable[[str], None] = lambda _phase: None
    # What the outfit brought and no longer names is taken away.
    drops_unnamed: bool = False
    # It comes from a pack: what that has is not named for later, and its interpreter is taken where none fits.
    pack: str = ""
    # Pythons by the bounds of their versions: asked once, or not here yet and promised.
    known_facts: dict[str, InterpreterFacts] = field(default_factory=dict)
    # Interpreters of other languages that are not here yet: by language and bounds, the file and the version.
    known_libraries: dict[tuple[str, str], tuple[Place, str]] = field(default_factory=dict)

    @property
    def folder(self) -> Place:
        """The folder of its file, in which relative names begin."""
        return Place(os.path.dirname(self.place))

    def facts(self, wanted: WantedInterpreter | None = None) -> InterpreterFacts:
        """Return the interpreter of this machine that is meant, asked once; raises UsageError where none fits."""
        bound = (wanted or self.outfit.interpreter).version
        if bound not in self.known_facts:
            found = self._managed(bound) if self.pack else None
            self.known_facts[bound] = found or self._chosen(bound)
        return self.known_facts[bound]

    def _chosen(self, bound: str) -> InterpreterFacts:
        facts = choose_interpreter(bound, self.host, self.locations)
        if self.pack and lies_in(facts.executable, self.folder):
            # The one that carries us out goes with the pack: environments need one that stays.
            raise InterpreterUnusable("no interpreter of this machine fits but the pack's own")
        return facts

    def _managed(self, bound: str) -> InterpreterFacts | None:
        fitting = [
            one
            for one in all_managed(self.host, self.locations)
            if one.language == "python" and version_fits(one.version, bound)
        ]
        return probe(fitting[0].executable, self.host) if fitting else None

    def is_meant(self, when: str) -> bool:
        """Tell whether a condition holds on this machine."""
        return not when or Marker(when).evaluate(self.facts().markers())

    def filled(self, text: str, suites: dict[str, str]) -> str:
        """Return a text with the home and the places of suites filled in."""
        for name, place in suites.items():
            text = text.replace(f"{{suite.{name}}}", place)
        return text.replace("{home}", self.host.home)


def named_at(name: str, url: str, folder: str) -> NamedAddress:
    """Return an index or a catalog of an outfit, as the machine names it."""
    place = address_of(url, folder)
    return NamedAddress(name=name, address=place if is_web_address(place) else address_of_folder(place))


def address_of(url: str, folder: str) -> str:
    """Return an address of an outfit as it is typed: a folder is meant from the outfit's own."""
    return url if is_web_address(url) else join(folder, os.path.expanduser(url.removeprefix("file://")))
