"""What this machine lacks of an outfit, as one change: addresses, environments, suites, commands, wiring, offers."""

import os
from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.markers import Marker

from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.reading import Listed
from unified_shell.core.catalogs.registered import CATALOGS
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import Change, Plan, change_of
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.interpreters.adopting import choose_interpreter
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.transfers.addresses import is_web_address
from unified_shell.core.transfers.fetching import Fetcher

from .outfit import Outfit, WantedInterpreter

__all__ = ["Equipping", "address_of", "plan_equip"]


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

    @property
    def folder(self) -> Place:
        """The folder of its file, in which relative names begin."""
        return Place(os.path.dirname(self.place))

    def facts(self, wanted: WantedInterpreter | None = None) -> InterpreterFacts:
        """Return the interpreter of this machine that is meant; raises UsageError where none fits."""
        bound = (wanted or self.outfit.interpreter).version
        return choose_interpreter(bound, self.host, self.locations)

    def is_meant(self, when: str) -> bool:
        """Tell whether a condition holds on this machine."""
        return not when or Marker(when).evaluate(self.facts().markers())

    def filled(self, text: str, suites: dict[str, str]) -> str:
        """Return a text with the home and the places of suites filled in."""
        for name, place in suites.items():
            text = text.replace(f"{{suite.{name}}}", place)
        return text.replace("{home}", self.host.home)


def plan_equip(equipping: Equipping) -> Change:
    """Plan all that the machine lacks of an outfit, in one change; nothing to do where it lacks nothing."""
    # Planned in this order: what is wired leads into what was planned before.
    from .wanted_environments import plan_environments
    from .wanted_suites import plan_suites

    outfit = equipping.outfit
    suites = plan_suites(equipping)
    changes = [
        *_plan_addresses(equipping),
        *plan_environments(equipping, suites.places),
        *suites.trees,
        *suites.wirings,
    ]
    told = [one for one in changes if not one.plan.nothing_to_do]
    if not told:
        said = f"{outfit.name}: this machine has all of it"
        return change_of(Plan(aim=said, nothing_to_do=said))
    whole = merged(*told)
    afterwards = (
        *(
            Labelled(label=f"Enter {one.name}", step=ush("environment", "enter", one.name))
            for one in outfit.environments
        ),
        Labelled(label="Compare again", step=ush("outfit", "plan", equipping.place)),
    )
    return Change(
        plan=replace(whole.plan, aim=f"Equip this machine with {outfit.name}", afterwards=afterwards),
        prepare=whole.prepare,
    )


def _plan_addresses(equipping: Equipping) -> Sequence[Change]:
    """Plan to name the indexes and catalogs that are not named yet."""
    host, locations, outfit = equipping.host, equipping.locations, equipping.outfit
    changes = []
    for book, named in ((INDEXES, outfit.indexes), (CATALOGS, outfit.catalogs)):
        known = {one.name for one in book.read_all(host, locations)}
        changes += [
            book.plan_add(name, address_of(url, equipping.folder), host, locations, ask=lambda _address: "")
            for name, url in named
            if name not in known
        ]
    return changes


def address_of(url: str, folder: str) -> str:
    """Return an address of an outfit as it is typed: a folder is meant from the outfit's own."""
    return url if is_web_address(url) else join(folder, os.path.expanduser(url.removeprefix("file://")))
