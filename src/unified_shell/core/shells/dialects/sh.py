"""POSIX sh, as dash and busybox are: `~/.profile` in login sessions, `$ENV` in interactive ones."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import Mode, Opening, SessionScript, StartupFile, system_file
from .posix import PosixText, env_file, env_value

__all__ = ["Sh"]


class Sh(PosixText):
    """The dialect of the standard's shell."""

    name = "sh"
    programs: tuple[str, ...] = ("sh", "dash")
    carries: tuple[str, ...] = ("bash",)
    session_name = "session.sh"

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:
        """Return the files; without `ENV` an interactive session that is no login reads none."""
        env = env_file(variables, home)
        asked = (StartupFile(path=env, takes_hook=mode is Mode.INTERACTIVE),) if env else ()
        if mode is Mode.INTERACTIVE:
            return asked
        return (system_file("/etc/profile"), StartupFile(path=join(home, ".profile"), takes_hook=True), *asked)

    def system_hook_file(self, mode: Mode) -> Place | None:
        """Return a snippet that `/etc/profile` reads."""
        return Place("/etc/profile.d/unified-shell.sh") if mode is Mode.LOGIN else None

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:
        """Return `~/.profile`, and what `ENV` names."""
        return join(home, ".profile") if mode is Mode.LOGIN else env_file(variables, home)

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("sh", "-i"), variables=(("ENV", env_value(os.path.join(prefix, "enter-sh.rc"))),))

    def _script(self, one: SessionScript, home: str) -> str:
        if one.dialect != "bash":
            return super()._script(one, home)
        # A login session of bash reads ~/.profile, and with it this file, where it has no login file of its own.
        file = self.quote_place(one.file, home)
        return f'if [ -n "${{BASH_VERSION-}}" ] && [ -r {file} ]; then\n  . {file}\nfi'
