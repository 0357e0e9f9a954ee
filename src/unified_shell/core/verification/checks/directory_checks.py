"""A directory on a search path: it is there, in every session once, in front of what it is meant to win against."""

import difflib
import os
import stat
import sys
from collections.abc import Iterator

from unified_shell.core.findings import Cause, Finding
from unified_shell.core.machine.common_dirs import absent_volume
from unified_shell.core.machine.places import shown, typed
from unified_shell.core.next_steps import Command, NextStep, ush
from unified_shell.core.shells.dialects.dialect import Side
from unified_shell.core.shells.tracing.tracing import TracedEntry, trace_loss, trace_path
from unified_shell.core.shells.tracing.winning_lines import way_out, winner_against
from unified_shell.core.shells.wiring.conditions import holds
from unified_shell.core.shells.wiring.wiring import Entry
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .new_sessions import NewSession

__all__ = ["DIRECTORY_CHECKS", "absent_place"]


def is_there(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that the directory exists, is one, and nobody else can put commands into it."""
    subject, question, place = _subject(target, around), "is there", target.name
    drop = _drop(target, around)
    if not os.path.lexists(place) or not os.path.exists(place):
        why, cause = absent_place(place, around)
        yield fault(subject, question, why, cause, drop)
    elif not os.path.isdir(place):
        yield fault(subject, question, "it is a file", Cause.DIRECTORY_IS_FILE, drop)
    elif target.variable == "PATH" and os.stat(place).st_mode & stat.S_IWOTH:
        why = "anybody on this machine may put a command into it"
        remedy = Command(words=("chmod", "o-w", place))
        yield fault(subject, "holds your commands only", why, Cause.WRITABLE_BY_OTHERS, remedy)
    else:
        yield passed(subject, question)


def absent_place(place: str, around: Surroundings) -> tuple[str, Cause]:
    """Say why a path leads nowhere: a volume that is not mounted, a link, or a directory that may have another name now."""
    if volume := absent_volume(place):
        return f"the volume {volume} is not mounted", Cause.VOLUME_ABSENT
    if os.path.islink(place):
        return f"a dangling link to {os.readlink(place)}", Cause.LINK_DANGLES
    above = os.path.dirname(place)
    beside = os.listdir(above) if os.path.isdir(above) else []
    near = difflib.get_close_matches(os.path.basename(place), beside, n=1)
    hint = f"; {around.shown(os.path.join(above, near[0]))} is beside it" if near else ""
    return f"it does not exist{hint}", Cause.DIRECTORY_ABSENT


def is_in_sessions(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that new sessions have it on the search path once, where its condition holds, and what answers in its stead."""
    entry = _entry(target, around)
    for one in around.sessions.opened:
        is_wired = (one.dialect.name, one.mode) in around.sessions.wired
        if one.session.trouble or (entry is not None and not is_wired):
            continue  # said of the session itself
        entries = one.session.search_path(target.variable)
        times = entries.count(target.name)
        wanted = 1 if entry is None else int(holds(entry.when, one.mode, around.host))
        question = f"is on {target.variable} of a {one.title}"
        if times == wanted == 0:
            yield passed(
                _subject(target, around), f"{question}, only {entry.when if entry else ''}", "not wanted there"
            )
        elif times == 0:
            yield _lost(target, one, around)
        elif times > 1 and not around.wiring.scripts:
            yield _twice(target, one, around)
        else:
            yield _in_front(target, entry, one, around) or passed(_subject(target, around), question)


def _lost(target: Target, one: NewSession, around: Surroundings) -> Finding:
    culprit = trace_loss(one.dialect, one.mode, around.host, target.name, target.variable)
    why = f"a {one.title} does not have it"
    remedy: NextStep = ush("look", target.name)
    if culprit is not None and culprit.file:
        why = f"{_where(culprit, around)} sets {target.variable} without it: {shown(culprit.command)}"
        remedy = ush("shell", "wire", one.dialect.name, "--at-end")
    elif _entry(target, around) is None:
        remedy = ush("path", "add", target.name, *_variable_words(target))
    return fault(_subject(target, around), f"is on {target.variable}", why, Cause.ENTRY_LOST, remedy)


def _twice(target: Target, one: NewSession, around: Surroundings) -> Finding:
    entries = one.session.search_path(target.variable)
    trace = trace_path(one.dialect, one.mode, around.host, entries, target.variable)
    own = [each for each in trace.entries if each.directory == target.name and "/wiring/" not in each.file]
    lines = " and ".join(_where(each, around) for each in own if each.file)
    why = f"a {one.title} has it {entries.count(target.name)} times{f': {lines} adds it too' if lines else ''}"
    remedy = ush("path", "tidy")
    return fault(_subject(target, around), f"is on {target.variable} once", why, Cause.ENTRY_TWICE, remedy)


def _in_front(target: Target, entry: Entry | None, one: NewSession, around: Surroundings) -> Finding | None:
    """Return the fault that something else's command answers before this directory's; None where none does."""
    if entry is None or entry.side is not Side.FRONT or target.variable != "PATH":
        return None
    every = (*around.wiring.entries, *around.shared_wiring.entries)
    own = [each.directory for each in every if each.variable == "PATH"]
    winner = winner_against(target.name, one.session.search_path(), own)
    if winner is None:
        return None
    where, remedy = way_out(winner.directory, one.dialect, one.mode, around.host)
    puts = f"{where} puts {around.shown(winner.directory)} in front again" if where else ""
    why = puts or f"{around.shown(winner.directory)} stands in front of it"
    why = f"{why}; {winner.command} is answered from there in a {one.title}"
    remedy = remedy or ush("look", winner.command)
    return fault(_subject(target, around), "answers first", why, Cause.ENTRY_BEHIND, remedy)


def hides_no_modules(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a directory on PYTHONPATH, which comes before everything, hides no module of the standard library."""
    if target.variable != "PYTHONPATH" or not os.path.isdir(target.name):
        return
    names = {one.removesuffix(".py") for one in os.listdir(target.name) if one.endswith(".py")}
    names |= {one for one in os.listdir(target.name) if os.path.isfile(os.path.join(target.name, one, "__init__.py"))}
    hidden = sorted(names & sys.stdlib_module_names)
    question = "hides no module of the standard library"
    if hidden:
        why = f"its {hidden[0]} is imported instead of the standard library's, by every Python program"
        remedy = f"rename {hidden[0]} in {typed(target.name, around.host.home)}"
        yield fault(_subject(target, around), question, why, Cause.MODULE_SHADOWED, remedy)
    else:
        yield passed(_subject(target, around), question)


def _where(entry: TracedEntry, around: Surroundings) -> str:
    return around.shown(entry.file) + (f", line {entry.line}," if entry.line else "")


def _subject(target: Target, around: Surroundings) -> str:
    return around.shown(target.name)


def _entry(target: Target, around: Surroundings) -> Entry | None:
    found = around.wiring.find(target.variable, target.name)
    return found or around.shared_wiring.find(target.variable, target.name)


def _variable_words(target: Target) -> tuple[str, ...]:
    return () if target.variable == "PATH" else ("--variable", target.variable)


def _drop(target: Target, around: Surroundings) -> NextStep:
    if _entry(target, around) is None:
        return ush("path", "list", *_variable_words(target), why="what put it there")
    own = around.wiring.find(target.variable, target.name) is not None
    return ush("path", "drop", target.name, *_variable_words(target), *(() if own else ("--for", "everyone")))


DIRECTORY_CHECKS = (
    Check(
        name="directory-there",
        kind=Kind.DIRECTORY,
        asks="a directory on a search path exists, and only its owner can add to it",
        cost=Cost.FILES,
        judge=is_there,
    ),
    Check(
        name="directory-on-path",
        kind=Kind.DIRECTORY,
        asks="each new session that should have it has it once, and nothing in front answers for its commands",
        cost=Cost.SESSIONS,
        judge=is_in_sessions,
    ),
    Check(
        name="directory-hides-modules",
        kind=Kind.DIRECTORY,
        asks="a directory on PYTHONPATH hides no module of the standard library",
        cost=Cost.FILES,
        judge=hides_no_modules,
    ),
)
