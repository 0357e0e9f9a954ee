"""What this machine lacks of an outfit, as one change: addresses, environments, commands, suites, wiring, offers."""

from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.catalogs.address_changes import plan_address_add
from unified_shell.core.catalogs.registered import CATALOGS
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import Change, Plan, change_of
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.next_steps import Labelled, ush

from .equipped import brought_step, read_brought
from .equipping import Equipping, address_of, named_at
from .unnamed import brought_now, plan_unnamed, standing_here
from .wanted_commands import plan_commands
from .wanted_environments import plan_environments
from .wanted_suites import PlannedSuites, plan_suites

__all__ = ["plan_equip"]


def plan_equip(equipping: Equipping) -> Change:
    """Plan all that the machine lacks of an outfit, in one change; nothing to do where it lacks nothing."""
    outfit = equipping.outfit
    suites = plan_suites(equipping)
    changes = [
        *_plan_addresses(equipping),
        *plan_environments(equipping, suites.places),
        *plan_commands(equipping),
        *suites.trees,
        suites.wiring,
    ]
    if equipping.drops_unnamed:
        changes += plan_unnamed(suites.unnamed, equipping)
    told = [one for one in changes if not one.plan.nothing_to_do]
    if not told:
        said = f"{outfit.name}: this machine has all of it"
        return change_of(Plan(aim=said, nothing_to_do=said))
    whole = merged(*told, _recording(equipping, suites))
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


def _recording(equipping: Equipping, suites: PlannedSuites) -> Change:
    """Plan to record what the outfit brings with this change, beside what it brought before."""
    named = brought_now(equipping, suites.places)
    new = named.without(standing_here(equipping))
    earlier = read_brought(equipping.locations, equipping.outfit.name)
    kept = earlier.without(suites.unnamed) if equipping.drops_unnamed else earlier
    step = brought_step(equipping.locations, equipping.outfit.name, kept.with_all(new))
    return change_of(Plan(aim="record"), prepare=lambda _staging: (step,) if step is not None else ())


def _plan_addresses(equipping: Equipping) -> Sequence[Change]:
    """Plan to name the indexes and catalogs that are not named yet; raises Refused for one that is named, at another address."""
    host, locations, outfit = equipping.host, equipping.locations, equipping.outfit
    changes: list[Change] = []
    if equipping.pack:
        return changes
    for book, named in ((INDEXES, outfit.indexes), (CATALOGS, outfit.catalogs)):
        # Everyone's are enough where they are the same; our own are judged by the book, also as to their address.
        known = {(one.name, one.address) for one in book.read_all(host, locations)}
        changes += [
            plan_address_add(book, name, address_of(url, equipping.folder), host, locations, ask=lambda _address: "")
            for name, url in named
            if (name, named_at(name, url, equipping.folder).address) not in known
        ]
    return changes
