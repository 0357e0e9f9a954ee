"""Reading an outfit from its TOML file: every mistake at once, with its line and what was expected."""

import re
from collections.abc import Callable, Iterable, Sequence

from packaging.markers import InvalidMarker, Marker
from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from unified_shell.core.catalogs.check_tables import check_of
from unified_shell.core.catalogs.checking import CheckedFile, CheckedTable
from unified_shell.core.interpreters.languages import languages
from unified_shell.core.shells.dialects.table import DIALECTS

from .outfit import (
    Outfit,
    WantedCommand,
    WantedEnvironment,
    WantedInterpreter,
    WantedPath,
    WantedSuite,
    WantedVariable,
)

__all__ = ["LANGUAGES", "ONLY_PYTHON", "is_outfit_name", "parse_outfit"]

NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*")
VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
PLACEHOLDER = re.compile(r"\{([^{}]*)\}")
SCOPES = ("me", "everyone")
FORMS = ("binary", "source")
LANGUAGES = ("python", *(one.name for one in languages() if one.library))
# What is about packages, of which there are only Python's.
ONLY_PYTHON = ("packages", "from", "groups", "extras", "as-of", "notebook", "applications")


def is_outfit_name(text: str) -> bool:
    """Tell whether an outfit, or something that it names, may be called so."""
    return NAME.fullmatch(text) is not None


def parse_outfit(content: bytes, where: str) -> Outfit:
    """Return an outfit; raises DescriptionBroken with every mistake."""
    file = CheckedFile(content, where)
    top = file.top
    head = top.table("outfit")
    if head is None:
        top.mistake("outfit", "[outfit] is missing; expected name = '…' in it")
    found = Outfit(
        name=head.text("name", required=True, fits=_name) if head is not None else "",
        summary=head.text("summary") if head is not None else "",
        scope=(head.text("scope", fits=_one_of(SCOPES)) if head is not None else "") or "me",
        indexes=_addresses(top.table("index")),
        catalogs=_addresses(top.table("catalog")),
        interpreter=_interpreter(top.table("interpreter")),
        environments=tuple(_environment(name, table) for name, table in _named(top.table("environment"))),
        suites=tuple(_suite(name, table) for name, table in _named(top.table("suite"))),
        commands=tuple(_command(name, table) for name, table in _named(top.table("command"))),
        paths=_paths(top.table("search-path")),
        variables=_variables(top.table("variables")),
        shells=_shells(top.table("shells")),
        completion=(table := top.table("shells")) is not None and table.truth("completion"),
        checks=tuple(check_of(one) for one in top.tables("check")),
    )
    if head is not None:
        head.no_others()
    _check_placeholders(found, top)
    _check_environments(found, top.tables("check"))
    top.no_others()
    file.finish()
    return found


def _named(table: CheckedTable | None) -> list[tuple[str, CheckedTable]]:
    """Return the tables below one by their names; each name is checked."""
    found = []
    for name in table.names() if table is not None else ():
        assert table is not None
        below = table.table(name)
        if not NAME.fullmatch(name):
            table.mistake(name, f"{name!r}; expected a name of letters, digits, '-', '_' and '.'")
        if below is not None:
            found.append((name, below))
    return found


def _addresses(table: CheckedTable | None) -> tuple[tuple[str, str], ...]:
    found = []
    for name, below in _named(table):
        found.append((name, below.text("url", required=True)))
        below.no_others()
    return tuple(found)


def _interpreter(table: CheckedTable | None) -> WantedInterpreter:
    if table is None:
        return WantedInterpreter()
    # Environments are filled with packages for Python alone; other languages' interpreters are got by themselves.
    language = table.text("language", fits=_one_of(("python",))) or "python"
    found = WantedInterpreter(language=language, version=table.text("version", fits=_bound))
    table.no_others()
    return found


def _environment(name: str, table: CheckedTable) -> WantedEnvironment:
    version = table.text("interpreter", fits=_bound)
    language = table.text("language", fits=_one_of(LANGUAGES)) or "python"
    found = WantedEnvironment(
        name=name,
        packages=table.texts("packages"),
        files=table.one_or_more_texts("from"),
        groups=table.texts("groups"),
        extras=table.texts("extras"),
        interpreter=WantedInterpreter(language=language, version=version)
        if version or language != "python"
        else None,
        language=language,
        as_of=table.date("as-of"),
        notebook=table.truth("notebook"),
        applications=table.texts("applications"),
        paths=_paths(table.table("search-path")),
        variables=_variables(table.table("variables")),
        when=table.text("when", fits=_marker),
    )
    for text in found.packages:
        if expected := _requirement(text):
            table.mistake("packages", f"{text!r} in packages; expected {expected}")
    if not found.is_python:
        for key in ONLY_PYTHON:
            if key in table.names():
                table.mistake(key, f"{key}: only for Python; an environment of {language} is filled by its own means")
    table.no_others()
    return found


