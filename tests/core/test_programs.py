"""Program headers, run paths and the libraries that a loader takes, against the system's own tools."""

import os
import re
import shutil
import struct
import subprocess
from pathlib import Path

import pytest
from elftools.elf.dynamic import DynamicSegment
from elftools.elf.elffile import ELFFile

from support.interpreters import lua_tree
from unified_shell.core.installation.relocation import check_libraries, relocate_tree
from unified_shell.core.machine.programs.elf import read_elf
from unified_shell.core.machine.programs.elf_rewriting import with_run_paths
from unified_shell.core.machine.programs.executables import FileKind, parse_executable
from unified_shell.core.machine.programs.shared_libraries import resolve_libraries

SOME = [
    path
    for folder in ("/usr/bin", "/usr/lib/x86_64-linux-gnu")
    for path in sorted(Path(folder).glob("*"))[::19]
    if path.is_file() and path.read_bytes()[:4] == b"\x7fELF"
][:60]


def test_headers_are_read_as_an_independent_reader_does() -> None:
    assert len(SOME) > 10
    for path in SOME:
        mine = read_elf(str(path))
        with path.open("rb") as file:
            theirs = ELFFile(file)
            dynamic = next((one for one in theirs.iter_segments() if one["p_type"] == "PT_DYNAMIC"), None)
            tags = list(dynamic.iter_tags()) if isinstance(dynamic, DynamicSegment) else []
            needed = tuple(str(vars(tag)["needed"]) for tag in tags if tag["d_tag"] == "DT_NEEDED")
            paths = [str(vars(tag)["runpath"]) for tag in tags if tag["d_tag"] == "DT_RUNPATH"]
            assert mine is not None
            assert mine.needed == needed, path
            assert mine.run_path == tuple(part for text in paths for part in text.split(":")), path


def test_libraries_are_found_as_the_loader_finds_them() -> None:
    for path in SOME[:25]:
        said = subprocess.run(["ldd", path], capture_output=True, text=True, check=False).stdout
        theirs = {
            name: os.path.realpath(place) for name, place in re.findall(r"^\s*(\S+) => (/\S+)", said, re.MULTILINE)
        }
        mine = {name: os.path.realpath(place) for name, place in resolve_libraries(str(path)).items() if place}
        assert {name: mine.get(name) for name in theirs} == theirs, path


@pytest.mark.parametrize("length", [1, 40, 400], ids=["shorter", "longer", "much longer"])
def test_a_run_path_is_exchanged_and_the_program_runs(tmp_path: Path, length: int) -> None:
    tree = lua_tree(tmp_path / "built")
    elsewhere = tmp_path / ("x" * 200) / ("y" * 200) / "lib" if length > 40 else tmp_path / ("l" * length)
    elsewhere.mkdir(parents=True)
    (tree / "lib/libhum.so.1").rename(elsewhere / "libhum.so.1")
    program = tree / "bin/lua"
    assert subprocess.run([program], capture_output=True, check=False).returncode == 127
    elf = read_elf(str(program))
    assert elf is not None
    program.write_bytes(with_run_paths(program.read_bytes(), elf, {f"{tree}/lib": str(elsewhere)}))
    assert subprocess.run([program], capture_output=True, check=True).stdout.startswith(b"Lua 5.4.9  hums")
    again = read_elf(str(program))
    assert again is not None
    assert (again.run_path, again.needed) == ((str(elsewhere),), elf.needed)


@pytest.mark.posix
def test_a_tree_is_freed_from_where_it_was_built(tmp_path: Path) -> None:
    old, new = tmp_path / "where it was built", tmp_path / "new"
    lua_tree(old)
    shutil.copytree(old, new, symlinks=True)
    assert [fault.split(" needs ")[1].split()[0] for fault in check_libraries(str(new), str(old))] == ["libhum.so.1"]
    moved = relocate_tree(str(new), str(old), str(new))
    assert (moved.programs, moved.texts, moved.links, moved.stuck) == (1, 1, 1, ())
    assert check_libraries(str(new), str(old)) == ()
    shutil.rmtree(old)
    assert subprocess.run([new / "bin/lua"], capture_output=True, check=True).stdout.startswith(b"Lua 5.4.9  hums")
    assert (
        subprocess.run([new / "bin/lua", "prefix"], capture_output=True, text=True, check=True).stdout == f"{new}\n"
    )
    text = (new / "bin/lua-tool").read_text()
    assert text.startswith(f"#!{new}/bin/lua\n")
    assert f"see {new}/share and {old}-other" in text, "what only begins like the old place is another one"
    assert (new / "share/absolute").readlink() == Path("../lib/libhum.so.1")
    assert b"where it was built/lib" not in (new / "bin/lua").read_bytes()


