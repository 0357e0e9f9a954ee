"""Wiring for everyone on this machine: system-wide startup files, and what must hold before they are written."""

import os
import stat
from collections.abc import Sequence

from unified_shell.core.changes.blocks import BlockState, add_block, find_block, make_block
from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.steps import DropBlock, PutBlock
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.locations import Locations, Scope, scratch_root
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.registry.registry import registry_of
from unified_shell.core.next_steps import Command
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.table import DIALECTS, SH
from unified_shell.core.shells.sessions.shell_programs import find_program
from unified_shell.core.shells.startup.hookup import HookUp
from unified_shell.core.shells.wiring.registry_wiring import KEYS
from unified_shell.core.shells.wiring.session_places import session_file

__all__ = ["check_for_everyone", "check_not_of_others", "check_rights", "plan_system_hookup", "plan_system_unhook"]


def plan_system_hookup(host: Host, locations: Locations) -> HookUp:
    """Plan one block in each system-wide file of the shells on this machine; raises Refused without rights."""
    steps: list[PutBlock] = []
    lines: list[PlanLine] = []
    modes: list[tuple[Dialect, Mode]] = []
    files: list[tuple[Place, Dialect]] = []
    fresh: list[tuple[Dialect, Mode]] = []
    for place, owner, readers in _files(host):
        modes += readers
        found = read_file(place)
        block = find_block(b"" if found is None else found[0])
        if block.state is BlockState.DAMAGED:
            raise Refused(f"the hook-up in {place} is {block.state.value}", next_step=f"mend {place}")
        if block.state is BlockState.WHOLE:
            continue
        text = make_block(owner.hook_lines(session_file(owner, locations), ""))
        steps.append(PutBlock(path=place, block=text))
        fresh += readers
        files.append((place, owner))
        added = add_block(None if found is None else found[0], text).decode("utf-8", "replace")
        readers_of = tuple(dict.fromkeys(f"{mode.value} {dialect.name}" for dialect, mode in readers))
        diff = tuple(f"+ {line}" for line in added.splitlines()[-len(text.splitlines()) :])
        lines.append(
            plan_line(LineKind.EDIT, About.HOOK_UP, file=place, new=not found, readers=readers_of, diff=diff)
        )
    return HookUp(
        steps=tuple(steps),
        lines=tuple(lines),
        modes=_openable(modes, host),
        files=tuple(files),
        fresh=_openable(fresh, host),
    )


def plan_system_unhook(host: Host) -> HookUp:
    """Plan to take everyone's block out of every system-wide file that has it."""
    steps: list[DropBlock] = []
    lines: list[PlanLine] = []
    modes: list[tuple[Dialect, Mode]] = []
    files: list[tuple[Place, Dialect]] = []
    for place, owner, readers in _files(host):
        found = read_file(place)
        content = b"" if found is None else found[0]
        block = find_block(content)
        if block.state is BlockState.WHOLE:
            size = len(content) - (block.end - block.start)
            files.append((place, owner))
            steps.append(DropBlock(path=place, block=block.text, at=block.start, file_size_bytes=size))
            diff = tuple(f"- {line}" for line in block.text.splitlines())
            lines.append(plan_line(LineKind.EDIT, About.HOOK_UP_REMOVED, file=place, diff=diff))
            modes += readers
    return HookUp(steps=tuple(steps), lines=tuple(lines), modes=_openable(modes, host), files=tuple(files))


