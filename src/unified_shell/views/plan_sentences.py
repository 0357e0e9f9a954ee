"""The words for the lines of a plan: what each is about, and what is said of it.

In a sentence `{field}` stands for a fact, `{field:how}` for one that is written as a place, a size, a list and so on. A part in
`[...]` is left out where one of its facts is missing, and `{field:if}` writes nothing but asks for that.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from unified_shell.core.changes.plan import About
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import shown

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from unified_shell.core.changes.plan import PlanLine, Value

__all__ = ["sentence_of"]

# Of each kind of line: its subject, and what is said of it.
SENTENCES: Mapping[About, tuple[str, str]] = {
    About.ENVIRONMENT: ("environment {name}", "{prefix:place}[, with {distributions:count distribution}]"),
    About.ENVIRONMENT_ADOPTED: ("environment {name}", "Python {python}, {distributions:count distribution}"),
    About.ENVIRONMENT_UNREGISTERED: ("environment {name}", "{prefix:place} stays"),
    About.ENVIRONMENT_REBUILT: (
        "environment {name}",
        "rebuilt in {prefix:place}, with {distributions:count distribution}",
    ),
    About.ENVIRONMENT_RENAMED: ("environment {name}", "becomes {new}: {prefix:place}"),
    About.ENVIRONMENT_RESTORED: ("environment {name}", "[edited: {edited:two}; ][gone: {lost:two}]"),
    About.NEXT_EDITION: ("environment {name}", "its next edition"),
    About.SHARES_EDITED_FILES: (
        "environment {name}",
        (
            "shares files that were edited; [{protected:if}it is protected and stays as it is]"
            "[{restored:if}they are restored in its next edition]"
        ),
    ),
    About.INTERPRETER: ("its interpreter is {interpreter:place}", "[{bits}-bit {architecture}]"),
    About.INTERPRETER_REJECTED: ("{reason}", ""),
    About.INTERPRETER_STAYS: ("the interpreter stays where it is; the copy needs it there", ""),
    About.LIBRARY: ("its library is {library:place}", ""),
    About.VARIABLE_WHILE_ENTERED: ("while it is entered: {name}", "{value}"),
    About.PROTECTED: (
        "changes of its packages and wiring are refused from now on",
        "a copy of it can be changed",
    ),
    About.UNPROTECTED: ("changes are allowed from now on", ""),
    About.ADOPTED_STAYS: ("it stays where it is and is protected: ush does not change it", ""),
    About.LINK_TO_IT: ("{link:place}, a link to it", ""),
    About.BECOMES_LINK: ("{folder:place}", "becomes a link to it; the present folder is kept for ush undo"),
    About.UNREADABLE: ("{reason}", ""),
    About.ENTER_AGAIN: ("sessions inside it must enter it again, by its new name", ""),
    About.OFFER: ("{title} {use}", "{path:place}"),
    About.OFFER_WITHDRAWN: ("offered: {path:place}", ""),
    About.PACKAGE: (
        "{name} [{before} → ]{version}",
        "[{is_requested:if}requested[: {requirements:list}]; ][{reason}; ][{why}; ][{size_bytes:size}]",
    ),
    About.DEPENDENCIES: ("{names:number} dependencies", "{names:four}"),
    About.UNCHANGED: ("{count} unchanged", ""),
    About.DISTRIBUTIONS: ("{titles:count distribution}", "{titles:four}"),
    About.FREEABLE: ("{size_bytes:size} can be freed by ush store sweep", "once undo no longer needs them"),
    About.EXCLUDED_BY_MARKER: ("excluded by its marker for this interpreter: {requirements:list}", ""),
    About.UNKNOWN_EXTRA: ("{name} {version} has no extra {extra}[; it has {extras:list}|; it has no extras]", ""),
    About.WITHDRAWN: ("{name} {version} was withdrawn by its publisher[: {reason}]", ""),
    About.DOWNLOAD: (
        "{files:count file}, [{size_bytes:size}|of unknown size]",
        "[about {disk_bytes:size} on disk; {free_bytes:size} free; ][about {seconds:time}]",
    ),
    About.DOWNLOADED_ALREADY: (
        "{files:count file}, {size_bytes:size}, fetched already",
        "about {disk_bytes:size} on disk",
    ),
    About.ALL_IN_CACHE: ("all files are in the cache; nothing is downloaded", ""),
    About.DISK_TOO_SMALL: (
        "the disk is probably too small",
        "needs about {needed_bytes:size}; only {free_bytes:size} free",
    ),
    About.DISK_NEEDED: ("takes about {size_bytes:size} on disk", ""),
    About.RUNS_AT_START: ("{name} runs code at each start of this Python", "{files:list}"),
    About.ROWS_IGNORED: ("rows of the index page of {name} are ignored", "{rows:semicolons}"),
    About.LICENCES: ("licences", "{licences:six}"),
    About.NEW_COMMANDS: ("new commands", "{commands:eight}"),
    About.COMMANDS_LATER: (
        "the commands of {packages:count package} are listed afterwards",
        "their contents are unknown until they are downloaded or built",
    ),
    About.IMPORT_NAMES: ("imported by other names", "{names:six}"),
    About.UNOWNED_CARRIED: ("files not owned by any package, carried over", "{files:three}"),
    About.UNOWNED_COPIED: ("{files:count file} not owned by any package, {size_bytes:size}", "{files:four}"),
    About.UNOWNED_LEFT: ("files not owned by any package are not copied", "{files:four}"),
    About.BASE_PACKAGES_HIDDEN: ("the source also sees its interpreter's packages; the copy does not", ""),
    About.BUILT_HERE: ("{name} {version} is built here from {source}", "that runs its code, with your rights"),
    About.FILES_ALTERED: (
        "[edited: {edited:two}; ][gone: {lost:two}]",
        "restored by this change; ush undo brings back the files as they are now",
    ),
    About.FILES_DIFFER: ("where two packages differ, the files of {project} are used", "{files:list}"),
    About.STORE_ENTRY: (
        "{title}",
        "modified or lost: {files:two}[; shared by {users:list}][{unused:if}; unused, removed]",
    ),
    About.INDEX_PINNED: ("{project} comes only from the index {index} from now on", ""),
    About.DESCRIPTION: ("{file:place}: what was found in the archive, described for the next time", ""),
    About.SUITE: ("suite {name}[, in {target:place}]", "[{place:place}]"),
    About.INTERPRETER_ENTRY: ("interpreter {name}[, in {target:place}]", "[{place:place}]"),
    About.INTERPRETER_UNCHANGED: ("the interpreter itself is not changed", ""),
    About.STILL_WORKS: ("environment {environment} still works on it", ""),
    About.STOPS_WORKING: ("{dependant} stops working", ""),
    About.UNDO_RESTORES: ("undo restores it; ush journal shows the space kept for that", ""),
    About.READY_ALREADY: ("{title} is ready: {path:place}; only its position on PATH changes", ""),
    About.ARCHIVE: (
        "[{address}][from {file:place}], [{size_bytes:size}|of unknown size]",
        "[{compared:if}its SHA-256 is compared][{recorded:if}its SHA-256 is recorded, and compared from now on]",
    ),
    About.COPIED_FROM: ("copied from {folder:place}, which stays", ""),
    About.CONTENTS_UNKNOWN: ("its contents are unknown until it is downloaded", ""),
    About.ONLY_WHEN_BUILDING: ("{options:list}: only when building from source", ""),
    About.BUILT_FROM_SOURCE: (
        "built here from source, on {cores} cores[: {time}][{optimised:if}, several times that for an optimised one]",
        "build log: {log:place}",
    ),
    About.OUTFIT: ("{file:place}", ""),
    About.LOCK: ("{file:place}: [{packages:count package}][{archives:count archive}]", ""),
    About.COMPILER: ("{language} compiler: {program:place}[{chosen:if}, chosen for this build only]", ""),
    About.THIS_PROCESSOR_ONLY: (
        "what is built may not start on other processors",
        "keep it out of a home that several machines share",
    ),
    About.PART_MISSING: ("without {name}: {pieces:list} not found", "apt-get install {package}"),
    About.PARTS_LEFT_OUT: ("without {parts:list}, as requested", ""),
    About.BUILD_DISK: ("about {size_bytes:size} of disk space while it is installed", ""),
    About.LICENCE: ("licence: {licence}[{accepted:if}, accepted]", ""),
    About.COMMAND: (
        "command {name}",
        (
            "[then {then:place}][{unanswered:if}then no command of that name]"
            "[{others:if}and the other commands of its distribution]"
        ),
    ),
    About.COMMAND_TARGET: ("{name}: {target:place}", "[shadows {shadows:place}]"),
    About.MORE_NAMES: ("and {count} more names", ""),
    About.ADDRESS: ("{of} {name}: {address}", "[asked after {after:list}][{first:if}the first that is asked]"),
    About.ADDRESS_ORDER: ("asked in this order", "{names:list}"),
    About.ENTRY: (
        "{variable}[, {side}][, when {when}]: {directory:place}",
        (
            "[offers {commands:six}][{empty:if}has no command yet][{by_hand:if}put there by your own startup files]"
            "[{why}; from {source}]"
        ),
    ),
    About.ENTRY_MOVES: ("{variable}: {directory:place} moves", ""),
    About.ENTRY_FAULT: ("{directory:place} {fault}", "[left: see {file:place}[, line {line}]]"),
    About.ANSWER_CHANGES: ("{command} changes to {after:place}", "now from {before:place}"),
    About.ANSWER_FROM_THERE: ("{command} starts from there", "now from {before:place}"),
    About.ANSWER_STAYS: ("{command} stays {file:place}", "[{behind:place} comes after it]"),
    About.ANSWER_GONE: ("{command} is no longer found", "{before:place}"),
    About.SEARCHED_BY_ALL: ("every Python and environment searches it before its own packages", ""),
    About.HIDES_STANDARD_LIBRARY: (
        "{directory:place} contains {files:list}, which would hide the standard library's",
        "",
    ),
    About.BELONGS_TO_ONE: (
        "{directory:place} belongs to one interpreter; others would load packages made for it",
        "",
    ),
    About.VARIABLE: ("{name}[ = {value}][, when {when}]", "[now {before}][this session has {here}]"),
    About.ENVIRONMENT_ONLY: ("in the environment {name}", "the only one there is"),
    About.ENVIRONMENT_OF_OUTFIT: ("in the environment {name}", "named in {outfit:place}"),
    About.MANUAL: ("{pages} manual pages", "{folder:place}"),
    About.COMPLETION: ("completion of the words of ush", "[in {shells:list}]"),
    About.SCRIPT: ("session script: {file:place}[, written for {dialect}]", "[read by {readers:list}]"),
    About.SCRIPT_MEASURED: (
        "session script: {file:place}",
        "run three times once it is here; what it sets is written for every shell (--sourced: it is read instead)",
    ),
    About.MADE_EXECUTABLE: ("made executable: {files:list}", "the archive brings them without that"),
    About.OLDER_STAYS: ("{name} stays beside it", "{place:place}"),
    About.OWN_INTERPRETER: ("its own {title}, {bits} bit: {place:place}", "it stays behind yours on PATH"),
    About.MODULE_FOLDER: ("its modules: {folder:place}", ""),
    About.SUITE_LINK: (
        "known by the link {link:place}[{spaces:if}, since it cannot bear the spaces of its own place]",
        "{place:place}",
    ),
    About.SCRIPT_SEEN: ("{file:place} looks like its session script; it was not run", "--script {file:place}"),
    About.SCRIPT_ONLY: ("only sourcing its session script gives: {things:list}", "--sourced"),
    About.SCRIPT_LEFT_OUT: (
        "left out: {directory:place} on {variable}, which its session script adds",
        "not a directory of the suite",
    ),
    About.SCRIPT_UNCLEAR: ("left out: {variables:list}, which depend on the session", "--sourced"),
    About.SCRIPT_NOT_READ: ("new sessions of {shell} cannot read it, and skip it", ""),
    About.SCRIPT_TROUBLE: ("tried once: {trouble}; new sessions will probably end or wait", ""),
    About.SCRIPT_TIME: (
        (
            "[{slow:if}each new session waits {seconds:tenths} s for it"
            "|it runs in every new session, and takes {seconds:tenths} s]"
        ),
        "",
    ),
    About.SCRIPT_PRINTS: ("it prints {lines_printed:count line} each time", "{first}"),
    About.SCRIPT_SETS: ("it sets", "{variables:eight}"),
    About.SCRIPT_PATH: (
        "it puts {directory:place} on PATH",
        "[{wired:if}which the wiring has too; drop one of them]",
    ),
    About.OPENS_SESSIONS: ("opens new sessions to verify it; they run your startup files", ""),
    About.HOOK_UP: (
        (
            "{file:place}: [{new:if}a new file; ][read by {readers:list}][{reader} reads it in {mode} sessions]"
            "[; a link to {link:place}, which is changed][{alone:if}insert the hook-up]"
        ),
        "",
    ),
    About.HOOK_UP_REMOVED: ("{file:place}: remove the hook-up[{alone:if}, and nothing else]", ""),
    About.HOOK_UP_MOVED: ("{file:place}: the hook-up moves to the end", ""),
    About.HOOK_UP_ABOVE: (
        "{file:place} returns at line {line} in a new session; the hook-up goes above that line",
        "",
    ),
    About.SECOND_NAME: (
        "{file:place} has a second hard link, which keeps the content without the hook-up",
        "",
    ),
    About.READ_ONLY: ("{file:place} is read-only; it is replaced anyway, and stays read-only", ""),
    About.COMPILED_COPY: ("{file:place}", "a compiled copy, made before the edit"),
    About.LINES_COMMENTED: ("{file:place}: lines are commented out", ""),
    About.SESSION_FILE_ALTERED: ("{file:place}[{gone:if} is gone][{edited:if} was edited]: it is made anew", ""),
    About.PATH_HELPER_LIST: ("{file:place}: read by path_helper at logins, after the system's own list", ""),
    About.REGISTRY_VALUE: ("the registry's {name} in {key}", ""),
    About.REGISTRY_LENGTH: (
        "{name} becomes {length} characters long; older programs cut it at {limit}",
        "",
    ),
    About.REGISTRY_CONDITIONS: ("{count} with a condition omitted: the registry has no conditions", ""),
    About.REGISTRY_BEHIND: (
        "Windows puts the machine's own entries of {variable} in front of a user's",
        "--for everyone puts it before them",
    ),
    About.CHANGE: ("change {number}", "{words}"),
    About.RECORD: ("{keys:words}", ""),
    About.OBJECT: ("{object}", "[edition {before} → {after}]"),
    About.FILE: ("{file:place}", ""),
}
COUNTS = {"two": 2, "three": 3, "four": 4, "six": 6, "eight": 8}
# A part in brackets, which may hold one more level of them.
PART = re.compile(r"\[((?:[^\[\]]|\[[^\[\]]*\])*)\]")
FACT = re.compile(r"\{(\w+)(?::([\w ]+))?\}")
# One pass over a sentence: what a fact holds, such as a folder's name with brackets in it, is never read as a sentence.
TOKEN = re.compile(rf"{PART.pattern}|{FACT.pattern}")


def sentence_of(line: PlanLine, home: str) -> tuple[str, str]:
    """Return what a line is about, and what is said of it; one line each, `~` for the home."""
    facts = line.fields
    subject, detail = SENTENCES[line.about]
    return _filled(subject, facts, home), _filled(detail, facts, home).strip("; ")


def _filled(text: str, facts: Mapping[str, Value], home: str) -> str:
    def token(found: re.Match[str]) -> str:
        if found[1] is not None:
            return _part(found[1], facts, home)
        return _fact(facts.get(found[2], ""), found[3] or "", home)

    return TOKEN.sub(token, text)


def _part(text: str, facts: Mapping[str, Value], home: str) -> str:
    """Return a part, or what stands behind `|` in its place, where one of its facts is missing."""
    first, _, second = text.partition("|")
    outer = PART.sub("", first)
    return _filled(first if all(facts.get(fact[1]) for fact in FACT.finditer(outer)) else second, facts, home)


def _fact(value: Value, how: str, home: str) -> str:
    if how == "if":
        return ""
    if how.startswith("count "):
        number = len(value) if isinstance(value, tuple) else int(value or 0)
        return f"{number} {how.removeprefix('count ')}{'' if number == 1 else 's'}"
    if isinstance(value, tuple):
        return _several(value, how, home)
    if isinstance(value, int | float) and how in NUMBERS:
        return NUMBERS[how](value)
    return shown(str(value), home if how == "place" else "")


NUMBERS: Mapping[str, Callable[[float], str]] = {
    "size": lambda value: shown_size(int(value)),
    "tenths": lambda value: f"{value:.1f}",
    "time": lambda value: f"{value:.0f} s" if value < 90 else f"{value / 60:.0f} min",
}


def _several(texts: tuple[str, ...], how: str, home: str) -> str:
    if how == "number":
        return str(len(texts))
    if how == "words":
        return " ".join(shown(text, home) for text in texts)
    if how == "semicolons":
        return "; ".join(texts)
    most = COUNTS.get(how, len(texts))
    more = len(texts) - most
    others = f" and {more} other{'s' if more > 1 else ''}" if more > 0 else ""
    return ", ".join(shown(text) for text in texts[:most]) + others
