"""Deciding which candidate answers to a name, and its unit with it: links in one managed folder, never elsewhere."""

import os
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, FlipLink, PutRecord, ReplaceFile, Step
from unified_shell.core.errors import Refused, UnknownName
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.files.tree_links import is_tree_link, leads_to
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown, to_json_text
from unified_shell.core.next_steps import Command, Labelled, NextStep, ush
from unified_shell.core.shells.dialects.dialect import Side
from unified_shell.core.shells.dialects.table import SH
from unified_shell.core.shells.planning.everyone import check_for_everyone, check_not_of_others, plan_system_hookup
from unified_shell.core.shells.planning.search_paths import PathRequest, plan_path_add
from unified_shell.core.shells.planning.update_lines import forget_lines
from unified_shell.core.shells.sessions.name_lookup import look_up_name
from unified_shell.core.shells.sessions.path_faults import first_on
from unified_shell.core.shells.startup.own_shells import chosen_shells, wired_modes
from unified_shell.core.shells.tracing.winning_lines import way_out

from .preferred import (
    TABLE,
    Choice,
    all_choices,
    choice_value,
    choices_file,
    launcher_place,
    links_folder,
    read_choices,
    target_of,
)

__all__ = [
    "find_choice",
    "link_steps",
    "on_path",
    "plan_drop_choice",
    "plan_prefer",
    "plan_restore_links",
    "record_step",
]

# Plans are read before they are agreed to; the rest is counted, and shown by `--plan`.
MOST_LINES = 12


def plan_prefer(choice: Choice, host: Host, locations: Locations) -> Change:
    """Plan to let a candidate answer to its names in new sessions."""
    known = {one.name: one for one in read_choices(locations)}
    before = known.get(choice.name)
    if locations.scope is Scope.EVERYONE:
        _check_for_everyone(choice, host)
    choice, yielding = _settled(choice, known)
    _check_strangers(choice, yielding or before, locations)
    if before == choice:
        said = f"{choice.name} starts {shown(choice.candidate, host.home)} already"
        wired = on_path(choice.names, host, locations)
        nothing = said if wired.plan.nothing_to_do else ""
        return replace(wired, plan=replace(wired.plan, aim=said, nothing_to_do=nothing))
    steps = (
        *(_removals(before, choice.names, locations) if before else ()),
        *link_steps(choice, locations),
        record_step(choice, before, locations),
        *_yielded(yielding, choice.name, locations),
    )
    plan = Plan(
        aim=f"Make {shown(choice.candidate, host.home)} the command {choice.name}",
        lines=tuple(_answer_lines(choice, host, locations)),
        afterwards=(
            Labelled(label="Start it", step=Command(words=(choice.name,), why="in a new session")),
            *forget_lines(links_folder(locations), host),
        ),
    )
    change = change_of(plan, prepare=lambda _staging: steps, verify=lambda: _answers(choice, host, locations))
    return merged(change, on_path(choice.names, host, locations))


def plan_restore_links(choice: Choice, host: Host, locations: Locations) -> Change:
    """Plan to let the links of a choice lead to their files again, and its folder stand in front of PATH."""
    steps = link_steps(choice, locations)
    plan = Plan(
        aim=f"Restore the command {choice.name}",
        lines=tuple(_answer_lines(choice, host, locations)),
        nothing_to_do="" if steps else f"{choice.name} leads to {shown(choice.candidate, host.home)} already",
    )
    change = change_of(plan, prepare=lambda _staging: steps, verify=lambda: _answers(choice, host, locations))
    return merged(change, on_path(choice.names, host, locations))


