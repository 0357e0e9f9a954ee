"""A command: new sessions find the file that they should, and it starts."""

import os
from collections.abc import Iterator, Sequence
from itertools import groupby

from unified_shell.core.commands.candidates import NameReport, look_for_command
from unified_shell.core.commands.preferred import Choice, all_choices, links_folder, target_of
from unified_shell.core.environments.model.registry import hidden_environment
from unified_shell.core.errors import UshError
from unified_shell.core.findings import Cause, Finding, Mend, MendKind
from unified_shell.core.machine.files.tree_links import is_tree_link, leads_to
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.sessions.name_lookup import NameLookup, lookup_in
from unified_shell.core.shells.tracing.winning_lines import way_out
from unified_shell.core.verification.names.launching import is_safe_to_start
from unified_shell.core.verification.names.managed_places import managed_places
from unified_shell.core.verification.packages.environment_checks import check_environment
from unified_shell.core.verification.packages.package_checks import told_of_command
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .file_checks import can_start, launches
from .new_sessions import NewSession

__all__ = ["COMMAND_CHECKS"]


def leads_to_its_file(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge the links of a preferred or got command: each leads to the file that was chosen, which is there."""
    choice = _choice(target, around)
    if choice is None:
        return
    locations = _locations(choice, around)
    scope = () if choice.scope is Scope.ME else ("--for", "everyone")
    mend = Mend(MendKind.COMMAND, choice.name) if choice.scope is Scope.ME else None
    wrong = 0
    for name in choice.names:
        link = join(links_folder(locations), name)
        wanted = target_of(choice, name, locations)
        question = f"{name} leads to the file that was chosen"
        again = ush("command", "prefer", choice.name, choice.candidate, *scope)
        if not os.path.exists(wanted) and not choice.launcher:
            answer = f"{around.shown(wanted)} is gone"
            drop = (
                ush("command", "drop", choice.name, *scope),
                "or",
                ush("look", choice.name, why="other candidates"),
            )
            yield fault(choice.name, question, answer, Cause.LINK_DANGLES, drop)
        elif not is_tree_link(link):
            yield fault(choice.name, question, "its link is gone", Cause.NOT_FOUND, again, mend=mend)
        elif leads_to(link) != wanted or not os.path.exists(wanted):
            answer = f"it leads to {around.shown(leads_to(link))}"
            yield fault(choice.name, question, answer, Cause.LINK_DANGLES, again, mend=mend)
        else:
            continue
        wrong += 1
        break
    if not wrong:
        yield passed(choice.name, "leads to the file that was chosen", around.shown(choice.candidate))


def is_found(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge which file each new session starts: the preferred one, else the same in all, and no alias before it."""
    choice = _choice(target, around)
    if choice is not None and any(one.is_fault for one in leads_to_its_file(target, around)):
        return  # what follows from that is no fault of its own
    expected = join(links_folder(_locations(choice, around)), target.name) if choice is not None else ""
    seen = [(one, lookup_in(one.session, target.name)) for one in around.sessions.opened if not one.session.trouble]
    report: NameReport | None = None
    first = next((meaning.file for _, meaning in seen if meaning.file), "")
    for one, meaning in seen:
        question = f"is found in a {one.title}"
        if meaning.instead.startswith(("an alias", "a function")) and not _only_adds_options(meaning, target.name):
            remedy = ush("look", target.name)
            yield fault(target.name, question, meaning.instead, Cause.ALIAS_ANSWERS, remedy)
        elif not meaning.file and meaning.instead:
            yield passed(target.name, question, meaning.instead)
        elif not meaning.file:
            report = report or _report(target.name, around)
            yield _missing(target.name, one, report, around)
        elif (expected and meaning.file != expected) or (not expected and not _same(meaning.file, first)):
            yield _shadowed(target.name, meaning, expected or first, one, around)
        else:
            yield passed(target.name, question, around.shown(meaning.file))


def _only_adds_options(meaning: NameLookup, name: str) -> bool:
    return bool(meaning.file) and meaning.instead.partition("an alias answers: ")[2].split(" ")[0] == name


def _same(file: str, other: str) -> bool:
    return file == other or os.path.realpath(file) == os.path.realpath(other)


def _report(name: str, around: Surroundings) -> NameReport:
    return look_for_command(name, around.host, managed_places(around.host, around.locations), around.wiring)


def _missing(name: str, one: NewSession, report: NameReport, around: Surroundings) -> Finding:
    question = f"is found in a {one.title}"
    if report.candidates and (one.dialect.name, one.mode) not in around.sessions.wired and not around.wiring.is_empty:
        why = f"a {one.title} does not read the wiring"
        return fault(name, question, why, Cause.NOT_ON_PATH, ush("shell", "wire", one.dialect.name))
    if not report.candidates:
        return fault(name, question, "not installed", Cause.NOT_FOUND, report.remedy or ush("look", name))
    best = report.candidates[0]
    folder = os.path.dirname(best.path)
    if best.position and best.why:
        return fault(name, question, f"{best.path} {best.why}", Cause.NOT_EXECUTABLE, ush("look", name))
    why = f"{best.path} is on this machine, but its directory is on no search path there"
    remedy: NextStep = report.remedy or ush("path", "add", folder)
    return fault(name, question, why, Cause.NOT_ON_PATH, remedy)


def _shadowed(name: str, meaning: NameLookup, expected: str, one: NewSession, around: Surroundings) -> Finding:
    folder = os.path.dirname(meaning.file)
    where, remedy = way_out(folder, one.dialect, one.mode, around.host)
    line = f": {where} puts its directory in front" if where else ""
    why = f"it starts {around.shown(meaning.file)}, not {around.shown(expected)}{line}"
    if (one.dialect.name, one.mode) not in around.sessions.wired and not around.wiring.is_empty:
        remedy = ush("shell", "wire", one.dialect.name)
    return fault(name, f"is found in a {one.title}", why, Cause.SHADOWED, remedy or ush("look", name))


def starts(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge the files that new sessions start for the name: from their headers, and by starting what is safe to start."""
    for file, sessions in _answering(target.name, around):
        one = sessions[0]
        entries = one.session.search_path()
        verdicts = list(can_start(file, around, entries, one.session.search_path("LD_LIBRARY_PATH")))
        yield from verdicts
        choice = _choice(target, around)
        # Whether a command of an environment of its own starts, is seen by loading its entry point there.
        own = choice is not None and bool(choice.environment) and not (around.launch or is_safe_to_start(file))
        if all(each.passed for each in verdicts) and not (own and not target.bound):
            yield from launches(file, target.bound, around, dict(one.session.variables))


def _answering(name: str, around: Surroundings) -> list[tuple[str, Sequence[NewSession]]]:
    """Return the files that answer to a name, each with the sessions in which it does."""
    seen = [(lookup_in(one.session, name).file, one) for one in around.sessions.opened if not one.session.trouble]
    seen = sorted(((file, one) for file, one in seen if file), key=lambda pair: pair[0])
    return [(file, [one for _, one in group]) for file, group in groupby(seen, key=lambda pair: pair[0])]


def works_in_its_environment(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge the environment of its own that a got command has, with all that is in it."""
    choice = _choice(target, around)
    if choice is None or not choice.environment:
        return
    locations = _locations(choice, around)
    try:
        environment = hidden_environment(choice.environment, locations)
    except UshError as error:
        again = ush("command", "drop", choice.name, why="then get it again")
        yield fault(target.name, "its environment is there", error.message, Cause.CONTENTS_UNREADABLE, again)
        return
    found = check_environment(environment, around.host, thorough=around.thorough, limit_seconds=around.limit_seconds)
    yield from told_of_command(found, choice.name, environment)


def _choice(target: Target, around: Surroundings) -> Choice | None:
    return next((one for one in all_choices(around.host, around.locations) if target.name in one.names), None)


def _locations(choice: Choice, around: Surroundings) -> Locations:
    return around.locations if choice.scope is around.locations.scope else everyone_locations(around.host)


COMMAND_CHECKS = (
    Check(
        name="command-link",
        kind=Kind.COMMAND,
        asks="a preferred command leads to the file that was chosen",
        cost=Cost.FILES,
        judge=leads_to_its_file,
    ),
    Check(
        name="command-found",
        kind=Kind.COMMAND,
        asks="each new session finds the expected file, not another one, an alias or a function",
        cost=Cost.SESSIONS,
        judge=is_found,
    ),
    Check(
        name="command-starts",
        kind=Kind.COMMAND,
        asks="the file has all that it needs to start; interpreters, compilers and what names --version are started",
        cost=Cost.PROGRAMS,
        judge=starts,
    ),
    Check(
        name="command-environment",
        kind=Kind.COMMAND,
        asks="the environment of a got command is as recorded and imports",
        cost=Cost.PROGRAMS,
        judge=works_in_its_environment,
    ),
)
