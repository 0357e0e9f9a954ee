"""A suite's session script: what it changes is measured, and compared with what was written down for every shell."""

import os
from collections.abc import Iterator

from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.files.place_texts import with_place_replaced
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.planning.script_delta import ScriptDelta
from unified_shell.core.shells.planning.script_measuring import measure_script
from unified_shell.core.shells.planning.session_scripts import dialect_of_script
from unified_shell.core.shells.sessions.shell_programs import find_program

from .managed_suites import ManagedSuite

__all__ = ["measure_in", "script_findings"]


def measure_in(scripts: tuple[str, ...], tree: Place, target: Place, host: Host) -> ScriptDelta | None:
    """Return what a suite's session script changes: of several, the first whose shell is here. It stands in `tree`, which
    will be at `target`; what it says of its target is read as the tree meanwhile. None where there is none.
    """
    found: list[tuple[str, str]] = []
    for one in scripts:
        path = join(tree, one)
        if not os.path.isfile(path):
            return ScriptDelta(trouble=f"{one} is not there")
        with open(path, "rb") as file:
            found.append((path, dialect_of_script(path, file.read())))
    if not found:
        return None
    chosen, dialect = next((one for one in found if find_program(dialect_named(one[1]), host)), found[0])
    with open(chosen, "rb") as file:
        content = file.read()
    if tree == target or os.fsencode(target) not in content:
        return measure_script(Place(chosen), dialect, host, tree=tree, target=target)
    # Beside it, since scripts look for their folder by their own place.
    copy = join(os.path.dirname(chosen), f".measured-{os.path.basename(chosen)}")
    with open(copy, "wb") as file:
        file.write(with_place_replaced(content, target, tree))
    try:
        return measure_script(copy, dialect, host, tree=tree, target=target)
    finally:
        os.unlink(copy)


def script_findings(suite: ManagedSuite, host: Host) -> Iterator[Finding]:
    """Judge whether a session script comes to its end and still changes what was written down."""
    kept = suite.script
    if kept is None:
        return
    now = measure_in(suite.description.offers.session_scripts, suite.prefix, suite.prefix, host) or ScriptDelta()
    question = "its session script is written for every shell"
    trouble, cause = now.trouble, Cause.SCRIPT_FAILS
    if not trouble and not suite.sourced and _written(now) != _written(kept):
        trouble, cause = f"it changes other things now: {_first_difference(now, kept)}", Cause.SCRIPT_DIFFERS
    count = len(now.values)
    only = ", ".join(f"{kind} {name}" for kind, name in now.session_only)
    yield Finding(
        subject=f"suite {suite.name}",
        question="its session script comes to its end" if suite.sourced else question,
        verdict=Verdict.FAULT if trouble else Verdict.PASSED,
        answer=trouble
        or f"{count} variable{'' if count == 1 else 's'}, {len(now.front + now.back)} search-path entries"
        + (f"; only sourcing gives: {only}" if only and not suite.sourced else ""),
        cause=cause if trouble else Cause.UNKNOWN,
        remedy=ush("suite", "refresh", suite.name) if trouble else "",
    )


def _written(delta: ScriptDelta) -> tuple[object, ...]:
    return delta.front, delta.back, delta.values


def _first_difference(now: ScriptDelta, kept: ScriptDelta) -> str:
    ours = {*now.front, *now.back, *now.values}
    theirs = {*kept.front, *kept.back, *kept.values}
    name, value = sorted(ours ^ theirs)[0] if ours ^ theirs else ("", "")
    return f"{name} {value}" if name else "their order"
