"""bash: `~/.bashrc` in interactive sessions, and the first of three files in login sessions."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import ConditionKind, Mode, Opening, StartupFile, system_file
from .posix import PosixText

__all__ = ["Bash"]

LOGIN_FILES = (".bash_profile", ".bash_login", ".profile")


class Bash(PosixText):
    """The dialect of bash 4 and later."""

    name = "bash"
    programs: tuple[str, ...] = ("bash",)
    session_name = "session.bash"
    reads: tuple[str, ...] = ("bash", "sh")
    script_endings: tuple[str, ...] = (".bash",)
    bare_words: tuple[str, ...] = ("--noprofile", "--norc")
    command_reads = "no startup file but what BASH_ENV names; started by sshd, ~/.bashrc"

    def state_line(self, file: str) -> str:
        """Return the lists of functions, aliases, options and traps."""
        lists = ("declare -F", "alias -p", "shopt -ps", "set +o", "trap -p")
        return f"{{ {'; '.join(f'builtin {one}' for one in lists)}; }} >| {self.quote(file)} 2>/dev/null"

    def startup_files(
        self,
        mode: Mode,
        home: str,
        variables: Sequence[tuple[str, str]],  # noqa: ARG002 - bash at a prompt heeds none
    ) -> tuple[StartupFile, ...]:
        """Return the files; a login session reads `~/.bashrc` only where its own file says so."""
        if mode is Mode.INTERACTIVE:
            return (system_file("/etc/bash.bashrc"), StartupFile(path=join(home, ".bashrc"), takes_hook=True))
        own = (StartupFile(path=join(home, name), group="login", takes_hook=True) for name in LOGIN_FILES)
        return (system_file("/etc/profile"), *own)

    def system_hook_file(self, mode: Mode) -> Place | None:
        """Return a snippet that `/etc/profile` reads, and the file of interactive sessions."""
        return Place("/etc/profile.d/unified-shell.sh" if mode is Mode.LOGIN else "/etc/bash.bashrc")

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return `~/.profile` for logins: a new `~/.bash_profile` would hide one that is made later."""
        return join(home, ".profile" if mode is Mode.LOGIN else ".bashrc")

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the check with extended patterns on: a file that turns them on itself is not at fault."""
        return ("-O", "extglob", "-n", file)

    def condition(self, kind: ConditionKind, word: str) -> str:
        """Return the test of a condition; bash knows the host and the kind of session itself."""
        own = {
            ConditionKind.LOGIN: "shopt -q login_shell",
            ConditionKind.HOST: f'[ "$HOSTNAME" = {word} ]',
            ConditionKind.ARCHITECTURE: f'[ "${{MACHTYPE%%-*}}" = {word} ]',
        }
        return own.get(kind) or super().condition(kind, word)

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("bash", "--rcfile", os.path.join(prefix, "enter-bash.rc"), "-i"))

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `type -a`: all that the name may mean, in order."""
        return f"type -a {self.quote(name)} > {self.quote(answer_file)} 2>&1"
