"""The table of languages: what interpreters of each are called, and how they are asked."""

import os
import re
from collections.abc import Mapping
from functools import cache

import msgspec
from msgspec import Struct

__all__ = ["Language", "SourceTree", "find_language", "languages", "title_of"]


class SourceTree(Struct, frozen=True, kw_only=True, rename="kebab"):
    """How a language's source is recognised, and what building it takes; see `languages.toml`."""

    files: tuple[str, ...]
    version_file: str
    version_patterns: tuple[str, ...]
    build_time: str
    build_bytes: int

    def read_version(self, text: str) -> str:
        """Return the version in the text of its version file, or an empty text."""
        parts = [re.search(pattern, text) for pattern in self.version_patterns]
        return ".".join(part[1] for part in parts if part)


class Language(Struct, frozen=True, kw_only=True):
    """One language, as `languages.toml` tells what each field means.

    `search_paths` are pairs of a variable and what separates its entries; `library_variables` of a variable, the
    value, with places to be filled in, that lets an interpreter find the `library` of an environment, and how it reads
    that value, where not as it is.
    """

    name: str
    title: str
    executables: tuple[str, ...]
    version: tuple[str, ...] = ()
    version_input: str = ""
    version_pattern: str = ""
    undisturbed: tuple[str, ...] = ()
    module: tuple[str, ...] = ()
    module_input: str = ""
    module_name: str = ""
    absent: str = ""
    search_paths: tuple[tuple[str, str], ...] = ()
    debian_package: str = ""
    library: str = ""
    library_variables: tuple[tuple[str, ...], ...] = ()
    library_unfit: str = ""
    library_proof: tuple[str, ...] = ()
    library_maker: tuple[str, ...] = ()
    commands: tuple[str, ...] = ()
    source: SourceTree | None = None

    def is_executable_name(self, name: str) -> bool:
        """Tell whether an interpreter of this language may be called so."""
        return any(re.fullmatch(pattern, name) for pattern in self.executables)

    def read_version(self, said: str) -> str:
        """Return the version in what an interpreter said, or an empty text."""
        found = re.search(self.version_pattern, said, re.MULTILINE)
        return found[1] if found else ""

    def is_module_name(self, name: str) -> bool:
        """Tell whether a module of this language may be called so; others are never put into a question."""
        return bool(re.fullmatch(self.module_name, name))

    def says_absent(self, name: str, errors: str) -> bool:
        """Tell whether these errors mean that the module itself is not there."""
        spaced = re.escape(name.replace("/", " "))
        pattern = self.absent.replace("{name}", re.escape(name)).replace("{spaced}", spaced)
        return bool(re.search(pattern, errors, re.MULTILINE))


@cache
def languages() -> tuple[Language, ...]:
    """Return the table, Python first."""
    import tomllib

    with open(os.path.join(os.path.dirname(__file__), "languages.toml"), "rb") as file:
        return tuple(_language(name, fields) for name, fields in tomllib.load(file).items())


def find_language(name: str) -> Language | None:
    """Return the language of that name or title, whatever its case."""
    wanted = name.lower()
    return next((one for one in languages() if wanted in (one.name, one.title.lower())), None)


def title_of(name: str) -> str:
    """Return what a language of the table is called; an unknown name as it is."""
    table = find_language(name)
    return table.title if table is not None else name


def _language(name: str, fields: Mapping[str, object]) -> Language:
    given: dict[str, object] = {}
    for key, value in fields.items():
        if key == "system-package" and isinstance(value, Mapping):
            given["debian_package"] = value["debian"]
        elif key == "source":
            given["source"] = msgspec.convert(value, SourceTree)
        elif key in ("search-paths", "library-variables") and isinstance(value, list):
            given[key.replace("-", "_")] = tuple(map(tuple, value))
        else:
            given[key.replace("-", "_")] = tuple(value) if isinstance(value, list) else value
    return Language(name=name, **given)  # type: ignore[arg-type]  # the table's own test reads every field
