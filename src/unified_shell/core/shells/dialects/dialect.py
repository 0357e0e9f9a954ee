"""What `ush` must know of a shell's dialect; each is one file beside this one."""

import functools
import os
import re
from collections.abc import Callable, Sequence
from enum import Enum
from typing import Protocol

from msgspec import Struct

from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.places import Place, in_home

__all__ = [
    "SHARED_FOLDERS",
    "ConditionKind",
    "Dialect",
    "Mode",
    "Opening",
    "SearchPath",
    "Side",
    "StartupFile",
    "below_home",
    "changed_variables",
    "common_folder",
    "kept_name",
    "path_directories",
    "plain_front",
    "session_body",
    "split_condition",
    "template",
    "without_control",
]


NO_FILE = Place("")
# What every PATH has an entry below.
SHARED_FOLDERS = ("/", "/usr/", "/usr/local/", "/opt/")


class Mode(Enum):
    """How a session begins. Both are interactive: a person sits at it."""

    LOGIN = "login"
    INTERACTIVE = "interactive"


class Side(Enum):
    """Where an entry stands among those that were inherited."""

    FRONT = "front"
    BACK = "back"


class ConditionKind(Enum):
    """What an entry may depend on."""

    INTERACTIVE = "interactive"
    LOGIN = "login"
    HOST = "host"
    ARCHITECTURE = "architecture"


class SearchPath(Struct, frozen=True, kw_only=True):
    """The wanted entries of one variable, side and condition, nearest the front first."""

    variable: str
    side: Side
    directories: tuple[Place, ...]
    when: str = ""


class SetVariable(Struct, frozen=True, kw_only=True):
    """A variable that a person wants, with its value and the condition under which it is set."""

    name: str
    value: str
    when: str = ""


class SessionScript(Struct, frozen=True, kw_only=True):
    """A script that new sessions read: the file, the name of the dialect it is written in, its rank."""

    file: Place
    dialect: str
    rank: int = 0


class SessionContent(Struct, frozen=True, kw_only=True):
    """What a session file brings about. `source` is shown in it; `stamp` tells this wiring from others. `again_file` is
    where a second file stands, for sessions that have some of it already; empty where there is none.
    """

    search_paths: tuple[SearchPath, ...]
    variables: tuple[SetVariable, ...]
    home: Place
    source: str
    stamp: str
    stamp_name: str = "USH_WIRING"
    again_file: Place = NO_FILE
    scripts: tuple[SessionScript, ...] = ()


class StartupFile(Struct, frozen=True, kw_only=True):
    """A startup file. Of those with the same `group`, only the first that exists is read.

    `system`: it is everyone's. `takes_hook`: the hook-up belongs here in this mode.
    """

    path: Place
    group: str = ""
    system: bool = False
    takes_hook: bool = False


class Opening(Struct, frozen=True, kw_only=True):
    """How a new session is opened: its own words, variables that must be set for it, lines on its input."""

    argv: tuple[str, ...]
    variables: tuple[tuple[str, str], ...] = ()
    given: str = ""


