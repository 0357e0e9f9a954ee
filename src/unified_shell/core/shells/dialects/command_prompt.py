"""Windows' classic prompt: no startup file, so its variables come from the registry; its scripts
were run by wine's prompt, never by Windows' own.
"""

from collections.abc import Sequence

from unified_shell.core.machine.places import Place

from .dialect import Mode, Opening, SessionContent, Side, StartupFile, template

__all__ = ["CommandPrompt"]


class CommandPrompt:
    """The dialect of cmd.exe."""

    name = "cmd"
    programs: tuple[str, ...] = ("cmd.exe",)
    session_name = ""
    enter_name = "enter.cmd"
    verified = False
    reads: tuple[str, ...] = ()
    script_endings: tuple[str, ...] = ()
    bare_words: tuple[str, ...] = ()
    forget_line = ""
    command_reads = ""
    is_wired_for_commands = False

    def quote(self, text: str) -> str:
        """Return text in double quotes, in which a batch file expands only `%`; a quote itself cannot be given."""
        return '"' + self._literal(text) + '"'

    def quote_place(self, place: str, home: str) -> str:  # noqa: ARG002 - homes are shared by no machines there
        """Return the place quoted."""
        return self.quote(place)

    def startup_files(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> tuple[StartupFile, ...]:  # noqa: ARG002
        """Return nothing: it reads none."""
        return ()

    def system_hook_file(self, mode: Mode) -> Place | None:  # noqa: ARG002
        """Return nothing."""
        return None

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return nothing."""
        return None

    def hook_lines(self, session_file: str, home: str) -> str:  # noqa: ARG002
        """Return the line that runs another batch file and comes back."""
        return f"call {self.quote(session_file)}"

    def session_text(self, content: SessionContent) -> str:  # noqa: ARG002
        """Return nothing: the registry stands for it."""
        return ""

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the batch files that enter an environment and leave it, to be called."""
        front = [
            one
            for path in content.search_paths
            if self._is(path.variable, path.side, Side.FRONT)
            for one in path.directories
        ]
        back = [
            one
            for path in content.search_paths
            if self._is(path.variable, path.side, Side.BACK)
            for one in path.directories
        ]
        path = ";".join(
            [f"{self._literal(prefix)}\\Scripts", *map(self._literal, front), "%PATH%", *map(self._literal, back)]
        )
        title = "".join(c for c in name if c.isalnum() or c in "-_.")
        lines = [
            f'@set "_USH_WAS_{one.name}=%{one.name}%"\n@set "{one.name}={self._literal(one.value)}"\n'
            for one in content.variables
        ]
        enter = template("enter.cmd", TITLE=title, PREFIX=self._literal(prefix), PATH=path, VARIABLES="".join(lines))
        # What had no value before gets an empty one, which is none there.
        names = [
            f'@set "{one.name}=%_USH_WAS_{one.name}%"\n@set "_USH_WAS_{one.name}="\n' for one in content.variables
        ]
        return {
            "enter.cmd": enter.replace("\n", "\r\n"),
            "leave.cmd": template("leave.cmd", VARIABLES="".join(names)).replace("\n", "\r\n"),
        }

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return a prompt that has called the batch file."""
        return Opening(argv=("cmd.exe", "/d", "/k", f"{prefix}\\enter.cmd"))

    def open_terminal(self, mode: Mode) -> Opening:  # noqa: ARG002 - it knows no logins
        """Return a prompt."""
        return Opening(argv=("cmd.exe",))

    def open_with(self, mode: Mode, command: str) -> Opening:  # noqa: ARG002
        """Return a prompt that runs one command."""
        return Opening(argv=("cmd.exe", "/d", "/c", command))

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:  # noqa: ARG002
        """Return nothing: it writes nothing before it ends."""
        return {}

    def export_line(self, name: str, value: str) -> str:
        """Return `set NAME=VALUE`."""
        return f"set {name}={value}"

    def source_line(self, file: str) -> str:
        """Return the line that calls a batch file."""
        return f"call {self.quote(file)}"

    def state_line(self, file: str) -> str:  # noqa: ARG002
        """Return nothing: it was not tried here."""
        return ""

    def syntax_check(self, file: str) -> tuple[str, ...]:  # noqa: ARG002
        """Return nothing: it has none."""
        return ()

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `where`: the files of that name, in order."""
        return f"where {self.quote(name)} > {self.quote(answer_file)} 2>&1"

    def _is(self, variable: str, side: Side, wanted: Side) -> bool:
        return variable == "PATH" and side is wanted

    def _literal(self, text: str) -> str:
        # No name of a file there holds a quote or a control character, so none is lost.
        return "".join(c for c in text if c.isprintable() and c != '"').replace("%", "%%")
