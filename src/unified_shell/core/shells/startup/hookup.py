"""Wiring shells: which files take the hook-up, the plan for it, and the new session that proves it."""

import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.blocks import BlockState, add_block, find_block, make_block, take_block_out
from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.steps import DropBlock, PutBlock, ReplaceFile
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.table import SH
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables
from unified_shell.core.shells.wiring.session_places import session_file

from .hook_placing import Placing, place_hook
from .own_shells import wired_modes
from .startup_files import StartupState, check_takes_block, hook_file, read_startup_states

__all__ = [
    "SESSIONS_NOTE",
    "HookUp",
    "plan_at_end",
    "plan_hookup",
    "plan_unhook",
]


SESSIONS_NOTE = plan_line(LineKind.NOTE, About.OPENS_SESSIONS)


class HookUp(Struct, frozen=True, kw_only=True):
    """The steps that wire shells, their lines in the plan, and the blocks that are there already.

    `modes` are the kinds of session that will read the wiring by it, or read it no more; `fresh` those of them that will
    by a block that is put now; `files` are those that change, with the dialect they are in.
    """

    steps: tuple[PutBlock | DropBlock | ReplaceFile, ...]
    lines: tuple[PlanLine, ...]
    relies_on: tuple[str, ...] = ()
    modes: "tuple[tuple[Dialect, Mode], ...]" = ()
    files: "tuple[tuple[Place, Dialect], ...]" = ()
    fresh: "tuple[tuple[Dialect, Mode], ...]" = ()


def plan_hookup(shells: Sequence[Dialect], host: Host, locations: Locations) -> HookUp:
    """Plan one block in each file that these shells read, each file once.

    Raises CouldNot and Refused for a file that cannot take it.
    """
    steps: dict[str, PutBlock | ReplaceFile] = {}
    lines: list[PlanLine] = []
    there: list[str] = []
    modes: list[tuple[Dialect, Mode]] = []
    fresh: list[tuple[Dialect, Mode]] = []
    files: dict[Place, Dialect] = {}
    for dialect in shells:
        for mode in Mode:
            state = hook_file(dialect, mode, host)
            if state is None:
                continue
            modes.append((dialect, mode))
            if state.real in steps:
                fresh.append((dialect, mode))
                continue
            check_takes_block(state, host)
            _check_tail(dialect, state, host)
            if state.block is BlockState.WHOLE:
                there.append(f"block in {state.real}")
                continue
            placing = _placing(dialect, state, shells, host)
            step = _put(dialect, state, placing, host, locations)
            steps[state.real] = step
            fresh.append((dialect, mode))
            files[state.real] = _owner(dialect, state)
            lines += [_line(dialect, state, step), *_warnings(state, placing)]
            compiled = read_file(f"{state.real}.zwc")
            if compiled is not None:
                # zsh reads the compiled copy where it is not older, and would not see the edit.
                place = Place(f"{state.real}.zwc")
                steps[place] = ReplaceFile(path=place, before=kept_bytes(compiled[0]), after=None)
                lines.append(plan_line(LineKind.REMOVE, About.COMPILED_COPY, file=place))
    return HookUp(
        steps=tuple(steps.values()),
        lines=tuple(lines),
        relies_on=tuple(dict.fromkeys(there)),
        modes=tuple(modes),
        files=tuple(files.items()),
        fresh=tuple(fresh),
    )


def plan_at_end(shells: Sequence[Dialect], host: Host, locations: Locations) -> HookUp:
    """Plan the hook-up behind everything else in each file that these shells read: what it puts in front, stays there."""
    hookup = plan_hookup(shells, host, locations)
    steps, lines, files, fresh = list(hookup.steps), list(hookup.lines), dict(hookup.files), list(hookup.fresh)
    for dialect, mode in hookup.modes:
        state = hook_file(dialect, mode, host)
        if state is None or state.block is not BlockState.WHOLE:
            continue
        moved = _moved_to_end(state)
        if moved is None:
            continue
        fresh.append((dialect, mode))
        if state.real not in files:
            files[state.real] = _owner(dialect, state)
            steps.append(moved)
            lines.append(plan_line(LineKind.EDIT, About.HOOK_UP_MOVED, file=state.path))
    return replace(hookup, steps=tuple(steps), lines=tuple(lines), files=tuple(files.items()), fresh=tuple(fresh))


def _moved_to_end(state: StartupState) -> ReplaceFile | None:
    content = (read_file(state.real) or (b"",))[0]
    block = find_block(content)
    if not content[block.end :].strip():
        return None
    rest = take_block_out(content, block)
    after = add_block(rest, block.text)
    return ReplaceFile(path=state.real, before=kept_bytes(content), after=kept_bytes(after))


