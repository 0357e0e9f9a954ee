"""What a script changes in a session, as it was measured."""

from msgspec import Struct

from unified_shell.core.machine.places import Place

__all__ = ["ScriptDelta"]


class ScriptDelta(Struct, frozen=True, kw_only=True):
    """What reading a script does to a session.

    `front` and `back` are the directories that it adds to search paths (variable, directory), nearest the front first;
    `values` the variables that it sets; `unset` those that it takes away. `outside` are directories that it adds and that do
    not exist, or do not belong to the suite; `empty_in` variables in which it leaves an empty entry; `growing` those that
    grow each time it is read. `session_only` is what no variable keeps (kind, name). `unclear` are variables that depend on
    the session. `trouble` says why it did not come to its end: nothing else is known then.
    """

    front: tuple[tuple[str, Place], ...] = ()
    back: tuple[tuple[str, Place], ...] = ()
    values: tuple[tuple[str, str], ...] = ()
    unset: tuple[str, ...] = ()
    outside: tuple[tuple[str, Place], ...] = ()
    empty_in: tuple[str, ...] = ()
    growing: tuple[str, ...] = ()
    session_only: tuple[tuple[str, str], ...] = ()
    unclear: tuple[str, ...] = ()
    trouble: str = ""
