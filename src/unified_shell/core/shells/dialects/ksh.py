"""The Korn shells, ksh93 and mksh: `${ENV}` or a file of their own in every interactive session."""

import os
import re
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import Mode, Opening, StartupFile, system_file
from .posix import PosixText, env_file, env_value

__all__ = ["Ksh", "Mksh"]


class Ksh(PosixText):
    """The dialect of ksh93."""

    name = "ksh"
    programs: tuple[str, ...] = ("ksh", "ksh93")
    session_name = "session.ksh"
    reads: tuple[str, ...] = ("ksh", "sh")
    script_endings: tuple[str, ...] = (".ksh",)
    own_file = ".kshrc"
    system_files: tuple[str, ...] = ("/etc/ksh.kshrc",)

    def state_line(self, file: str) -> str:
        """Return the lists of functions and aliases."""
        names = "typeset +f | /bin/sed 's/[( ].*//; s/^/declare -f /'"
        return f"{{ {names}; alias | /bin/sed 's/^/alias /'; }} >| {self.quote(file)} 2>/dev/null"

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:
        """Return the files; the one of interactive sessions is read at logins too, and takes the hook-up."""
        own = env_file(variables, home, join(home, self.own_file)) or join(home, self.own_file)
        files = (*map(system_file, self.system_files), StartupFile(path=own, takes_hook=True))
        if mode is Mode.INTERACTIVE:
            return files
        return (system_file("/etc/profile"), StartupFile(path=join(home, ".profile")), *files)

    def system_hook_file(self, mode: Mode) -> Place | None:
        """Return the file of interactive sessions, or a snippet that `/etc/profile` reads."""
        return (
            Place(self.system_files[0])
            if self.system_files
            else Place("/etc/profile.d/unified-shell.sh")
            if mode is Mode.LOGIN
            else None
        )

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return what `ENV` names, or the shell's own file."""
        return env_file(variables, home, join(home, self.own_file))

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session that enters an environment after its startup files."""
        rc = os.path.join(prefix, f"enter-{self.name}.rc")
        return Opening(argv=(self.programs[0], "-i"), variables=(("ENV", self.env_value(rc)),))

    def env_value(self, file: str) -> str:
        """Return the value of `ENV` that means this file; quotes are taken out of it as well."""
        return re.sub(r"(['\"])", r"\\\1", env_value(file))

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `whence -v`."""
        return f"whence -v {self.quote(name)} > {self.quote(answer_file)} 2>&1"


class Mksh(Ksh):
    """The dialect of mksh, which takes `ENV` to the letter."""

    name = "mksh"
    programs: tuple[str, ...] = ("mksh",)
    session_name = "session.mksh"
    reads: tuple[str, ...] = ("mksh", "sh")
    script_endings: tuple[str, ...] = ()
    own_file = ".mkshrc"
    system_files: tuple[str, ...] = ()

    def env_value(self, file: str) -> str:
        """Return the file: nothing of it is expanded."""
        return file
