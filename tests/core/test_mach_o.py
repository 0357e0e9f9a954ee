"""Program files of macOS, made by hand as its headers say and read by a second reader too; and what they need, looked for."""

import os
import random
import struct
from pathlib import Path

import msgspec
import pytest
from macholib.mach_o import LC_LOAD_WEAK_DYLIB  # type: ignore[import-untyped]  # it has no types
from macholib.MachO import MachO as SecondReader  # type: ignore[import-untyped]

from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.findings import Cause
from unified_shell.core.machine.host import System, read_host
from unified_shell.core.machine.processes import quarantine
from unified_shell.core.machine.programs.mach_o import lacking_mac_libraries, read_mach_o

MACHINES = {"x86_64": 0x01000007, "aarch64": 0x0100000C, "i386": 7, "ppc": 18}
KINDS = {"program": 2, "library": 6, "module": 8}
LOAD, WEAK, RUN_PATH, IDENTITY = 0xC, 0x80000018, 0x8000001C, 0xD


def part(
    machine: str, kind: str = "program", *, needs: tuple[str, ...] = (), weak: tuple[str, ...] = (),
    run_paths: tuple[str, ...] = (), order: str = "<", stored: int = 64,
) -> bytes:  # fmt: skip
    """One machine's program: header, a segment that covers all of it, and what it loads."""
    wide = machine in ("x86_64", "aarch64")
    texts = [(LOAD, one) for one in needs] + [(WEAK, one) for one in weak] + [(RUN_PATH, one) for one in run_paths]
    texts += [(IDENTITY, "@rpath/self.dylib")] if kind == "library" else []
    body = b""
    for number, text in texts:
        head = 12 if number == RUN_PATH else 24
        padded = text.encode() + b"\0"
        padded += b"\0" * (-(head + len(padded)) % 8)
        body += struct.pack(f"{order}III", number, head + len(padded), head) + b"\0" * (head - 12) + padded
    body += struct.pack(f"{order}IIIIII", 0x32, 24, 1, 11 << 16, 14 << 16, 0)
    size = 72 if wide else 56
    start, length = (32 if wide else 28), size + len(body)
    total = start + length + stored
    form = f"{order}II16s{'QQQQ' if wide else 'IIII'}iiII"
    segment = struct.pack(form, 0x19 if wide else 1, size, b"__TEXT", 0, total, 0, total, 7, 5, 0, 0)
    magic = 0xFEEDFACF if wide else 0xFEEDFACE
    count = len(texts) + 2
    header = struct.pack(f"{order}IIIIIII", magic, MACHINES[machine], 0, KINDS[kind], count, length, 0)
    return header + (b"\0" * 4 if wide else b"") + segment + body + b"\x90" * stored


def universal(*parts: tuple[str, bytes]) -> bytes:
    at, head, content = 4096, b"", b""
    for machine, one in parts:
        head += struct.pack(">IIIII", MACHINES[machine], 0, at, len(one), 12)
        content += one + b"\0" * (-len(one) % 4096)
        at += len(one) + (-len(one) % 4096)
    return (struct.pack(">II", 0xCAFEBABE, len(parts)) + head).ljust(4096, b"\0") + content


def _second_reading(path: Path) -> list[tuple[str, ...]]:
    return [
        tuple(name for _, _, name in header.walkRelocatables() if name not in _weak(header))
        for header in SecondReader(str(path)).headers
    ]


def _weak(header: object) -> set[str]:
    commands = header.commands  # type: ignore[attr-defined]
    return {data.rstrip(b"\0").decode() for command, _, data in commands if command.cmd == LC_LOAD_WEAK_DYLIB}


