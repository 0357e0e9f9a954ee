"""PowerShell: written by its documentation, and never run here, so it is said to be unverified wherever it is listed."""

from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

from .dialect import (
    ConditionKind,
    Mode,
    Opening,
    SearchPath,
    SessionContent,
    SessionScript,
    SetVariable,
    Side,
    StartupFile,
    below_home,
    session_body,
    split_condition,
    template,
    without_control,
)
from .search_path_rules import rule_of

__all__ = ["PowerShell"]


class PowerShell:
    """The dialect of PowerShell 7 on Linux and macOS."""

    name = "powershell"
    programs: tuple[str, ...] = ("pwsh",)
    session_name = "session.ps1"
    enter_name = "enter.ps1"
    verified = False
    reads: tuple[str, ...] = ("powershell",)
    script_endings: tuple[str, ...] = (".ps1",)
    bare_words: tuple[str, ...] = ()
    forget_line = ""
    command_reads = ""
    is_wired_for_commands = False

    def quote(self, text: str) -> str:
        """Return text in single quotes, in which only the quote itself is doubled; curly ones count as well."""
        return "'" + "".join(c * 2 if c in "'\u2018\u2019\u201a\u201b" else c for c in text) + "'"

    def quote_place(self, place: str, home: str) -> str:
        """Return `($HOME + '/below')`, or the whole place quoted."""
        below = below_home(place, home)
        return self.quote(place) if below is None else f"($HOME + {self.quote('/' + below)})"

    def startup_files(
        self,
        mode: Mode,  # noqa: ARG002 - the profile is read in all of them
        home: str,
        variables: Sequence[tuple[str, str]],  # noqa: ARG002
    ) -> tuple[StartupFile, ...]:
        """Return the current user's profile for all hosts."""
        return (StartupFile(path=join(home, ".config/powershell/profile.ps1"), takes_hook=True),)

    def system_hook_file(self, mode: Mode) -> Place | None:  # noqa: ARG002
        """Return nothing: where its system-wide profile is depends on the installation."""
        return None

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return the same."""
        return join(home, ".config/powershell/profile.ps1")

    def hook_lines(self, session_file: str, home: str) -> str:
        """Return lines that read the session file where it is."""
        file = self.quote_place(session_file, home)
        return f"if (Test-Path -LiteralPath {file}) {{ . {file} }}"

    def session_text(self, content: SessionContent) -> str:
        """Return one test and one assignment for each variable and side."""
        body = session_body(
            content,
            search_path=self._search_path,
            variable=self._variable,
            under=self._under,
            script=self._script,
            reads=self.reads,
        )
        source = without_control(content.source)
        return template("session.ps1", WIRING=source, STAMP=content.stamp, STAMP_NAME=content.stamp_name, BODY=body)

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the script that enters an environment when it is dot-sourced."""
        home = content.home
        paths = "".join(self._search_path(one, home) for one in content.search_paths)
        variables = "".join(self._variable(one, home) for one in content.variables)
        title, place = without_control(name), self.quote_place(prefix, home)
        return {"enter.ps1": template("enter.ps1", TITLE=title, PREFIX=place, BODY=paths + variables)}

    def enter_session(self, prefix: str, home: str) -> Opening:
        """Return a session that enters an environment after its profile."""
        return Opening(argv=("pwsh", "-NoExit", "-Command", f". {self.quote_place(prefix + '/enter.ps1', home)}"))

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session."""
        return Opening(argv=("pwsh", *(("-Login",) if mode is Mode.LOGIN else ())))

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return a session that runs one command."""
        return Opening(argv=("pwsh", *(("-Login",) if mode is Mode.LOGIN else ()), "-Command", command))

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:  # noqa: ARG002
        """Return nothing: it writes nothing before it ends."""
        return {}

    def export_line(self, name: str, value: str) -> str:
        """Return an assignment to the environment."""
        return f"$env:{name} = '{value}'"

    def source_line(self, file: str) -> str:
        """Return the dot command."""
        return f". {self.quote(file)}"

    def state_line(self, file: str) -> str:  # noqa: ARG002
        """Return nothing: it was not tried here."""
        return ""

    def syntax_check(self, file: str) -> tuple[str, ...]:  # noqa: ARG002
        """Return nothing: it has no such option."""
        return ()

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `Get-Command -All`."""
        return f"Get-Command -All {self.quote(name)} > {self.quote(answer_file)}"

    def _script(self, one: SessionScript, home: str) -> str:
        return self.hook_lines(one.file, home)

    def _under(self, when: str, text: str) -> str:
        kind, value = split_condition(when)
        if kind is None:
            return text
        test = {
            ConditionKind.INTERACTIVE: "[Environment]::UserInteractive",
            ConditionKind.LOGIN: "[Environment]::GetCommandLineArgs() -contains '-Login'",
            ConditionKind.HOST: f"[Environment]::MachineName -eq {self.quote(value)}",
            ConditionKind.ARCHITECTURE: f"(uname -m) -eq {self.quote(value)}",
        }[kind]
        return f"if ({test}) {{\n{text.rstrip()}\n}}\n"

    def _search_path(self, path: SearchPath, home: str) -> str:
        words = ", ".join(self.quote_place(directory, home) for directory in path.directories)
        order = "$ushBlock + $ushRest" if path.side is Side.FRONT else "$ushRest + $ushBlock"
        default, name = rule_of(path.variable).default, path.variable
        seed = f"if (-not $env:{name}) {{ $env:{name} = {self.quote(default)} }}\n" if default else ""
        return seed + template("search-path.ps1", WORDS=words, VARIABLE=name, ORDER=order)

    def _variable(self, one: SetVariable, home: str) -> str:
        return f"$env:{one.name} = {self.quote_place(one.value, home)}\n"
