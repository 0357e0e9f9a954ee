"""bash: `~/.bashrc` in interactive sessions, and the first of three files in login sessions."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import Mode, Opening, StartupFile
from .posix import PosixText

__all__ = ["Bash"]

LOGIN_FILES = (".bash_profile", ".bash_login", ".profile")


class Bash(PosixText):
    """The dialect of bash 4 and later."""

    name = "bash"
    programs: tuple[str, ...] = ("bash",)
    session_name = "session.bash"

    def startup_files(
        self,
        mode: Mode,
        home: str,
        variables: Sequence[tuple[str, str]],  # noqa: ARG002 - bash at a prompt heeds none
    ) -> tuple[StartupFile, ...]:
        """Return the personal files; a login session reads `~/.bashrc` only where its file says so."""
        if mode is Mode.INTERACTIVE:
            return (StartupFile(path=join(home, ".bashrc")),)
        return tuple(StartupFile(path=join(home, name), group="login") for name in LOGIN_FILES)

    def new_login_file(self, home: str) -> Place:
        """Return `~/.profile`: a new `~/.bash_profile` would hide one that is made later."""
        return join(home, ".profile")

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session as a terminal program (`bash`) or a login (`-bash`) opens it."""
        return Opening(argv=("-bash",) if mode is Mode.LOGIN else ("bash",))

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return an interactive session that runs one command."""
        login = ("-l",) if mode is Mode.LOGIN else ()
        return Opening(argv=("bash", *login, "-i", "-c", command))

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the check with extended patterns on: a file that turns them on itself is not at fault."""
        return ("-O", "extglob", "-n", file)

    def enter_session(self, prefix: str) -> Opening:
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("bash", "--rcfile", os.path.join(prefix, "enter-bash.rc"), "-i"))