def test_what_is_made_is_read_as_a_second_reader_does(tmp_path: Path) -> None:
    chance = random.Random(20261127)
    names = (
        "@rpath/libwax.dylib",
        "@loader_path/../lib/libcomb.dylib",
        "/usr/lib/libSystem.B.dylib",
        "/opt/x y/é.dylib",
    )
    place = tmp_path / "made"
    for _ in range(300):
        machines = chance.sample(list(MACHINES), chance.randint(1, 3))
        given = {
            one: (tuple(chance.sample(names, chance.randint(0, 4))), chance.choice(list(KINDS)), chance.choice("<>"))
            for one in machines
        }
        made = [
            (one, part(one, kind, needs=needs, weak=("/weak.dylib",), run_paths=("@loader_path/..",), order=order))
            for one, (needs, kind, order) in given.items()
        ]
        place.write_bytes(made[0][1] if len(made) == 1 else universal(*made))
        found = read_mach_o(str(place))
        assert [one.needs for one in found] == [needs for needs, _, _ in given.values()]
        assert [one.kind for one in found] == [kind for _, kind, _ in given.values()]
        assert [one.needs for one in found] == _second_reading(place)
        assert {one.oldest_system for one in found} == {"11.0"}
        assert {one.run_paths for one in found} == {("@loader_path/..",)}
        assert not any(one.lost_bytes for one in found)
        content = bytearray(place.read_bytes())
        # Cut, it has lost bytes; altered, it is read or not, and never fails.
        place.write_bytes(content[: -chance.randint(4200, 5000)] if len(made) > 1 else content[:-9])
        assert [one for one in read_mach_o(str(place)) if one.lost_bytes] or len(made) > 1
        for at in chance.sample(range(min(len(content), 400)), 8):
            content[at] = chance.randrange(256)
        place.write_bytes(content)
        read_mach_o(str(place))


def test_libraries_are_looked_for_where_the_loader_does(tmp_path: Path) -> None:
    program = tmp_path / "bin/weigh"
    program.parent.mkdir()
    needs = ("@rpath/libwax.dylib", "@executable_path/../lib/libcomb.dylib", "/usr/lib/libSystem.B.dylib")
    program.write_bytes(
        part("aarch64", needs=needs, weak=("/nowhere/weak.dylib",), run_paths=("@loader_path/../lib",))
    )
    assert lacking_mac_libraries(str(program), "aarch64") == needs[:2]
    (tmp_path / "lib").mkdir()
    # The first needs another by the program's own run path; for another machine it is not looked at.
    (tmp_path / "lib/libwax.dylib").write_bytes(part("aarch64", "library", needs=("@rpath/libdeep.dylib",)))
    (tmp_path / "lib/libcomb.dylib").write_bytes(part("aarch64", "library", needs=("@loader_path/libdeep.dylib",)))
    assert lacking_mac_libraries(str(program), "aarch64") == ("@rpath/libdeep.dylib", "@loader_path/libdeep.dylib")
    (tmp_path / "lib/libdeep.dylib").write_bytes(part("aarch64", "library"))
    assert lacking_mac_libraries(str(program), "aarch64") == ()
    assert lacking_mac_libraries(str(program), "x86_64") == ()


@pytest.mark.parametrize("machine", ["aarch64", "x86_64"])
def test_what_cannot_start_on_a_mac_is_told(tmp_path: Path, machine: str, monkeypatch: pytest.MonkeyPatch) -> None:
    host = msgspec.structs.replace(read_host({"PATH": "/bin"}), system=System.MACOS, architecture=machine)
    program = tmp_path / "weigh"

    def judged(content: bytes) -> tuple[State, Cause, str]:
        program.write_bytes(content)
        program.chmod(0o755)
        found = judge_file(str(program), host, entries=())
        return found.state, found.cause, found.why

    whole = part(machine, needs=("/usr/lib/libSystem.B.dylib",))
    assert judged(whole)[0] is State.READY
    assert judged(universal(("i386", part("i386")), (machine, whole)))[0] is State.READY
    assert judged(whole[:-20]) == (
        State.BROKEN,
        Cause.CUT_SHORT,
        "is cut short: 20 bytes of the program are not in the file",
    )
    lacks = judged(part(machine, needs=("@rpath/libwax.dylib",)))
    assert lacks[:2] == (State.BROKEN, Cause.LIBRARY_ABSENT)
    assert lacks[2] == "needs @rpath/libwax.dylib, which is not where the loader looks for it"
    # A stand-in for the system's program, which answers for what has the mark.
    asked = tmp_path / "xattr"
    asked.write_text('#!/bin/sh\n[ "$1 $2" = "-p com.apple.quarantine" ] && grep -q MARKED "$3" && echo 0083\n')
    asked.chmod(0o755)
    monkeypatch.setattr(quarantine, "XATTR", str(asked))
    assert judged(whole) == (State.READY, Cause.UNKNOWN, "")
    marked = judged(whole + b"MARKED")
    assert marked[0] is State.READY
    assert marked[2].endswith("while it has the mark com.apple.quarantine")
    other = judged(part("ppc"))
    assert other[0] is State.MISMATCHED
    assert os.path.exists(program)
