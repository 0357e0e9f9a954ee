"""The suites of an outfit, and the one wiring: what they give, and the search paths and variables that it names itself."""

import os
from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.specifiers import SpecifierSet

from unified_shell.core.changes.plan import Change
from unified_shell.core.commands.preferred import links_folder
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import SearchPath, SetVariable, Side
from unified_shell.core.shells.planning.script_delta import ScriptDelta
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring
from unified_shell.core.suites.managed_suites import ManagedSuite, all_suites
from unified_shell.core.suites.planned_wiring import plan_wiring_when_here
from unified_shell.core.suites.suite_getting import SuiteGetting
from unified_shell.core.suites.suite_origins import settle_suite, with_needed
from unified_shell.core.suites.suite_plans import plan_trees
from unified_shell.core.suites.suite_wiring import MoreWiring, SuiteWiring, plan_in_sessions, wiring_of

from .equipped import Brought
from .equipping import Equipping
from .locks.suites import check_by_lock, locked_suites, request_by_lock
from .outfit import WantedSuite
from .unnamed import unnamed_suites, what_is_unnamed

__all__ = ["PlannedSuites", "plan_suites", "suite_here"]


class PlannedSuites(Struct, frozen=True, kw_only=True):
    """The changes that bring suites, those that wire, and where each suite of the outfit stands, or will."""

    trees: tuple[Change, ...]
    wiring: Change
    places: dict[str, str]
    unnamed: Brought


def plan_suites(equipping: Equipping) -> PlannedSuites:
    """Plan what the machine lacks of the suites, and the wiring of all that the outfit wires."""
    host, locations = equipping.host, equipping.locations
    wanted = [one for one in equipping.outfit.suites if equipping.is_meant(one.when)]
    here = {one.name: found for one in wanted if (found := suite_here(one, equipping)) is not None}
    gettings: dict[str, SuiteGetting] = {}
    for one in wanted:
        if one.name in here:
            continue
        origin = settle_suite(request_by_lock(one, equipping), equipping.find, equipping.fetcher, host, locations)
        check_by_lock(origin, equipping.place)
        for each in with_needed(origin, equipping.find, host, locations, equipping.fetcher):
            gettings.setdefault(
                each.name,
                SuiteGetting(
                    origin=each,
                    host=host,
                    locations=locations,
                    fetcher=equipping.fetcher,
                    progress=equipping.progress,
                ),
            )
    places = {name: str(one.prefix) for name, one in here.items()}
    places |= {one.origin.description.name: str(one.target) for one in gettings.values()}
    unnamed = what_is_unnamed(equipping, places)
    wiring = _plan_wiring(equipping, list(here.values()), list(gettings.values()), places, unnamed)
    return PlannedSuites(
        trees=tuple(plan_trees(list(gettings.values()), equipping.accepted, wire=True)) if gettings else (),
        wiring=wiring,
        places=places,
        unnamed=unnamed,
    )


def suite_here(wanted: WantedSuite, equipping: Equipping) -> ManagedSuite | None:
    """Return the suite of this machine that is wanted, and as it is locked; of several versions the newest.

    Raises Refused where the lock is of another one than the outfit asks for.
    """
    request_by_lock(wanted, equipping)
    locked = locked_suites(equipping.place).get(wanted.name)
    fitting = [
        one
        for one in all_suites(equipping.host, equipping.locations)
        if one.description.name == wanted.name
        and SpecifierSet(wanted.version).contains(one.version, prereleases=True)
        and wanted.form in ("", one.form)
        and (locked is None or (one.version == locked.version and (one.adopted or one.form == locked.form)))
    ]
    return max(fitting, key=lambda one: one.made_seconds) if fitting else None


def _plan_wiring(
    equipping: Equipping,
    here: Sequence[ManagedSuite],
    gettings: Sequence[SuiteGetting],
    places: dict[str, str],
    unnamed: Brought,
) -> Change:
    host, locations = equipping.host, equipping.locations
    wiring = read_wiring(locations)
    standing = [wiring_of(one, host, locations) for one in here if not _is_wired(one, wiring)]
    more = _more(equipping, places)
    if equipping.drops_unnamed:
        more = replace(
            more,
            gone_suites=unnamed_suites(unnamed, equipping),
            gone_entries=tuple(sorted(unnamed.entries)),
            gone_variables=tuple(sorted(unnamed.variables)),
        )

    def plan(gettings: Sequence[SuiteGetting], scripts: Mapping[str, ScriptDelta | None], *, sourced: bool) -> Change:
        new = [
            SuiteWiring(
                described=one.origin.description,
                prefix=one.target,
                host=host,
                locations=locations,
                script=scripts.get(one.origin.name),
                sourced=sourced,
            )
            for one in gettings
        ]
        return plan_in_sessions([*standing, *new], host, locations, more)

    return plan_wiring_when_here(gettings, plan)


def _is_wired(suite: ManagedSuite, wiring: Wiring) -> bool:
    """Tell whether new sessions have all that a suite gives: what is there keeps its place."""
    offered = suite.offered
    values = {one.name: one.value for one in wiring.variables}
    sourced = {one.file for one in wiring.scripts}
    return (
        all(wiring.find(name, folder) is not None for name, folder in (*offered.front, *offered.back))
        and all(values.get(name) == value for name, value in offered.values)
    ) or any(join(suite.prefix, one) in sourced for one in suite.description.offers.session_scripts)


def _more(equipping: Equipping, places: dict[str, str]) -> MoreWiring:
    """Return the outfit's own search paths and variables, with places filled in."""

    def directories(texts: Sequence[str]) -> tuple[Place, ...]:
        return tuple(
            Place(os.path.normpath(join(equipping.folder, equipping.filled(text, places)))) for text in texts
        )

    paths = []
    for one in equipping.outfit.paths:
        for side, texts in ((Side.FRONT, one.front), (Side.BACK, one.back)):
            if texts:
                paths.append(
                    SearchPath(variable=one.variable, side=side, directories=directories(texts), when=one.when)
                )
    if any(equipping.is_meant(one.when) for one in equipping.outfit.commands):
        folder = (links_folder(equipping.locations),)
        paths.append(SearchPath(variable="PATH", side=Side.FRONT, directories=folder))
    return MoreWiring(
        paths=tuple(paths),
        variables=tuple(
            SetVariable(name=one.name, value=equipping.filled(one.value, places))
            for one in equipping.outfit.variables
        ),
        shells=equipping.outfit.shells,
        # Environments alone need nothing in startup files.
        hooks=bool(
            paths or places or equipping.outfit.variables or equipping.outfit.shells or equipping.outfit.completion
        ),
        completes=equipping.outfit.completion,
    )