def plan_drop_choice(choice: Choice, host: Host, locations: Locations) -> Change:
    """Plan to take a choice back; what answered before answers again."""
    folder = links_folder(locations)
    entries = [one for one in host.search_path() if one != folder]
    lines = []
    for name in choice.names:
        then = first_on(entries, name)
        lines.append(plan_line(LineKind.REMOVE, About.COMMAND, name=name, then=then, unanswered=not then))
    value = to_json_text(choice_value(choice))
    steps: tuple[Step, ...] = (
        *_removals(choice, (), locations),
        DropRecord(path=choices_file(locations), keys=(TABLE, choice.name), before=value),
    )
    plan = Plan(
        aim=f"Remove the preferred command {choice.name} ({shown(choice.candidate, host.home)})",
        lines=(*lines[:MOST_LINES], *_more(lines)),
        afterwards=forget_lines(folder, host),
    )
    return change_of(plan, prepare=lambda _staging: steps)


def find_choice(name: str, host: Host, locations: Locations) -> Choice:
    """Return the choice of that name; raises UnknownName, and Refused where it is everyone's and mine was asked for."""
    known = {one.name: one for one in read_choices(locations)}
    if name not in known:
        if any(one.name == name for one in all_choices(host, locations)):
            raise Refused(f"{name} was preferred for everyone on this machine", again_with=("--for", "everyone"))
        raise UnknownName("preferred or got command", name, known, next_step=ush("command", "list"))
    return known[name]


def _check_for_everyone(choice: Choice, host: Host) -> None:
    """Raise Refused for a program that others cannot start, or that somebody without rights could replace."""
    for place in dict.fromkeys((choice.candidate, os.path.realpath(choice.candidate))):
        check_for_everyone(os.path.dirname(place))
        check_not_of_others(place, host)


def link_steps(choice: Choice, locations: Locations) -> tuple[Step, ...]:
    """Return the steps that let each name lead to its file; what is right already needs none."""
    steps: list[Step] = []
    for name in choice.names:
        link, target = join(links_folder(locations), name), target_of(choice, name, locations)
        if choice.launcher:
            script = f'#!/bin/sh\nexec {SH.quote(choice.candidate)} "$@"\n'
            steps += _script_steps(launcher_place(name, locations), script)
        if (now := leads_to(link) if is_tree_link(link) else "") != target:
            steps.append(FlipLink(link=link, before=now, after=target))
    return tuple(steps)


def record_step(choice: Choice, before: Choice | None, locations: Locations) -> PutRecord:
    """Return the step that keeps a choice."""
    return PutRecord(
        path=choices_file(locations),
        keys=(TABLE, choice.name),
        before=to_json_text(choice_value(before)) if before else "",
        after=to_json_text(choice_value(choice)),
    )


def on_path(names: Sequence[str], host: Host, locations: Locations) -> Change:
    """Return the change that has the folder of links in front of PATH in new sessions."""
    request = PathRequest(
        directory=links_folder(locations),
        side=Side.FRONT,
        promised=tuple(names),
        outermost=True,
        tried_by_name=True,
    )
    change = plan_path_add(request, chosen_shells(host), host, locations)
    # Which names answer from where is told by the choice itself, file by file.
    told = tuple(line for line in change.plan.lines if line.kind not in (LineKind.ANSWER, LineKind.STAYS))
    plan = Plan(
        aim=change.plan.aim,
        lines=told,
        relies_on=change.plan.relies_on,
        nothing_to_do=change.plan.nothing_to_do,
        afterwards=change.plan.afterwards[1:],
    )
    return Change(plan=plan, prepare=change.prepare)


def _answers(choice: Choice, host: Host, locations: Locations) -> tuple[Finding, ...]:
    """Ask new sessions of the wired shells what answers to the name now."""
    link = join(links_folder(locations), choice.name)
    found = []
    everyone = locations.scope is Scope.EVERYONE
    modes = dict.fromkeys(plan_system_hookup(host, locations).modes) if everyone else wired_modes(host)
    for dialect, mode in modes:
        meaning = look_up_name(dialect, mode, choice.name, host)
        passed = meaning.file == link and not meaning.instead
        remedy: NextStep = ""
        answer = f"by {shown(choice.candidate, host.home)}"
        if not passed:
            answer = meaning.trouble or meaning.instead or f"by {shown(meaning.file, host.home) or 'nothing'}"
            where, remedy = way_out(os.path.dirname(meaning.file), dialect, mode, host) if meaning.file else ("", "")
            answer += f", whose directory {where} puts in front" if where else ""
        found.append(
            Finding(
                subject=f"new {mode.value} {dialect.name}",
                question=f"{choice.name} is answered",
                verdict=verdict_of(passed=passed),
                answer=answer,
                remedy="" if passed else remedy or ush("look", choice.name),
            )
        )
    return tuple(found)


