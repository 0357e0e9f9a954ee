"""zsh: `.zshrc` in every interactive session, login or not, in `$ZDOTDIR` or the home."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import ConditionKind, Mode, Opening, SessionScript, StartupFile, system_file, variable_of
from .posix import PosixText

__all__ = ["Zsh"]

LOGIN = ("zshenv", "zprofile", "zshrc", "zlogin")
INTERACTIVE = ("zshenv", "zshrc")


class Zsh(PosixText):
    """The dialect of zsh 5."""

    name = "zsh"
    programs: tuple[str, ...] = ("zsh",)
    session_name = "session.zsh"
    reads: tuple[str, ...] = ("zsh", "sh")
    script_endings: tuple[str, ...] = (".zsh",)
    bare_words: tuple[str, ...] = ("-f",)
    forget_line = "rehash"
    command_reads = "~/.zshenv only, which the wiring leaves alone"

    def state_line(self, file: str) -> str:
        """Return the lists of functions, aliases and options."""
        names = 'builtin print -rl -- "declare -f "${^${(k)functions}}'
        options = 'builtin print -rl -- "set -o "${^${(k)options[(R)on]}}'
        return f"{{ {names}; builtin alias -L; {options}; }} >| {self.quote(file)} 2>/dev/null"

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:
        """Return the pairs of system-wide and personal files in order."""
        folder = variable_of(variables, "ZDOTDIR") or home
        found: list[StartupFile] = []
        for name in LOGIN if mode is Mode.LOGIN else INTERACTIVE:
            found.append(system_file(f"{system_folder()}/{name}"))
            found.append(StartupFile(path=join(folder, f".{name}"), takes_hook=name == "zshrc"))
        return tuple(found)

    def system_hook_file(self, mode: Mode) -> Place | None:  # noqa: ARG002
        """Return the file of interactive sessions."""
        return Place(f"{system_folder()}/zshrc")

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return `.zshrc`, which hides nothing."""
        return join(variable_of(variables, "ZDOTDIR") or home, ".zshrc")

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the check without startup files."""
        return ("-f", "-n", file)

    def condition(self, kind: ConditionKind, word: str) -> str:
        """Return the test of a condition; zsh knows the host and the kind of session itself."""
        own = {
            ConditionKind.LOGIN: "[[ -o login ]]",
            ConditionKind.HOST: f'[ "$HOST" = {word} ]',
            ConditionKind.ARCHITECTURE: f'[ "$MACHTYPE" = {word} ]',
        }
        return own.get(kind) or super().condition(kind, word)

    def _script(self, one: SessionScript, home: str) -> str:
        if one.dialect == self.name:
            return super()._script(one, home)
        # What was written for the standard's shell counts on its word splitting and its names of variables.
        file = self.quote_place(one.file, home)
        return f"if [ -r {file} ]; then\n  emulate sh -c {self.quote(f'. {file}')}\nfi"

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session whose own folder of startup files reads the person's, then enters."""
        return Opening(argv=("zsh", "-i"), variables=(("ZDOTDIR", os.path.join(prefix, "enter-zsh")),))

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `whence -va`; noclobber must not be in the way."""
        return f"whence -va {self.quote(name)} >| {self.quote(answer_file)} 2>&1"


def system_folder() -> str:
    """Return where the files of every account are: Debian's zsh was told another place than that of others and of macOS."""
    return "/etc/zsh" if os.path.isdir("/etc/zsh") else "/etc"
