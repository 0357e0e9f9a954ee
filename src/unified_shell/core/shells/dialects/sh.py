"""POSIX sh, as dash and busybox are: `~/.profile` in login sessions, `$ENV` in interactive ones."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import Mode, Opening, StartupFile
from .posix import PosixText

__all__ = ["Sh"]


class Sh(PosixText):
    """The dialect of the standard's shell."""

    name = "sh"
    programs: tuple[str, ...] = ("sh", "dash")
    session_name = "session.sh"

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:
        """Return the personal files; without `ENV` an interactive session that is no login reads none."""
        env = dict(variables).get("ENV", "").replace("$HOME", home).replace("${HOME}", home)
        asked = (StartupFile(path=Place(env)),) if env.startswith("/") else ()
        return asked if mode is Mode.INTERACTIVE else (StartupFile(path=join(home, ".profile")), *asked)

    def new_login_file(self, home: str) -> Place:
        """Return `~/.profile`."""
        return join(home, ".profile")

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session as a terminal program (`sh`) or a login (`-sh`) opens it."""
        return Opening(argv=("-sh",) if mode is Mode.LOGIN else ("sh",))

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return an interactive session that runs one command."""
        login = ("-l",) if mode is Mode.LOGIN else ()
        return Opening(argv=("sh", *login, "-i", "-c", command))

    def enter_session(self, prefix: str) -> Opening:
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("sh", "-i"), variables=(("ENV", os.path.join(prefix, "enter-sh.rc")),))