def plan_unhook(shells: Sequence[Dialect], host: Host) -> HookUp:
    """Plan to take the block out of every file of these shells that has it."""
    steps: dict[str, DropBlock] = {}
    files: dict[Place, Dialect] = {}
    lines = []
    for dialect in shells:
        for state in read_startup_states(dialect, host):
            if state.real in steps or state.block is BlockState.ABSENT:
                continue
            check_takes_block(state, host)
            content = (read_file(state.real) or (b"",))[0]
            block = find_block(content)
            files[state.real] = _owner(dialect, state)
            steps[state.real] = DropBlock(
                path=state.real,
                block=block.text,
                at=block.start,
                file_size_bytes=len(content) - (block.end - block.start),
            )
            lines.append(
                plan_line(
                    LineKind.EDIT,
                    About.HOOK_UP_REMOVED,
                    file=state.path,
                    diff=tuple(f"- {line}" for line in block.text.splitlines()),
                )
            )
    return HookUp(
        steps=tuple(steps.values()), lines=tuple(lines), modes=wired_modes(host), files=tuple(files.items())
    )


def _check_tail(dialect: Dialect, state: StartupState, host: Host) -> None:
    """Raise Refused where what stands at the file's end would never run.

    Below a syntax error nothing runs, and an open here-document swallows it: of that bash only warns, with
    exit code 0. Shells that say nothing are told apart by the new session.
    """
    program, owner = find_program(dialect, host), _owner(dialect, state)
    if not state.exists or program is None or not owner.syntax_check(state.real):
        return
    ran = run_program(
        (program, *dialect.syntax_check(state.real)), environment=fresh_variables(host, program), timeout_seconds=10
    )
    name = shown(state.path, host.home)
    if ran.returncode:
        error = ran.trouble.replace(state.real, name)
        raise Refused(
            f"{name} has a syntax error, so nothing below it runs: {error}",
            next_step=f"correct it in {name}, then try again",
        )
    if b"here-document" in ran.errors or b"here document" in ran.errors:
        raise Refused(
            f"{name} ends inside a here-document, which would swallow what follows",
            next_step=f"close it in {name}, then try again",
        )


def _owner(dialect: Dialect, state: StartupState) -> Dialect:
    # ~/.profile is read by every shell of the family, so it reads the session file that all understand.
    return SH if os.path.basename(state.path) == ".profile" else dialect


def _block_for(dialect: Dialect, state: StartupState, host: Host, locations: Locations) -> str:
    owner = _owner(dialect, state)
    return make_block(owner.hook_lines(session_file(owner, locations), host.home))


def _placing(dialect: Dialect, state: StartupState, shells: Sequence[Dialect], host: Host) -> Placing:
    """Return where the hook-up stands, for all sessions of these shells that read the file."""
    readers = [
        (one, mode)
        for one in shells
        for mode in Mode
        if (file := hook_file(one, mode, host)) is not None and file.real == state.real
    ]
    return place_hook(state.path, _owner(dialect, state), readers, host) if state.exists else Placing()


def _put(dialect: Dialect, state: StartupState, placing: Placing, host: Host, locations: Locations) -> PutBlock:
    """Return the step that puts the block where it runs: at the end, or above a line that leaves the file."""
    content = (read_file(state.real) or (b"",))[0]
    block = _block_for(dialect, state, host, locations)
    if placing.at < 0:
        return PutBlock(path=state.real, block=block)
    return PutBlock(path=state.real, block=block, at=placing.at, file_size_bytes=len(content))


def _warnings(state: StartupState, placing: Placing) -> list[PlanLine]:
    found = []
    if placing.at >= 0:
        found.append(plan_line(LineKind.NOTE, About.HOOK_UP_ABOVE, file=state.path, line=placing.line))
    if state.exists and os.stat(state.real).st_nlink > 1:
        found.append(plan_line(LineKind.WARNING, About.SECOND_NAME, file=state.path))
    if state.exists and not os.stat(state.real).st_mode & 0o200:
        found.append(plan_line(LineKind.WARNING, About.READ_ONLY, file=state.path))
    return found


def _line(dialect: Dialect, state: StartupState, step: PutBlock) -> PlanLine:
    content = read_file(state.real)
    before = None if content is None else content[0]
    after = add_block(before, step.block, at=step.at if step.at >= 0 else None)
    block = find_block(after)
    added = after[block.start : block.end].decode("utf-8", "replace")
    return plan_line(
        LineKind.EDIT,
        About.HOOK_UP,
        file=state.path,
        new=not state.exists,
        reader=dialect.name,
        mode=state.mode.value,
        link=state.real if state.real != state.path else "",
        diff=tuple(f"+ {line}" for line in added.splitlines()),
    )
