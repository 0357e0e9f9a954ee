"""What an outfit brought and no longer names: told, and taken away when that is asked for."""

import os

from unified_shell.core.catalogs.address_changes import plan_address_drop
from unified_shell.core.catalogs.registered import CATALOGS
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import FlipLink, RetireTree, Step
from unified_shell.core.commands.preferred import read_choices
from unified_shell.core.commands.preferring import find_choice
from unified_shell.core.environments.command_environments import plan_drop_command
from unified_shell.core.environments.lifecycle import plan_drop
from unified_shell.core.environments.model.registry import list_environments
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.wiring.wiring import read_wiring
from unified_shell.core.suites.managed_suites import ManagedSuite, read_suites, suite_place
from unified_shell.core.suites.suite_dependants import check_not_needed

from .equipped import Brought, read_brought
from .equipping import Equipping
from .wanted_environments import prepared_apart

__all__ = ["brought_now", "plan_unnamed", "standing_here", "unnamed_suites", "what_is_unnamed"]


def brought_now(equipping: Equipping, places: dict[str, str]) -> Brought:
    """Return all that the outfit names on this machine; `places` are those of its suites."""
    outfit = equipping.outfit
    return Brought(
        environments=frozenset(one.name for one in outfit.environments if equipping.is_meant(one.when)),
        suites=frozenset(os.path.basename(place) for place in places.values()),
        commands=frozenset(one.name for one in outfit.commands if equipping.is_meant(one.when)),
        entries=frozenset(
            (path.variable, Place(os.path.normpath(join(equipping.folder, equipping.filled(text, places)))))
            for path in outfit.paths
            for text in (*path.front, *path.back)
        ),
        variables=frozenset(one.name for one in outfit.variables),
        # With a pack nobody asks them.
        indexes=frozenset(name for name, _ in outfit.indexes if not equipping.pack),
        catalogs=frozenset(name for name, _ in outfit.catalogs if not equipping.pack),
    )


def standing_here(equipping: Equipping) -> Brought:
    """Return all of these kinds that are on this machine, whoever brought them."""
    locations, wiring = equipping.locations, read_wiring(equipping.locations)
    return Brought(
        environments=frozenset(one.name for one in list_environments(locations)),
        suites=frozenset(one.name for one in read_suites(locations) if not one.adopted),
        commands=frozenset(one.name for one in read_choices(locations)),
        entries=frozenset((one.variable, one.directory) for one in wiring.entries),
        variables=frozenset(one.name for one in wiring.variables),
        indexes=frozenset(one.name for one in INDEXES.read(locations)),
        catalogs=frozenset(one.name for one in CATALOGS.read(locations)),
    )


def what_is_unnamed(equipping: Equipping, places: dict[str, str]) -> Brought:
    """Return what the outfit brought, that is still here, and that it no longer names."""
    earlier = read_brought(equipping.locations, equipping.outfit.name)
    here = standing_here(equipping)
    gone = earlier.without(here)
    return earlier.without(gone).without(brought_now(equipping, places))


def unnamed_suites(unnamed: Brought, equipping: Equipping) -> tuple[ManagedSuite, ...]:
    """Return the suites among them."""
    return tuple(one for one in read_suites(equipping.locations) if one.name in unnamed.suites)


def plan_unnamed(unnamed: Brought, equipping: Equipping) -> list[Change]:
    """Plan to take away environments, suites and commands, and to forget indexes and catalogs; the wiring goes with the outfit's
    one wiring.

    Raises Refused for a suite that another one, or an environment that stays, needs.
    """
    host, locations = equipping.host, equipping.locations
    environments = {one.name: one for one in list_environments(locations)}
    changes = [
        prepared_apart(plan_drop(environments[name], locations), f"drop-{name}")
        for name in sorted(unnamed.environments)
    ]
    changes += [
        prepared_apart(plan_drop_command(find_choice(name, host, locations), host, locations), f"drop-{name}")
        for name in sorted(unnamed.commands)
    ]
    changes += [plan_address_drop(CATALOGS, name, host, locations) for name in sorted(unnamed.catalogs)]
    changes += [plan_address_drop(INDEXES, name, host, locations) for name in sorted(unnamed.indexes)]
    for suite in unnamed_suites(unnamed, equipping):
        check_not_needed(suite, host, locations, consent=False, going=unnamed.titles(host.home))
        changes.append(prepared_apart(_drop_tree(suite, equipping), f"drop-{suite.name}"))
    return changes


def _drop_tree(suite: ManagedSuite, equipping: Equipping) -> Change:
    line = plan_line(LineKind.REMOVE, About.SUITE, name=suite.name, place=suite.prefix)
    tree = suite_place(equipping.locations, suite.name)

    def prepare(staging: Place) -> tuple[Step, ...]:
        links = [FlipLink(link=suite.link, before=tree, after="")] if suite.link else []
        retired = join(equipping.locations.data, "retired", os.path.basename(staging))
        return (*links, RetireTree(target=tree, retired=retired))

    return change_of(Plan(aim=f"Drop the suite {suite.name}", lines=(line,)), prepare=prepare)
