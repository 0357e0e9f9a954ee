"""The checks of environments as the table has them: contents, sessions that enter it, offers, programs that run on the old."""

import os
import shlex
from collections.abc import Iterator

from unified_shell.core.environments.model.registry import Environment, find_environment
from unified_shell.core.environments.old_programs import programs_on_old
from unified_shell.core.errors import UshError
from unified_shell.core.expectations.kernels import run_cell
from unified_shell.core.findings import Cause, Finding, Mend, MendKind
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import Place, from_json_text
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.packages.entering_checks import check_entering
from unified_shell.core.verification.packages.environment_checks import check_environment, check_readable
from unified_shell.core.verification.packages.installed_metadata import read_installed
from unified_shell.core.verification.packages.licence_checks import allowed_licences, check_licences
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, not_tried, passed

# A kernel loads much before it answers.
KERNEL_SECONDS = 60.0

__all__ = ["ENVIRONMENT_CHECKS", "environment_of"]


def environment_of(name: str, around: Surroundings) -> Environment | Finding:
    """Return an environment by its name; a finding where it cannot be read."""
    unreadable = {one.subject: one for one in check_readable(around.locations)}
    if name in unreadable:
        return unreadable[name]
    try:
        return find_environment(name, around.host, around.locations)
    except UshError as error:
        remedy = error.next_step or ush("environment", "list")
        return fault(f"environment {name}", "is there", error.message, Cause.CONTENTS_UNREADABLE, remedy)


def is_whole(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge what is in an environment: interpreter, files, requirements, imports, commands."""
    found = environment_of(target.name, around)
    if isinstance(found, Finding):
        yield found
    else:
        yield from check_environment(found, around.host, thorough=around.thorough, limit_seconds=around.limit_seconds)


def can_be_entered(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a new session enters an environment and then finds its commands."""
    found = environment_of(target.name, around)
    if not isinstance(found, Finding):
        modes = [(one.dialect, one.mode) for one in around.sessions.opened if not one.session.trouble]
        yield from check_entering(found, modes, around.host)


def runs_nothing_old(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that no running program still uses an edition that was replaced."""
    found = environment_of(target.name, around)
    if isinstance(found, Finding) or found.edition < 2:
        return  # there is no earlier one
    question = "no running program began before its last change"
    programs = programs_on_old([found])
    if not programs:
        yield passed(f"environment {found.name}", question)
    for one in programs:
        why = f"{one.name} ({one.process_id}) began before it"
        remedy = f"restart {one.name} to see the change"
        yield fault(f"environment {found.name}", question, why, Cause.BEGUN_BEFORE, remedy)


def has_allowed_licences(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge the licences of an environment's distributions, where the configuration lists those that are allowed."""
    allowed = allowed_licences(around.locations)
    found = environment_of(target.name, around)
    if allowed and not isinstance(found, Finding) and found.contents.is_python:
        yield from check_licences(found, read_installed(found), allowed)


def kernel_runs(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a notebook kernel by starting it and running a cell."""
    argv = _kernel_words(Place(target.name))
    if not argv or not os.path.exists(argv[0]):
        return
    subject, question = around.shown(target.name), "starts and runs a cell"
    ran = run_cell(argv, "print(6 * 7)", around.host.environment(), limit_seconds=KERNEL_SECONDS)
    if ran.not_tried:
        yield not_tried(subject, question, ran.not_tried)
    elif ran.trouble or ran.printed.strip() != "42":
        answer = ran.trouble or f"it printed {ran.printed.strip()!r}"
        yield fault(subject, question, answer, Cause.KERNEL_FAILS, f"{argv[0]} -c 'import ipykernel'")
    else:
        yield passed(subject, question, "6 * 7 is 42")


def offer_leads_somewhere(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a notebook kernel or desktop entry: the program that it names is there."""
    subject, question = around.shown(target.name), "starts a program that is there"
    program = _offered_program(Place(target.name))
    remedy = ush("verify", target.name, "--mend", why="removes it")
    if not program:
        answer, mend = "it names no program", Mend(MendKind.OFFER, target.name)
        yield fault(subject, question, answer, Cause.OFFER_DANGLES, remedy, mend=mend)
    elif os.path.exists(program):
        yield passed(subject, question, around.shown(program))
    else:
        answer = f"{around.shown(program)} is gone"
        yield fault(subject, question, answer, Cause.OFFER_DANGLES, remedy, mend=Mend(MendKind.OFFER, target.name))


def _offered_program(path: Place) -> str:
    if path.endswith(".json"):
        return next(iter(_kernel_words(path)), "")
    content = read_file(path)
    lines = content[0].decode("utf-8", "surrogateescape").splitlines() if content else []
    line = next((one.removeprefix("Exec=") for one in lines if one.startswith("Exec=")), "")
    try:
        return next(iter(shlex.split(line.replace("%%", "%"))), "")
    except ValueError:
        return ""


def _kernel_words(path: Place) -> tuple[str, ...]:
    """Return the command line of a kernel specification; nothing for what is none."""
    content = read_file(path) if path.endswith(".json") else None
    try:
        fields = from_json_text(content[0]) if content is not None else None
    except ValueError:
        return ()
    words = fields.get("argv") if isinstance(fields, dict) else None
    return tuple(map(str, words)) if isinstance(words, list) else ()


ENVIRONMENT_CHECKS = (
    Check(
        name="environment-whole",
        kind=Kind.ENVIRONMENT,
        asks="its interpreter starts, files are as recorded, requirements met, modules import, commands launch",
        cost=Cost.PROGRAMS,
        judge=is_whole,
    ),
    Check(
        name="environment-entered",
        kind=Kind.ENVIRONMENT,
        asks="a new session enters it and then finds its commands",
        cost=Cost.SESSIONS,
        judge=can_be_entered,
    ),
    Check(
        name="environment-running",
        kind=Kind.ENVIRONMENT,
        asks="no running program still uses an earlier edition",
        cost=Cost.FILES,
        judge=runs_nothing_old,
    ),
    Check(
        name="licences-allowed",
        kind=Kind.ENVIRONMENT,
        asks="licences are among those that [licences] in config.toml allows",
        cost=Cost.FILES,
        judge=has_allowed_licences,
    ),
    Check(
        name="kernel-runs",
        kind=Kind.OFFER,
        asks="a notebook kernel starts and runs a cell",
        cost=Cost.PROGRAMS,
        judge=kernel_runs,
    ),
    Check(
        name="offer-leads",
        kind=Kind.OFFER,
        asks="a notebook kernel or desktop entry starts a program that is there",
        cost=Cost.FILES,
        judge=offer_leads_somewhere,
    ),
)
