"""Variables that a person wants in new sessions."""

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, plan_line
from unified_shell.core.errors import Refused, UnknownName
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.dialect import Dialect, SetVariable
from unified_shell.core.shells.wiring.conditions import check_condition
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring

from .search_paths import check_variable_name
from .update_lines import update_lines
from .wiring_changes import WiringChange, plan_wiring

__all__ = [
    "check_variable",
    "one_line",
    "plan_variable_add",
    "plan_variable_drop",
    "with_variable",
    "without_variable",
]

# Setting these in every session breaks shells, loaders or logins; each has a way of its own.
REFUSED: Mapping[str, NextStep] = {
    "PATH": ush("path", "add", "DIRECTORY"),
    "HOME": "the account sets it",
    "USER": "the account sets it",
    "SHELL": "chsh   (the system's own command)",
    "IFS": "set it in the script that needs it",
    "PS1": "set it in your startup file",
    "LD_PRELOAD": "set it for the one command that needs it",
    "USH_ENVIRONMENT": ush("environment", "enter", "NAME"),
    "PYTHONHOME": ush("environment", "new", "NAME", why="PYTHONHOME would mislead every Python"),
}


def plan_variable_add(one: SetVariable, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to have a variable in new sessions; raises Refused for those that would break them."""
    name, value = one.name, one.value
    check_variable(name, value)
    check_condition(one.when)
    before = read_wiring(locations)
    after = with_variable(before, one)
    known = before.variable(name)
    inherited = host.variable(name)
    kind = LineKind.CHANGE if known else LineKind.ADD
    change = WiringChange(
        aim=f"Set {name} in new sessions",
        before=before,
        after=after,
        lines=(
            plan_line(
                kind,
                About.VARIABLE,
                name=name,
                value=one_line(value),
                when=one.when,
                before=one_line(known.value) if known else "",
                here="" if known else one_line(inherited),
            ),
        ),
        afterwards=update_lines(host, locations),
        nothing=f"{name} already has that value in new sessions",
        values=((name, value),),
        when=one.when,
    )
    return plan_wiring(change, shells, host, locations)


def plan_variable_drop(name: str, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to set a variable in new sessions no more; raises UnknownName."""
    before = read_wiring(locations)
    known = before.variable(name)
    if known is None:
        raise UnknownName(
            "variable in the wiring", name, [one.name for one in before.variables], next_step=ush("variable", "list")
        )
    after = without_variable(before, name)
    change = WiringChange(
        aim=f"Stop setting {name} in new sessions",
        before=before,
        after=after,
        lines=(plan_line(LineKind.REMOVE, About.VARIABLE, name=name, value=one_line(known.value)),),
        afterwards=("New sessions no longer have it; open sessions keep it.",),
    )
    return plan_wiring(change, shells, host, locations, hook=False)


def check_variable(name: str, value: str) -> None:
    """Raise for names that are none, and for variables whose setting would break sessions."""
    check = name if name not in ("LUA_PATH", "LUA_CPATH", "TCLLIBPATH") else "X"
    check_variable_name(check)
    if name in REFUSED or name.startswith("BASH_"):
        raise Refused(
            f"{name} should not be set for every session",
            next_step=REFUSED.get(name, "set it in your own startup file"),
        )
    if "\0" in value:
        raise Refused("a value cannot hold a NUL character")


def with_variable(wiring: Wiring, wanted: SetVariable) -> Wiring:
    """Return the wiring with a variable set; the same wiring where nothing to change."""
    if wiring.variable(wanted.name) == wanted:
        return wiring
    others = tuple(one for one in wiring.variables if one.name != wanted.name)
    return replace(wiring, variables=(*others, wanted))


def without_variable(wiring: Wiring, name: str) -> Wiring:
    """Return the wiring without a variable."""
    return replace(wiring, variables=tuple(one for one in wiring.variables if one.name != name))


def one_line(text: str) -> str:
    """Return text as it can be shown on one line."""
    return "".join(c if c.isprintable() else repr(c)[1:-1] for c in text)