class Dialect(Protocol):
    """One shell's dialect. `verified` is False where it could not be run when this was written."""

    name: str
    programs: tuple[str, ...]
    session_name: str
    enter_name: str
    verified: bool
    # The dialects whose scripts this one reads as well as they do.
    reads: tuple[str, ...]
    # The endings that tell a script of this dialect.
    script_endings: tuple[str, ...]
    # What starts it without its startup files, as far as it has such words.
    bare_words: tuple[str, ...]
    # What lets an open session look for commands anew; empty where it looks each time.
    forget_line: str
    # What it reads before a command that it runs for nobody, as cron and ssh do, and whether the wiring is in that.
    command_reads: str
    is_wired_for_commands: bool

    def quote(self, text: str) -> str:
        """Return text as one literal word; raises nothing: every text can be quoted."""
        ...

    def quote_place(self, place: str, home: str) -> str:
        """Return a place as one word, relative to the home's variable where it lies below the home."""
        ...

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:
        """Return the startup files that are read in this mode, in order."""
        ...

    def system_hook_file(self, mode: Mode) -> Place | None:
        """Return the system-wide file that takes everyone's hook-up in this mode, or None where another does."""
        ...

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:
        """Return the file to make for the hook-up where there is none, chosen so that it hides no other."""
        ...

    def hook_lines(self, session_file: str, home: str) -> str:
        """Return the lines of the hook-up that read the session file."""
        ...

    def session_text(self, content: SessionContent) -> str:
        """Return the session file's text."""
        ...

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the scripts by their names: one that enters an environment when it is sourced, and what
        it needs to leave again. `content` is the environment's own wiring.
        """
        ...

    def enter_session(self, prefix: str, home: str) -> Opening:
        """Return an interactive session that enters an environment after its startup files."""
        ...

    def open_terminal(self, mode: Mode) -> Opening:
        """Return how a session is opened that waits at its prompt."""
        ...

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:
        """Return variables with which a session at a terminal writes nothing into the person's folders; `folder` is
        an empty one for what takes their place.
        """
        ...

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return how an interactive session is opened that runs one command and ends."""
        ...

    def export_line(self, name: str, value: str) -> str:
        """Return the statement that sets a variable for this session and what it starts; `value` needs no quoting."""
        ...

    def source_line(self, file: str) -> str:
        """Return the command that reads a file in this session."""
        ...

    def state_line(self, file: str) -> str:
        """Return the command that writes into a file what a session has beside variables, one thing a line: `declare -f
        NAME`, `alias NAME=…`, `set -o NAME`, `trap -- … NAME`; empty where there is none.
        """
        ...

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the words (after the shell's own) that check a file without running it; none: no such check."""
        ...

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return a command that writes into a file what the shell takes a name for."""
        ...


def split_condition(text: str) -> tuple[ConditionKind | None, str]:
    """Return a condition's kind and value; None for what is none."""
    kind, _, value = text.partition(":")
    return next((one for one in ConditionKind if one.value == kind), None), value


def kept_name(prefix: str, name: str) -> str:
    """Return the variable that keeps another one's value while an environment is entered."""
    return f"_ush_was_{digest_of_bytes(prefix.encode('utf-8', 'surrogateescape'))[:8]}_{name}"


def path_directories(content: SessionContent) -> tuple[Place, ...]:
    """Return all directories that are wanted on PATH, whatever their side."""
    return tuple(one for path in content.search_paths if path.variable == "PATH" for one in path.directories)


def changed_variables(content: SessionContent) -> tuple[str, ...]:
    """Return the variables other than PATH that entering changes; leaving gives each its old value."""
    lists = [path.variable for path in content.search_paths if path.variable != "PATH"]
    return tuple(dict.fromkeys((*lists, *(one.name for one in content.variables))))


def plain_front(content: SessionContent) -> SearchPath | None:
    """Return PATH's entries where all of them stand in front without a condition, and no script comes after; else None."""
    paths = [one for one in content.search_paths if one.variable == "PATH"]
    plain = len(paths) == 1 and paths[0].side is Side.FRONT and not paths[0].when and not content.scripts
    return paths[0] if plain and content.again_file else None


def common_folder(directories: Sequence[str]) -> str:
    """Return what all names begin with, up to a slash."""
    shared = os.path.commonprefix(list(directories))  # noqa: RUF071 - of texts, as patterns are
    return shared.rpartition("/")[0] + "/"


def session_body(
    content: SessionContent,
    *,
    search_path: Callable[[SearchPath, str], str],
    variable: Callable[[SetVariable, str], str],
    under: Callable[[str, str], str],
    script: Callable[[SessionScript, str], str],
    reads: Sequence[str],
) -> str:
    """Return the part of a session file that the wiring makes, by a dialect's own statements."""
    body = "".join(under(path.when, search_path(path, content.home)) for path in content.search_paths)
    body += "".join(under(one.when, variable(one, content.home)) for one in content.variables)
    body += "".join(script(one, content.home).rstrip("\n") + "\n" for one in content.scripts if one.dialect in reads)
    return body.rstrip("\n")


def template(name: str, **values: str) -> str:
    """Return a template with its `@NAMES@` replaced; the values are put in once and not looked at again."""
    return re.sub(r"@([A-Z_]+)@", lambda found: values[found[1]], _template_text(name))


# A session file is made of some twenty of them, for each of eight shells.
@functools.cache
def _template_text(name: str) -> str:
    folder = os.path.join(os.path.dirname(os.path.dirname(__file__)), "templates")
    with open(os.path.join(folder, name), encoding="utf-8") as file:
        return file.read()


def without_control(text: str) -> str:
    """Return text that can stand in a comment: on one line, printable."""
    return "".join(c if c.isprintable() else "?" for c in text)


def below_home(place: str, home: str) -> str | None:
    """Return the part of a place below `$HOME`; None where the home is empty or the root."""
    return in_home(place, home) if home.rstrip("/") else None


def variable_of(variables: Sequence[tuple[str, str]], name: str) -> str:
    """Return a variable's value among pairs, or an empty text."""
    return dict(variables).get(name, "")


def system_file(path: str) -> StartupFile:
    """Return a startup file of the whole system."""
    return StartupFile(path=Place(path), system=True)