def test_of_a_place_that_others_share_only_what_is_meant_is_rewritten(tmp_path: Path) -> None:
    for name, text in {
        "bin/lua": "",
        "bin/tool": "#!/usr/bin/lua\nprint('/usr/share/bees')\n",
        "bin/other": "#!/usr/bin/env lua\n",
        "lib/pkgconfig/lua.pc": "prefix=/usr\nlibs=/usr/lib\n",
        "share/readme": "see /usr/share/doc\n",
    }.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(text)
    relocate_tree(str(tmp_path), "/usr", "/new")
    assert (tmp_path / "bin/tool").read_text() == "#!/new/bin/lua\nprint('/usr/share/bees')\n"
    assert (tmp_path / "bin/other").read_text() == "#!/usr/bin/env lua\n"
    assert (tmp_path / "lib/pkgconfig/lua.pc").read_text() == "prefix=/new\nlibs=/new/lib\n"
    assert (tmp_path / "share/readme").read_text() == "see /usr/share/doc\n"


@pytest.mark.posix
def test_a_prefix_that_does_not_fit_is_told(tmp_path: Path) -> None:
    old = lua_tree(tmp_path / "a")
    target = f"{tmp_path}/{'b' * 60}"
    assert relocate_tree(str(old), str(old), target).stuck == ("bin/lua",)


def _elf(machine: int, *, wide: bool) -> bytes:
    return b"\x7fELF" + bytes([2 if wide else 1, 1, 1]) + b"\0" * 9 + struct.pack("<HH", 2, machine) + b"\0" * 100


def _pe(machine: int) -> bytes:
    return (
        b"MZ" + b"\0" * 58 + struct.pack("<I", 128) + b"\0" * 64 + b"PE\0\0" + struct.pack("<H", machine) + b"\0" * 20
    )


HEADS = {
    "aarch64": (_elf(183, wide=True), FileKind.ELF, "aarch64", 64),
    "i386": (_elf(3, wide=False), FileKind.ELF, "i386", 32),
    "unknown machine": (_elf(999, wide=True), FileKind.ELF, "machine 999", 64),
    "macOS": (b"\xcf\xfa\xed\xfe" + struct.pack("<I", 0x0100000C) + b"\0" * 40, FileKind.MACH_O, "aarch64", 64),
    "macOS, two": (
        b"\xca\xfe\xba\xbe"
        + struct.pack(">I", 2)
        + struct.pack(">5I", 0x01000007, 0, 0, 0, 0)
        + struct.pack(">5I", 0x0100000C, 0, 0, 0, 0),
        FileKind.MACH_O,
        "x86_64 and aarch64",
        64,
    ),
    "Windows": (_pe(0x8664), FileKind.PE, "x86_64", 64),
    "Windows, 32 bit": (_pe(0x14C), FileKind.PE, "i386", 32),
    "a class file of Java": (b"\xca\xfe\xba\xbe\0\0\0\x41" + b"\0" * 40, FileKind.OTHER, "", 0),
    "old DOS": (b"MZ" + b"\0" * 200, FileKind.OTHER, "", 0),
}


@pytest.mark.parametrize(("head", "kind", "architecture", "bits"), HEADS.values(), ids=HEADS.keys())
def test_program_heads(head: bytes, kind: FileKind, architecture: str, bits: int) -> None:
    found = parse_executable(head)
    assert (found.kind, found.architecture, found.word_size_bits) == (kind, architecture, bits)
