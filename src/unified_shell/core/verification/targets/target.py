"""One thing that can be verified."""

from enum import Enum

from msgspec import Struct

from unified_shell.core.machine.places import shown

__all__ = ["Kind", "Target"]


class Kind(Enum):
    """What a target is, by the word that a person types before its name: `module:waggle`."""

    SESSIONS = "sessions"
    DIRECTORY = "directory"
    VARIABLE = "variable"
    SCRIPT = "script"
    STARTUP_FILE = "startup"
    COMMAND = "command"
    FILE = "file"
    INTERPRETER = "interpreter"
    ENVIRONMENT = "environment"
    SUITE = "suite"
    PACKAGE = "package"
    MODULE = "module"
    OFFER = "offer"
    OWN = "check"


class Target(Struct, frozen=True, kw_only=True):
    """What is verified. `name` is a name or a path; `variable` the search path that a directory is on; `environment` where
    a module or package is looked for, empty for the Python of a session; `bound` the versions that fit (PEP 440).
    """

    kind: Kind
    name: str
    variable: str = ""
    environment: str = ""
    bound: str = ""

    def title(self, home: str = "") -> str:
        """Return its kind and name, as a person reads them."""
        if self.kind is Kind.SESSIONS:
            return "new sessions"
        at = f" in {self.environment}" if self.environment else ""
        kind = {Kind.SCRIPT: "session script", Kind.STARTUP_FILE: "startup file"}.get(self.kind, self.kind.value)
        return f"{kind} {shown(self.name, home)}{self.bound}{at}"
