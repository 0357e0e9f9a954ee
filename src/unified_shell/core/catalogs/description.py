"""What a description says: how a suite or interpreter is obtained, what it needs and offers, how it is tried."""

from enum import Enum

from msgspec import Struct

from unified_shell.core.expectations.expectation import Expectation, ExpectedFile

__all__ = ["Archive", "Description", "Form", "FormKind", "Needs", "Offers", "Subject", "Trial"]


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
    """One way to have it. `platform` is `system-architecture`, empty for any; commands are lists of words."""

    kind: FormKind
    platform: str
    archive: Archive
    root: str = ""
    patches: tuple[Archive, ...] = ()
    build: tuple[tuple[str, ...], ...] = ()
    clean: tuple[tuple[str, ...], ...] = ()


class Needs(Struct, frozen=True, kw_only=True):
    """What must be there: commands with least versions, headers, libraries, suites; a place without spaces; disk.

    `conditional` are pairs of a need and the failure that it mends.
    """

    commands: tuple[tuple[str, str], ...] = ()
    headers: tuple[str, ...] = ()
    libraries: tuple[str, ...] = ()
    suites: tuple[str, ...] = ()
    place_without_spaces: bool = False
    disk_bytes: int = 0
    conditional: tuple[tuple[str, str], ...] = ()


class Offers(Struct, frozen=True, kw_only=True):
    """What it gives: folders by search path, variables, a session script, an interpreter of its own."""

    search_paths: tuple[tuple[str, str], ...] = ()
    variables: tuple[tuple[str, str], ...] = ()
    session_script: str = ""
    interpreter: str = ""


class Trial(Struct, frozen=True, kw_only=True):
    """An example run. `data` is a folder in the suite's tree, of which a copy is worked on, under the name `place`; commands
    are run there one after another, as they are (serial) and, where they name `{processes}`, with several processes;
    `makes` are the files that they must make; seconds expected and allowed for each command.
    """

    data: str = ""
    place: str = ""
    commands: tuple[tuple[str, ...], ...] = ()
    makes: tuple[ExpectedFile, ...] = ()
    expected_seconds: int = 0
    limit_seconds: int = 600
    processes: int = 1


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