def check_rights(words: Sequence[str], host: Host, locations: Locations) -> None:
    """Raise Refused where the rights are missing, with the line to run with them (`words`) and the personal alternative."""
    places = [locations.data, *(place for place, _, _ in _files(host))]
    if host.system is System.MACOS:
        places.append(Place(f"{scratch_root(host)}/etc/paths.d"))
    missing = next((one for one in places if not _writable(one)), None)
    registry = registry_of(host)
    if missing is None and registry is not None and not registry.may_write(KEYS[Scope.EVERYONE]):
        missing = Place(f"the registry's {KEYS[Scope.EVERYONE]}")
    stranger = _of_others(locations.data, host)
    if stranger:
        raise Refused(
            f"{stranger} belongs to another account, which could change what everyone uses",
            next_step=Command(words=("sudo", "chown", "-R", "root", stranger)),
        )
    if missing is not None:
        raise Refused(
            f"{missing} cannot be written by you",
            where="without --for everyone it works for you alone",
            next_step=Command(words=("sudo", "ush", *words)),
        )


def _of_others(place: str, host: Host) -> str:
    """Return the first folder of our own for everyone, from the top, that is neither root's nor this account's."""
    folders = [place, os.path.dirname(place)]
    for folder in reversed(folders):
        if os.path.isdir(folder) and os.stat(folder).st_uid not in (0, host.user_id):
            return folder
    return ""


def check_for_everyone(directory: str) -> None:
    """Raise Refused for a directory that others can write, or that they cannot read: neither is for everyone.

    Of one that the same change makes, what is there already counts: the folders above it.
    """
    place = directory
    while not os.path.exists(place):
        place = os.path.dirname(place)
    while True:
        mode = os.stat(place).st_mode
        if mode & stat.S_IWOTH and (place == directory or not mode & stat.S_ISVTX):
            raise Refused(
                f"{place} can be written by others, so anybody could put a command there for everyone",
                # A folder such as /tmp is meant to be written by all.
                next_step="choose a directory that only root can write, such as /opt/NAME/bin"
                if mode & stat.S_ISVTX
                else Command(words=("chmod", "o-w", place)),
            )
        if not mode & stat.S_IXOTH:
            raise Refused(
                f"{place} cannot be read by others",
                next_step="put it where others can read, such as /opt or /usr/local",
            )
        above = os.path.dirname(place)
        if above == place:
            return
        place = above


def check_not_of_others(place: str, host: Host) -> None:
    """Raise Refused for an environment or interpreter that somebody else owns or anybody can write: with rights, nothing
    of it is run.
    """
    for one in (place, os.path.join(place, "bin"), os.path.realpath(os.path.join(place, "bin", "python"))):
        if not os.path.exists(one):
            continue
        facts = os.stat(one)
        if facts.st_uid not in (0, host.user_id) or facts.st_mode & stat.S_IWOTH:
            raise Refused(
                f"{one} belongs to another account, or can be written by others; ush does not run it with your rights",
                next_step="let its owner copy it, or make a copy that belongs to you",
            )


def _files(host: Host) -> list[tuple[Place, Dialect, list[tuple[Dialect, Mode]]]]:
    """Return each system-wide file with the dialect whose text stands in it and the sessions that read it."""
    if host.system is System.MACOS:
        return []  # its shells read other files; the lists of path_helper stand for them
    found: dict[str, tuple[Dialect, list[tuple[Dialect, Mode]]]] = {}
    for dialect in DIALECTS:
        if find_program(dialect, host) is None:
            continue
        for mode in Mode:
            place = dialect.system_hook_file(mode)
            if place is not None:
                # A snippet that several shells of the family read is written for the one that can do least.
                owner = SH if place.endswith("/profile.d/unified-shell.sh") else dialect
                found.setdefault(place, (owner, []))[1].append((dialect, mode))
    root = scratch_root(host)
    return [(Place(root + place), owner, readers) for place, (owner, readers) in found.items()]


def _openable(modes: list[tuple[Dialect, Mode]], host: Host) -> tuple[tuple[Dialect, Mode], ...]:
    # New sessions read the files of the real root, never those below a scratch one.
    return () if scratch_root(host) else tuple(modes)


def _writable(place: str) -> bool:
    there = place
    while not os.path.exists(there):
        there = os.path.dirname(there)
    return os.access(there, os.W_OK)
