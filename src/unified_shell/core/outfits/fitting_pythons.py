"""On which other Python all packages of an environment are to be had, where they are not on the one that was chosen."""

from collections.abc import Sequence

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.catalogs.description import Description
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.errors import NoSolution, UshError
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.facts import OLDEST_BASE, InterpreterFacts
from unified_shell.core.machine.places import shown
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.target import Rules, Target

from .equipping import Equipping
from .outfit import WantedEnvironment

__all__ = ["no_solution_here"]


def no_solution_here(
    error: NoSolution,
    wanted: WantedEnvironment,
    requests: Sequence[Requirement],
    rules: Rules,
    equipping: Equipping,
) -> NoSolution:
    """Return the error with the newest Python of this machine or its catalogs on which there is a solution, as words for the
    outfit; the error as it is where there is none.
    """
    facts = equipping.facts(wanted.interpreter)
    here = {
        one.facts.version[:2] for one in discover(equipping.host, only_python=True).python if one.facts is not None
    }
    for version in sorted(here | _offered(equipping), reverse=True):
        if version == facts.version[:2] or version < OLDEST_BASE:
            continue
        try:
            target = _other_python(facts, version, rules)
            run_solver(requests, target, equipping.client, {}, equipping.locations.cache, progress=equipping.progress)
        except UshError:
            continue
        short = f"{version[0]}.{version[1]}"
        there = "is on this machine" if version in here else "is in a catalog"
        place = shown(equipping.place, equipping.host.home)
        return NoSolution(
            error.message,
            where=error.where,
            next_step=f"Python {short}, which {there}, has all of it: write interpreter = '=={short}.*' "
            f"below [environment.{wanted.name}] in {place}",
        )
    return error


def _offered(equipping: Equipping) -> set[tuple[int, int]]:
    """Return the versions of Python that catalogs describe for this machine."""
    found: set[tuple[int, int]] = set()

    def see(described: Description) -> bool:
        major, _, rest = described.version.partition(".")
        if described.language.lower() == "python" and major.isdigit():
            found.add((int(major), int(rest.partition(".")[0] or 0)))
        return False

    equipping.find(see)
    return found


def _other_python(facts: InterpreterFacts, version: tuple[int, int], rules: Rules) -> Target:
    """Return what is solved for on this machine with another Python of the same make."""
    short = f"{version[0]}.{version[1]}"
    said = {"python_version": short, "python_full_version": f"{short}.0", "implementation_version": f"{short}.0"}
    return Target(
        markers={**facts.markers(), **said},
        tags=supported_tags(replace(facts.tag_facts(), version=version)),
        python=f"{short}.0",
        rules=rules,
    )
