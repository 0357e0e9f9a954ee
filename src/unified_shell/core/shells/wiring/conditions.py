"""Conditions of wiring entries: a closed list, tested by builtins inside the session files.

Homes are shared by machines, so what is wanted may depend on the host or its architecture.
"""

from unified_shell.core.errors import UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.shells.dialects.dialect import ConditionKind, Mode, split_condition

__all__ = ["check_condition", "holds"]


def check_condition(text: str) -> None:
    """Raise UsageError for what is no condition; an empty text is none and is fine."""
    if not text:
        return
    kind, value = split_condition(text)
    needs_value = kind in (ConditionKind.HOST, ConditionKind.ARCHITECTURE)
    plain = all(c.isalnum() or c in "-_." for c in value) and value.isascii()
    if kind is None or needs_value != bool(value) or not plain:
        raise UsageError(
            f"{text!r} is not a condition",
            where="there are: interactive, login, host:NAME, architecture:NAME",
            next_step="--when host:apiary-1",
        )


def holds(text: str, mode: Mode, host: Host) -> bool:
    """Tell whether a condition holds in a new session of this mode on this host."""
    kind, value = split_condition(text)
    match kind:
        case ConditionKind.LOGIN:
            return mode is Mode.LOGIN
        case ConditionKind.HOST:
            return host.host_name == value
        case ConditionKind.ARCHITECTURE:
            return host.architecture == value
        case _:
            return True
