"""What a compiled module was made for, by its file's name and header, and which interpreter could load it.

Source: ABI version tagged .so files (PEP 3149); the header of the Executable and Linkable Format.
"""

import os
import re

from msgspec import Struct

from unified_shell.core.machine.programs.executables import FileKind, read_executable

__all__ = ["Build", "build_of", "missing_in_errors", "named_in_errors"]

TAG = re.compile(r"\.(cpython|pypy)-?(\d)(\d+)")
# The file that a loader names in its error, of whatever language.
LOADED = re.compile(r"(/[^:'\"\n]*?\.(?:so|node|bundle|dylib)(?:\.\d+)*)(?=[:'\"\s]|$)", re.MULTILINE)
# A module that was not found, as Python names it: on its own, or as a name that is to be taken from its package.
MISSING = re.compile(r"No module named '([\w.]+)'")
NOT_IN = re.compile(r"cannot import name '(\w+)' from (?:partially initialized module )?'([\w.]+)'")
FAMILIES = {"x86": ("x86_64", "amd64", "i386", "i486", "i586", "i686"), "arm": ("aarch64", "arm64", "arm")}


class Build(Struct, frozen=True, kw_only=True):
    """What a compiled file was made for; a field is empty or 0 where nothing says it, and fits everything then."""

    implementation: str = ""
    version: str = ""
    word_size_bits: int = 0
    architecture: str = ""

    def misfit(self, version: str, word_size_bits: int, architecture: str) -> str:
        """Say why an interpreter of such a kind cannot load it; empty where nothing speaks against it."""
        if self.version and self.version != ".".join(version.split(".")[:2]):
            return f"was compiled for {self.implementation} {self.version}"
        other_size = self.word_size_bits and word_size_bits and self.word_size_bits != word_size_bits
        other_machine = self.architecture and architecture and _family(self.architecture) != _family(architecture)
        if other_size or other_machine:
            here = f"{word_size_bits} bit, {architecture}" if architecture else f"{word_size_bits} bit"
            return f"was compiled for {self.word_size_bits} bit, {self.architecture}; the interpreter is {here}"
        return ""


def build_of(file: str) -> Build:
    """Return what a file was compiled for."""
    tag, header = TAG.search(os.path.basename(file)), read_executable(file)
    is_program = header.kind in (FileKind.ELF, FileKind.MACH_O, FileKind.PE)
    return Build(
        implementation=tag[1] if tag else "",
        version=f"{tag[2]}.{tag[3]}" if tag else "",
        word_size_bits=header.word_size_bits if is_program else 0,
        architecture=header.architecture if is_program else "",
    )


def named_in_errors(errors: str) -> tuple[str, ...]:
    """Return the compiled files that an interpreter's errors name and that are there."""
    return tuple(file for file in dict.fromkeys(LOADED.findall(errors)) if os.path.isfile(file))


def missing_in_errors(errors: str) -> list[str]:
    """Return the modules that were not found, as a Python's errors name them."""
    return [*MISSING.findall(errors), *(f"{module}.{part}" for part, module in NOT_IN.findall(errors))]


def _family(architecture: str) -> str:
    return next((name for name, members in FAMILIES.items() if architecture.lower() in members), architecture.lower())