def _settled(choice: Choice, known: dict[str, Choice]) -> tuple[Choice, Choice | None]:
    """Return the choice without names of its unit that others hold, and the one whose unit held its own name.

    A name that only came along with another choice goes to the one that asks for it by name.
    """
    others = {name: one for one in known.values() if one.name != choice.name for name in one.names}
    yielding = others.get(choice.name)
    if yielding is not None and yielding.name == choice.name:
        yielding = None
    names = tuple(name for name in choice.names if name == choice.name or name not in others)
    return replace(choice, names=names), yielding


def _yielded(yielding: Choice | None, name: str, locations: Locations) -> tuple[Step, ...]:
    if yielding is None:
        return ()
    after = replace(yielding, names=tuple(one for one in yielding.names if one != name))
    return (record_step(after, yielding, locations),)


def _check_strangers(choice: Choice, before: Choice | None, locations: Locations) -> None:
    stranger = next((name for name in choice.names if _is_strange(name, before, locations)), "")
    if stranger:
        place = join(links_folder(locations), stranger)
        raise Refused(
            f"{place} was not put there by ush",
            next_step=Command(words=("mv", place, "ELSEWHERE"), why="then try again"),
        )


def _is_strange(name: str, before: Choice | None, locations: Locations) -> bool:
    there = os.path.lexists(join(links_folder(locations), name))
    return there and (before is None or name not in before.names)


def _removals(choice: Choice, but: Sequence[str], locations: Locations) -> list[Step]:
    """Return the steps that take a choice's links away, but for names that go on with another target."""
    steps: list[Step] = []
    for name in choice.names:
        link = join(links_folder(locations), name)
        if name not in but and is_tree_link(link):
            steps.append(FlipLink(link=link, before=leads_to(link), after=""))
        if choice.launcher:
            steps += _script_steps(launcher_place(name, locations), None)
    return steps


def _script_steps(path: Place, script: str | None) -> list[Step]:
    found = read_file(path)
    before = None if found is None else kept_bytes(found[0])
    after = None if script is None else kept_bytes(script.encode("utf-8", "surrogateescape"))
    return [] if before == after else [ReplaceFile(path=path, before=before, after=after, mode_bits=0o755)]


def _answer_lines(choice: Choice, host: Host, locations: Locations) -> list[PlanLine]:
    """Return a line for each name: what will answer to it, and what answers now."""
    lines = []
    for name in choice.names:
        now = first_on([one for one in host.search_path() if one != links_folder(locations)], name)
        target = choice.candidate if choice.launcher else target_of(choice, name, locations)
        shadowed = now if now != target else ""
        kind = LineKind.CHANGE if shadowed else LineKind.ADD
        lines.append(plan_line(kind, About.COMMAND_TARGET, name=name, target=target, shadows=shadowed))
    # What answers otherwise from now on is told, all of it; what is new is summed up.
    changed = [one for one in lines if one.kind is LineKind.CHANGE]
    new = [one for one in lines if one.kind is not LineKind.CHANGE]
    return [*changed, *new[:MOST_LINES], *_more(new)]


def _more(lines: Sequence[PlanLine]) -> list[PlanLine]:
    more = len(lines) - MOST_LINES
    return [plan_line(LineKind.NOTE, About.MORE_NAMES, count=more)] if more > 0 else []
