"""New sessions of the person's own shells, each opened once for all checks that look at them."""

from collections.abc import Sequence
from functools import cached_property

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.sessions import BegunSession, Session, SideBySide
from unified_shell.core.shells.sessions.shell_programs import find_program
from unified_shell.core.shells.startup.own_shells import chosen_shells, wired_modes

__all__ = ["NewSession", "NewSessions"]


class NewSession(Struct, frozen=True):
    """One that was opened."""

    dialect: Dialect
    mode: Mode
    session: Session

    @property
    def title(self) -> str:
        """What it is, in words."""
        return f"new {self.mode.value} {self.dialect.name}"


class NewSessions(Struct, dict=True, frozen=True):
    """Those of the person's own shells and of every shell that is wired, in each mode; `names` are those of commands that
    each is asked for. With `only_wired`, of the wired alone.
    """

    host: Host
    names: tuple[str, ...] = ()
    only_wired: bool = False

    @cached_property
    def wired(self) -> frozenset[tuple[str, Mode]]:
        """The shells and modes whose startup files have the hook-up."""
        return frozenset((dialect.name, mode) for dialect, mode in wired_modes(self.host))

    @cached_property
    def own(self) -> Sequence[Dialect]:
        """The person's own shells that are on this machine."""
        return [one for one in chosen_shells(self.host) if find_program(one, self.host)]

    @cached_property
    def opened(self) -> tuple[NewSession, ...]:
        """The sessions, which are forked from here: a fork beside threads may hang."""
        own = () if self.only_wired else ((one, mode) for one in self.own for mode in Mode)
        modes = tuple(dict.fromkeys([*own, *wired_modes(self.host)]))
        begun = [BegunSession(dialect, mode, self.host, names=self.names) for dialect, mode in modes]
        with SideBySide(begun) as sessions:
            seen = sessions.results()
        return tuple(NewSession(dialect, mode, one) for (dialect, mode), one in zip(modes, seen, strict=True))
