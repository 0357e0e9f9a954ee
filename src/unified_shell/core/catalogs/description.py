"""What a description says: how a suite or interpreter is obtained, what it needs and offers, how it is tried."""

from enum import Enum

from msgspec import Struct

from unified_shell.core.expectations.expectation import Expectation, ExpectedFile

__all__ = [
    "Archive",
    "Conditional",
    "Description",
    "Form",
    "FormKind",
    "Needs",
    "Offers",
    "Subject",
    "Trial",
    "TrialCommand",
]


class Subject(Enum):
    """What a description is of."""

    INTERPRETER = "interpreter"
    SUITE = "suite"


class FormKind(Enum):
    """How it comes."""

    BINARY = "binary"
    SOURCE = "source"


class Archive(Struct, frozen=True, kw_only=True):
    """A file to fetch; without `url` a person fetches it by hand, as `by_hand` tells them."""

    file_name: str
    sha256: str
    size_bytes: int
    url: str = ""
    by_hand: str = ""


class Form(Struct, frozen=True, kw_only=True):
    """One way to have it. `platform` is `system-architecture`, empty for any; commands are lists of words. Seconds are of
    the whole build as somebody measured it, and what each command may take at most; 0 where nothing is said.
    `this_processor_only`: what is built may not start on another machine that shares the home;
    `executable` are files that the archive brings without the bit that lets them start.
    """

    kind: FormKind
    platform: str
    archive: Archive
    root: str = ""
    patches: tuple[Archive, ...] = ()
    build: tuple[tuple[str, ...], ...] = ()
    clean: tuple[tuple[str, ...], ...] = ()
    expected_seconds: int = 0
    limit_seconds: int = 0
    this_processor_only: bool = False
    executable: tuple[str, ...] = ()


class Conditional(Struct, frozen=True, kw_only=True):
    """A need that is told when a build fails with what `failure` matches; `line` is what a person may type then."""

    need: str
    failure: str
    line: str = ""


class Needs(Struct, frozen=True, kw_only=True):
    """What must be there: commands with bounds of their versions, compilers (`c`, `c++`, `fortran`), headers, libraries,
    modules with their language, suites; a place without spaces; disk. `system_packages` are the names of the packages that
    bring what is missing, by the family of systems.
    """

    commands: tuple[tuple[str, str], ...] = ()
    headers: tuple[str, ...] = ()
    libraries: tuple[str, ...] = ()
    compilers: tuple[str, ...] = ()
    modules: tuple[tuple[str, str], ...] = ()
    suites: tuple[str, ...] = ()
    place_without_spaces: bool = False
    disk_bytes: int = 0
    system_packages: tuple[tuple[str, str], ...] = ()
    conditional: tuple[Conditional, ...] = ()


class Offers(Struct, frozen=True, kw_only=True):
    """What it gives: its commands, folders by search path, variables, its session scripts (one for each dialect), an interpreter of its own, and the folders with
    that one's modules.
    """

    commands: tuple[str, ...] = ()
    search_paths: tuple[tuple[str, str], ...] = ()
    variables: tuple[tuple[str, str], ...] = ()
    session_scripts: tuple[str, ...] = ()
    interpreter: str = ""
    module_folders: tuple[str, ...] = ()


class TrialCommand(Struct, frozen=True, kw_only=True):
    """One command of a trial: its words, the files of its standard input and output, the exit codes it may end with, and
    the system that it is for, empty for any.
    """

    words: tuple[str, ...]
    input: str = ""
    output: str = ""
    exit_codes: tuple[int, ...] = (0,)
    system: str = ""


class Trial(Struct, frozen=True, kw_only=True):
    """An example run. What is worked on: a copy of `data`, a folder of the suite, under the name `place`; the `sample`, an
    archive that is fetched apart, put there or, where `place` begins with `{home}/`, where the suite looks for it; and
    `files`, names with their texts. Commands run in `folder` below that, one after another, with one process and, where
    `{processes}` is in their words or in `variables`, with several. `makes` are the files that they must make; seconds are
    those expected of all commands and allowed for each, bytes those of memory and of disk. `viewer` opens the results.
    """

    data: str = ""
    place: str = ""
    sample: Archive | None = None
    files: tuple[tuple[str, str], ...] = ()
    folder: str = ""
    variables: tuple[tuple[str, str], ...] = ()
    commands: tuple[TrialCommand, ...] = ()
    makes: tuple[ExpectedFile, ...] = ()
    expected_seconds: int = 0
    limit_seconds: int = 600
    limit_memory_bytes: int = 0
    limit_disk_bytes: int = 0
    processes: int = 1
    viewer: tuple[str, ...] = ()


class Description(Struct, frozen=True, kw_only=True):
    """A whole description. `licence` is an SPDX expression; `asks_acceptance` where its text must be agreed to."""

    subject: Subject
    name: str
    version: str
    summary: str
    licence: str
    asks_acceptance: bool
    licence_text: str
    language: str
    categories: tuple[str, ...]
    forms: tuple[Form, ...]
    needs: Needs
    offers: Offers
    checks: tuple[Expectation, ...]
    trial: Trial | None

    def forms_for(self, platform: str, kind: str = "") -> list[Form]:
        """Return the forms for a kind of machine, ready-built ones first; with `kind`, `binary` or `source`, those alone."""
        found = [
            one for one in self.forms if one.platform in ("", platform) and (not kind or one.kind is FormKind(kind))
        ]
        return sorted(found, key=lambda one: one.kind is FormKind.SOURCE)
