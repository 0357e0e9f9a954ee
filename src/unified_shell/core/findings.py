"""The answer of one check: what was asked of what, how it ended, and where it is a fault, the cause and the remedy."""

from enum import Enum

from msgspec import Struct

from .next_steps import NextStep

__all__ = ["Cause", "Finding", "Mend", "MendKind", "Verdict", "verdict_of"]


class Verdict(Enum):
    """How a check ended. What could not be tried here, or was not asked for, is neither passed nor a fault."""

    PASSED = "passed"
    FAULT = "fault"
    NOT_TRIED = "not tried"


def verdict_of(*, passed: bool) -> Verdict:
    """Return the verdict of a check that was made."""
    return Verdict.PASSED if passed else Verdict.FAULT


class Cause(Enum):
    """Why something is at fault. A finding's answer says the same with names; `docs/verifying.md` lists them all."""

    UNKNOWN = ""
    # Search paths and startup files
    DIRECTORY_ABSENT = "directory-absent"
    VOLUME_ABSENT = "volume-absent"
    DIRECTORY_IS_FILE = "directory-is-file"
    WRITABLE_BY_OTHERS = "writable-by-others"
    BAD_ENTRY = "bad-entry"
    ENTRY_TWICE = "entry-twice"
    ENTRY_LOST = "entry-lost"
    ENTRY_BEHIND = "entry-behind"
    NOT_HOOKED_UP = "not-hooked-up"
    HOOK_UP_NOT_REACHED = "hook-up-not-reached"
    SESSION_FILE_DIFFERS = "session-file-differs"
    SCRIPT_ABSENT = "script-absent"
    SCRIPT_FAILS = "script-fails"
    SCRIPT_DIFFERS = "script-differs"
    SCRIPT_NOT_READ = "script-not-read"
    VARIABLE_DIFFERS = "variable-differs"
    FILE_NOT_READ = "file-not-read"
    STARTUP_SYNTAX = "startup-syntax"
    SESSION_FAILS = "session-fails"
    # Programs
    NOT_FOUND = "not-found"
    LINK_DANGLES = "link-dangles"
    NOT_EXECUTABLE = "not-executable"
    NO_PROGRAM = "no-program"
    CUT_SHORT = "cut-short"
    INTERPRETER_ABSENT = "interpreter-absent"
    LIBRARY_ABSENT = "library-absent"
    SYSTEM_TOO_OLD = "system-too-old"
    OTHER_MACHINE = "other-machine"
    SHADOWED = "shadowed"
    ALIAS_ANSWERS = "alias-answers"
    NOT_ON_PATH = "not-on-path"
    FAILS_AT_START = "fails-at-start"
    VERSION_OUTSIDE = "version-outside"
    # Interpreters, environments and modules
    BASE_GONE = "base-gone"
    BASE_CHANGED = "base-changed"
    CONTENTS_UNREADABLE = "contents-unreadable"
    FILES_CHANGED = "files-changed"
    NOT_INSTALLED = "not-installed"
    NOT_RECORDED = "not-recorded"
    DEPENDENCY_ABSENT = "dependency-absent"
    DEPENDENCY_VERSION = "dependency-version"
    PYTHON_OUTSIDE = "python-outside"
    MODULE_ABSENT = "module-absent"
    MODULE_ELSEWHERE = "module-elsewhere"
    OTHER_IMPORT_NAME = "other-import-name"
    OTHER_VERSION_BUILD = "built-for-other-version"
    MODULE_SHADOWED = "module-shadowed"
    MODULE_FAILS = "module-fails"
    MODULE_CRASHES = "module-crashes"
    MODULE_HANGS = "module-hangs"
    TWO_LIBRARIES = "two-libraries"
    LAUNCHER_ABSENT = "launcher-absent"
    LAUNCHER_FOREIGN = "launcher-foreign"
    ENTRY_POINT_ABSENT = "entry-point-absent"
    PATH_FILE_FAILS = "path-file-fails"
    OFFER_DANGLES = "offer-dangles"
    LICENCE_NOT_ALLOWED = "licence-not-allowed"
    INSTALLER_ELSEWHERE = "installer-elsewhere"
    BEGUN_BEFORE = "begun-before"
    # A person's own checks
    OUTPUT_DIFFERS = "output-differs"
    FILE_DIFFERS = "file-differs"
    LIMIT_EXCEEDED = "limit-exceeded"
    KERNEL_FAILS = "kernel-fails"
    SERVICE_SILENT = "service-silent"


class MendKind(Enum):
    """What can be mended without a person's decision: what was declared is made to be so again."""

    ENVIRONMENT = "environment"
    SHELLS = "shells"
    COMMAND = "command"
    OFFER = "offer"


class Mend(Struct, frozen=True):
    """How `ush verify --mend` mends a fault: `name` is the environment, command or file that is made anew."""

    kind: MendKind
    name: str = ""


class Finding(Struct, frozen=True, kw_only=True):
    """One thing that was verified.

    `subject` is what was looked at, `question` what was asked of it, `answer` what came back: a fact where it
    passed, else what is wrong, in words; `cause` is the same for programs. `remedy` is the command to type next, `mend`
    what `--mend` would do. `check` is the name of the check in the table of checks, where it is one of those. A fault that
    `puts_back` makes the executor put its change back at once.
    """

    subject: str
    question: str
    verdict: Verdict
    answer: str = ""
    cause: Cause = Cause.UNKNOWN
    remedy: NextStep = ""
    mend: Mend | None = None
    check: str = ""
    puts_back: bool = False
    elapsed_seconds: float = 0.0

    @property
    def passed(self) -> bool:
        """Tell whether it was tried and is right."""
        return self.verdict is Verdict.PASSED

    @property
    def is_fault(self) -> bool:
        """Tell whether it was tried and is wrong."""
        return self.verdict is Verdict.FAULT