def _suite(name: str, table: CheckedTable) -> WantedSuite:
    found = WantedSuite(
        name=name,
        version=table.text("version", fits=_bound),
        form=table.text("form", fits=_one_of(FORMS)),
        trial=table.truth("trial"),
        when=table.text("when", fits=_marker),
    )
    table.no_others()
    return found


def _command(name: str, table: CheckedTable) -> WantedCommand:
    found = WantedCommand(
        name=name,
        package=table.text("package", fits=_requirement) or name,
        when=table.text("when", fits=_marker),
    )
    table.no_others()
    return found


def _paths(table: CheckedTable | None) -> tuple[WantedPath, ...]:
    found = []
    for name in table.names() if table is not None else ():
        assert table is not None
        below = table.table(name)
        if not VARIABLE.fullmatch(name):
            table.mistake(name, f"{name!r}; expected a variable's name: letters, digits and '_'")
        if below is not None:
            found.append(
                WantedPath(
                    variable=name, front=below.texts("front"), back=below.texts("back"), when=below.text("when")
                )
            )
            below.no_others()
    return tuple(found)


def _variables(table: CheckedTable | None) -> tuple[WantedVariable, ...]:
    found = []
    for name in table.names() if table is not None else ():
        assert table is not None
        value = table.text(name)
        if not VARIABLE.fullmatch(name):
            table.mistake(name, f"{name!r}; expected a variable's name: letters, digits and '_'")
        found.append(WantedVariable(name=name, value=value))
    return tuple(found)


def _shells(table: CheckedTable | None) -> tuple[str, ...]:
    if table is None:
        return ()
    known = [one.name for one in DIALECTS]
    found = table.texts("wire")
    if wrong := next((one for one in found if one not in known), ""):
        table.mistake("wire", f"{wrong!r} in wire; expected: {', '.join(known)}")
    table.truth("completion")
    table.no_others()
    return found


def _check_placeholders(outfit: Outfit, top: CheckedTable) -> None:
    """Note what stands in braces and nothing fills in."""
    suites = {f"suite.{one.name}" for one in outfit.suites}
    texts = [("search-path", one) for path in outfit.paths for one in (*path.front, *path.back)]
    texts += [("variables", one.value) for one in outfit.variables]
    for environment in outfit.environments:
        texts += [("environment", one) for path in environment.paths for one in (*path.front, *path.back)]
        texts += [("environment", one.value) for one in environment.variables]
    for key, text in texts:
        for held in PLACEHOLDER.findall(text):
            if held != "home" and held not in suites:
                known = ", ".join(["{home}", *(f"{{{one}}}" for one in sorted(suites))])
                top.mistake(key, f"{{{held}}} in {text!r}; expected one of: {known}")


def _check_environments(outfit: Outfit, tables: Iterable[CheckedTable]) -> None:
    """Note checks that name an environment of none of these."""
    names = {one.name for one in outfit.environments}
    known = ", ".join(sorted(names)) or "none"
    for number, (check, table) in enumerate(zip(outfit.checks, tables, strict=False), 1):
        if check.environment and check.environment not in names:
            table.mistake("in", f"check {number} is in {check.environment!r}; the outfit's environments are: {known}")


def _one_of(known: Sequence[str]) -> Callable[[str], str]:
    return lambda text: "" if text in known else f"one of: {', '.join(known)}"


def _name(text: str) -> str:
    return "" if is_outfit_name(text) else "letters, digits, '-', '_' and '.'"


def _bound(text: str) -> str:
    try:
        SpecifierSet(text)
    except InvalidSpecifier:
        return "bounds of a version, such as >=3.11"
    return ""


def _requirement(text: str) -> str:
    try:
        Requirement(text)
    except InvalidRequirement:
        return "a requirement such as waggle-io>=0.9"
    return ""


def _marker(text: str) -> str:
    try:
        Marker(text)
    except InvalidMarker:
        return "a marker such as sys_platform == 'linux'"
    return ""
