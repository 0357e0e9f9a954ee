"""Whether a copy of an environment stands alone: it starts, imports, and loads nothing from its source."""

import os

from unified_shell.core.changes.plan import Change
from unified_shell.core.environments.copying import Source
from unified_shell.core.environments.model.layout import link_place
from unified_shell.core.environments.model.registry import Environment, find_environment
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import inside
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.programs import program

from .environment_checks import check_distributions
from .installed_metadata import read_installed

__all__ = ["with_copy_checks"]

# All modules of an environment, one after another.
LOAD_SECONDS = 300.0


def with_copy_checks(
    change: Change, name: str, source: Source, *, facts: InterpreterFacts, host: Host, locations: Locations
) -> Change:
    """Return the change with its verification."""

    def verify() -> tuple[Finding, ...]:
        start = proof_of_start(link_place(locations.data, name), facts, host)
        if not start.passed:
            return (start,)
        copy = find_environment(name, host, locations)
        return (start, _stands_alone(copy, source, host), *check_distributions(copy, facts, host))

    return change.verified_by(verify)


def _stands_alone(copy: Environment, source: Source, host: Host) -> Finding:
    names = sorted({name for one in read_installed(copy).values() for name in one.imports})
    ran = run_program(
        (
            copy.layout.python,
            "-I",
            "-B",
            "-W",
            "ignore",
            program("files_of_imports"),
            *names,
        ),
        environment=clean_variables(host),
        timeout_seconds=LOAD_SECONDS,
    )
    # An application's interpreter goes on to be the base; its packages are not to be used.
    place = os.path.realpath(source.prefix if source.whole else source.site)
    files = os.fsdecode(ran.output).splitlines()
    # Where the copy took the source's place, the source is out of sight, and its old name leads here.
    replaced = place == os.path.realpath(copy.prefix)
    strays = [one for one in files if not replaced and inside(os.path.realpath(one), place)]
    # A module that takes the process down says so in its own check.
    answer = f"it loads {strays[0]}" if strays else f"{len(files)} files are loaded, none from {source.title}"
    return Finding(
        subject=f"environment {copy.name}",
        question="loads nothing from its original",
        verdict=verdict_of(passed=not strays),
        answer=answer,
        remedy=ush("environment", "show", copy.name) if strays else "",
        elapsed_seconds=ran.elapsed_seconds,
    )
