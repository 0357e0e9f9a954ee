"""An environment's next tree in staging, the steps that put it in use, and the proof that it starts."""

import os
import uuid
from collections.abc import Mapping

from unified_shell.core.changes.steps import Step
from unified_shell.core.environments.model.contents import Contents
from unified_shell.core.environments.model.layout import Layout
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.findings import Cause, Finding, verdict_of
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush

from .editions import carry_over, edition_steps, make_edition, unrecorded_files
from .installer_names import installer_commands
from .store_filling import Ready

__all__ = ["edition_made", "new_contents", "proof_of_start"]


def new_contents(name: str, facts: InterpreterFacts, *, own_files: bool = False) -> Contents:
    """Return what a new, empty environment on an interpreter holds."""
    return Contents(
        name=name,
        identity=str(uuid.uuid4()),
        interpreter=facts.real_executable,
        python=facts.full_version,
        made_seconds=now_seconds(),
        own_files=own_files,
        installers=installer_commands(facts.site_folders),
    )


def edition_made(
    staging: Place,
    prefix: Place,
    contents: Contents,
    facts: InterpreterFacts,
    ready: Mapping[str, Ready],
    *,
    host: Host,
    locations: Locations,
    replaced: Environment | None,
) -> tuple[Step, ...]:
    """Make the tree of an environment in staging, with what nobody's record names of the one that it replaces, and
    return the steps that put it in use.
    """
    tree = join(staging, "tree")
    make_edition(tree, prefix, contents, facts, ready, host=host)
    if replaced is not None and replaced.edition:
        carry_over(replaced.prefix, tree, unrecorded_files(replaced.layout))
    return edition_steps(tree, contents.name, locations, before=replaced.edition if replaced is not None else 0)


def proof_of_start(prefix: str, facts: InterpreterFacts, host: Host) -> Finding:
    """Start an environment's interpreter once and see that it is the environment's, on the right base."""
    asked = "import sys; sys.stdout.buffer.write('\\0'.join([sys.prefix, sys.base_prefix]).encode('utf-8', 'surrogateescape'))"
    ran = run_program(
        (
            Layout(prefix=Place(prefix), short_version=facts.short_version, is_windows=facts.is_windows).python,
            "-I",
            "-B",
            "-c",
            asked,
        ),
        environment=clean_variables(host),
        timeout_seconds=20,
    )
    answer = os.fsdecode(ran.output).split("\0")
    trouble = ran.trouble
    if not trouble and _resolved(answer[0]) != _resolved(prefix):
        trouble = f"it believes that it is in {answer[0]}"
    elif not trouble and os.path.realpath(answer[-1]) != os.path.realpath(facts.base_prefix):
        trouble = f"its library comes from {answer[-1]}, not from {facts.base_prefix}"
    elif not trouble and ran.errors.strip():
        trouble = ran.errors.decode("utf-8", "replace").strip().splitlines()[0]
    return Finding(
        subject=f"environment {os.path.basename(prefix)}",
        question="its interpreter starts, in its own place",
        verdict=verdict_of(passed=not trouble),
        answer=trouble or facts.title,
        cause=_cause(trouble),
        remedy=ush("interpreter", "list", why="choose another") if trouble else "",
        puts_back=True,
        elapsed_seconds=ran.elapsed_seconds,
    )


def _cause(trouble: str) -> Cause:
    if not trouble:
        return Cause.UNKNOWN
    # What `site` says of a line in a .pth file that fails (PEP 829 calls them path configuration files).
    return Cause.PATH_FILE_FAILS if trouble.startswith("Error processing line") else Cause.FAILS_AT_START


def _resolved(prefix: str) -> str:
    """Return an environment's place with links above it followed, its own link not."""
    return join(os.path.realpath(os.path.dirname(prefix)), os.path.basename(prefix))
