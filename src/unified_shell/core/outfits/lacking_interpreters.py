"""The interpreters that an outfit needs and this machine lacks: got before all else, as a change of their own.

What is solved for an interpreter, and compiled by it, needs one that can be asked.
"""

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import Change, Plan, change_of
from unified_shell.core.environments.libraries.library_interpreter import library_interpreter
from unified_shell.core.errors import UshError
from unified_shell.core.interpreters.getting.get_plans import InterpreterRequest, plan_get
from unified_shell.core.interpreters.languages import find_language

from .equipping import Equipping
from .outfit import WantedInterpreter

__all__ = ["lacking_interpreters", "plan_lacking_interpreters"]


def lacking_interpreters(equipping: Equipping) -> tuple[WantedInterpreter, ...]:
    """Return the interpreters that are not here: the outfit's own, and those of its environments where they differ. While the
    outfit's own is lacking, no condition can be judged: then it is the only one.
    """
    own = equipping.outfit.interpreter
    if not _is_here(own, equipping):
        return (own,)
    meant = [one for one in equipping.outfit.environments if equipping.is_meant(one.when)]
    others = dict.fromkeys(one.interpreter for one in meant if one.interpreter is not None)
    return tuple(one for one in others if not _is_here(one, equipping))


def plan_lacking_interpreters(equipping: Equipping) -> Change:
    """Plan to get those that are lacking; raises CouldNot where one is nowhere to be had."""
    changes = [_plan(one, equipping) for one in lacking_interpreters(equipping)]
    if not changes:
        said = "no interpreter is lacking"
        return change_of(Plan(aim=said, nothing_to_do=said))
    return merged(*changes)


def _plan(wanted: WantedInterpreter, equipping: Equipping) -> Change:
    in_pack = wanted.language == "python" and equipping.pack.endswith(".tar.gz")
    words = (equipping.pack,) if in_pack else (wanted.language, wanted.version)
    return plan_get(
        InterpreterRequest(words=words, accepted=equipping.accepted),
        equipping.find,
        equipping.fetcher,
        equipping.host,
        equipping.locations,
        progress=equipping.progress,
    )


def _is_here(wanted: WantedInterpreter, equipping: Equipping) -> bool:
    table = find_language(wanted.language)
    try:
        if wanted.language == "python" or table is None:
            equipping.facts(wanted)
        else:
            library_interpreter(table, wanted.version, equipping.host, equipping.locations)
    except UshError:
        return False
    return True
