"""What an unpacked archive is, by what is in it: a source to build, a ready interpreter, or one that `ush` packed."""

import os
import re
from collections.abc import Sequence
from enum import Enum

from msgspec import Struct

from unified_shell.core.errors import CouldNot
from unified_shell.core.interpreters.languages import SourceTree, languages
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import from_json_text, join
from unified_shell.core.machine.programs.elf import read_elf
from unified_shell.core.machine.programs.executables import FileKind, is_executable_file, read_executable
from unified_shell.core.next_steps import ush

__all__ = ["PACKED_FILE", "Content", "DetectedContent", "detect_content", "guess_from_names"]

PACKED_FILE = "unified-shell-packed.json"


class Content(Enum):
    """What a tree is."""

    SOURCE = "source"
    READY = "archive"
    PACKED = "packed"


class DetectedContent(Struct, frozen=True, kw_only=True):
    """What was recognised. `built_for` are the prefixes that a ready tree was made for, as far as anything tells:
    one that was copied by hand before names more than one.

    `executable` is relative to the tree, empty for a source.
    """

    content: Content
    language: str
    version: str
    executable: str = ""
    built_for: tuple[str, ...] = ()


def detect_content(tree: str, host: Host, *, executable: str = "") -> DetectedContent:
    """Look at a tree; `executable` is where a description says that its interpreter is.

    Raises CouldNot for what is no interpreter, or one for another kind of machine.
    """
    for language, source in _sources():
        if all(os.path.isfile(join(tree, file)) for file in source.files):
            version = _source_version(source, join(tree, source.version_file))
            return DetectedContent(content=Content.SOURCE, language=language, version=version)
    language, path = _executable_of(tree, executable)
    _check_machine(join(tree, path), host)
    packed = read_file(join(tree, PACKED_FILE))
    content = Content.PACKED if packed else Content.READY
    told = from_json_text(packed[0]) if packed else {}
    packed_from = str(told.get("prefix", "")) if isinstance(told, dict) else ""
    return DetectedContent(
        content=content,
        language=language,
        version="",
        executable=path,
        built_for=tuple(
            dict.fromkeys(one for one in (packed_from, _built_for(tree, path, language)) if one.strip("/"))
        ),
    )


def guess_from_names(names: Sequence[str]) -> str:
    """Return the language that an archive's names make it a source of, or an empty text."""
    inside = {name.split("/", 1)[1] for name in names if "/" in name.strip("/")} | set(names)
    return next((name for name, source in _sources() if all(file in inside for file in source.files)), "")


def _sources() -> list[tuple[str, SourceTree]]:
    return [(one.name, one.source) for one in languages() if one.source is not None]


def _executable_of(tree: str, told: str) -> tuple[str, str]:
    paths = [told] if told else [f"bin/{name}" for name in _sorted_names(join(tree, "bin"))]
    for path in paths:
        language = next((one.name for one in languages() if one.is_executable_name(os.path.basename(path))), "")
        if language and (is_executable_file(join(tree, path)) or os.path.islink(join(tree, path))):
            return language, path
    windows = [name for name in _sorted_names(tree) if name.endswith(".exe")]
    if windows:
        raise CouldNot(
            f"it is made for Windows: it contains {windows[0]}", next_step="get one that is made for Linux"
        )
    raise CouldNot(
        "neither a known source (CPython, Lua) nor a ready-built interpreter: there is none in bin/",
        next_step=ush("interpreter", "get", "--help"),
    )


def _sorted_names(folder: str) -> list[str]:
    # The most particular name first: python3.12 rather than a link python to it.
    try:
        return sorted(os.listdir(folder), key=lambda name: (-len(name), name))
    except OSError:
        return []


def _check_machine(path: str, host: Host) -> None:
    facts = read_executable(os.path.realpath(path))
    if facts.kind not in (FileKind.ELF, FileKind.MACH_O, FileKind.PE):
        return
    fits = facts.kind is FileKind.ELF and facts.architecture in (host.architecture, *host.also_runs)
    if not fits:
        raise CouldNot(
            f"it is made for another kind of machine: {facts.title}; this one is {host.system.value},"
            f" {host.architecture}",
            next_step=f"get one for {host.architecture}",
        )


def _source_version(source: SourceTree, path: str) -> str:
    with open(path, encoding="utf-8", errors="replace") as file:
        text = file.read(200_000)
    return source.read_version(text)


def _built_for(tree: str, executable: str, language: str) -> str:
    """Return the prefix that a tree was made for, as far as anything in it tells."""
    if language == "python" and (prefix := _prefix_of_python(tree)):
        return prefix
    elf = read_elf(os.path.realpath(join(tree, executable)))
    for folder in (*elf.run_path, *elf.inherited_path) if elf is not None else ():
        # A run path of PREFIX/lib, where the tree has a lib as well.
        if folder.startswith("/") and os.path.isdir(join(tree, os.path.basename(folder))):
            return os.path.dirname(folder)
    for name in _sorted_names(join(tree, "bin")):
        interpreter = read_executable(join(tree, "bin", name)).interpreter
        prefix, _, rest = interpreter.rpartition("/bin/")
        if prefix and os.path.lexists(join(tree, "bin", rest)) and prefix not in ("", "/usr", "/usr/local"):
            return prefix
    return ""


def _prefix_of_python(tree: str) -> str:
    """Return the prefix that a Python was configured for, from its own build settings."""
    library = join(tree, "lib")
    for name in _sorted_names(library):
        if not re.fullmatch(r"python\d\.\d+t?", name):
            continue
        for file in _sorted_names(join(library, name)):
            if file.startswith("_sysconfigdata") and file.endswith(".py"):
                return _prefix_in(join(library, name, file))
    return ""


def _prefix_in(path: str) -> str:
    with open(path, encoding="utf-8", errors="replace") as file:
        found = re.search(r"^\s*['\"]prefix['\"]\s*:\s*['\"]([^'\"]+)['\"]", file.read(), re.MULTILINE)
    return found[1] if found else ""
