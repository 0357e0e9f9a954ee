"""What an outfit says: the whole set-up of a study, as `outfit.toml` declares it."""

from msgspec import Struct

from unified_shell.core.expectations.expectation import Expectation

__all__ = [
    "Outfit",
    "WantedCommand",
    "WantedEnvironment",
    "WantedInterpreter",
    "WantedPath",
    "WantedSuite",
    "WantedVariable",
]


class WantedInterpreter(Struct, frozen=True, kw_only=True):
    """An interpreter by its language and bounds of its version."""

    language: str = "python"
    version: str = ""


class WantedPath(Struct, frozen=True, kw_only=True):
    """Directories on a search path, nearest the front first; `{home}` and `{suite.NAME}` in them are filled in."""

    variable: str
    front: tuple[str, ...] = ()
    back: tuple[str, ...] = ()
    when: str = ""


class WantedVariable(Struct, frozen=True, kw_only=True):
    """A variable with its value, filled in likewise."""

    name: str
    value: str


class WantedEnvironment(Struct, frozen=True, kw_only=True):
    """An environment: its packages as requirements, and files that list more of them (`pyproject.toml`, a requirement list)
    with the groups and extras that count; its interpreter, where it is another than the outfit's; nothing published after
    `as_of`, as `YYYY-MM-DD`. One of another language than Python is an isolated library without packages. `notebook` offers it as a kernel, `applications` in the desktop's menu. What is on its own
    search paths and in its variables holds while it is entered.
    """

    name: str
    packages: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    extras: tuple[str, ...] = ()
    interpreter: WantedInterpreter | None = None
    language: str = "python"
    as_of: str = ""
    notebook: bool = False
    applications: tuple[str, ...] = ()
    paths: tuple[WantedPath, ...] = ()
    variables: tuple[WantedVariable, ...] = ()
    when: str = ""

    @property
    def is_python(self) -> bool:
        """Whether packages can be put into it."""
        return self.language == "python"


class WantedSuite(Struct, frozen=True, kw_only=True):
    """A suite by its name and bounds of its version; `form` binary or source; `trial`, its example is run."""

    name: str
    version: str = ""
    form: str = ""
    trial: bool = False
    when: str = ""


class WantedCommand(Struct, frozen=True, kw_only=True):
    """A command that is had from a package, in an environment of its own."""

    name: str
    package: str
    when: str = ""


class Outfit(Struct, frozen=True, kw_only=True):
    """A whole outfit. `indexes` and `catalogs` are pairs of a name and an address, in their order; `shells` are the dialects
    whose sessions are to have it; `completion`, Tab completes the words of ush in them. Conditions (`when`) are markers of the standard (PEP 508), of this machine.
    """

    name: str
    summary: str = ""
    scope: str = "me"
    indexes: tuple[tuple[str, str], ...] = ()
    catalogs: tuple[tuple[str, str], ...] = ()
    interpreter: WantedInterpreter = WantedInterpreter()
    environments: tuple[WantedEnvironment, ...] = ()
    suites: tuple[WantedSuite, ...] = ()
    commands: tuple[WantedCommand, ...] = ()
    paths: tuple[WantedPath, ...] = ()
    variables: tuple[WantedVariable, ...] = ()
    shells: tuple[str, ...] = ()
    completion: bool = False
    checks: tuple[Expectation, ...] = ()
