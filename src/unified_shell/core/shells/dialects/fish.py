"""fish: `config.fish` in every session of any kind; lists instead of joined texts."""

from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.machine.places import Place, join

from .dialect import (
    SHARED_FOLDERS,
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
    changed_variables,
    common_folder,
    kept_name,
    path_directories,
    plain_front,
    session_body,
    split_condition,
    system_file,
    template,
    variable_of,
    without_control,
)
from .overlays import overlay_fish
from .search_path_rules import rule_of

__all__ = ["Fish"]


class Fish:
    """The dialect of fish 3."""

    name = "fish"
    programs: tuple[str, ...] = ("fish",)
    session_name = "session.fish"
    enter_name = "enter.fish"
    verified = True
    reads: tuple[str, ...] = ("fish",)
    script_endings: tuple[str, ...] = (".fish",)
    bare_words: tuple[str, ...] = ("--no-config",)
    forget_line = ""
    command_reads = "config.fish, as every fish does: the wiring is read"
    is_wired_for_commands = True

    def quote(self, text: str) -> str:
        """Return text in single quotes, in which fish reads only `\\\\` and `\\'`."""
        return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"

    def quote_place(self, place: str, home: str) -> str:
        """Return `"$HOME"'/below'`, or the whole place quoted."""
        below = below_home(place, home)
        return self.quote(place) if below is None else '"$HOME"' + self.quote("/" + below)

    def startup_files(
        self,
        mode: Mode,  # noqa: ARG002 - all kinds of session read the same
        home: str,
        variables: Sequence[tuple[str, str]],
    ) -> tuple[StartupFile, ...]:
        """Return the files; snippets in `conf.d` are read before, and may be many."""
        return (
            system_file("/etc/fish/config.fish"),
            StartupFile(path=_config(home, variables), takes_hook=True),
        )

    def system_hook_file(self, mode: Mode) -> Place | None:  # noqa: ARG002
        """Return a snippet of its own."""
        return Place("/etc/fish/conf.d/unified-shell.fish")

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return `config.fish`, which is read last."""
        return _config(home, variables)

    def hook_lines(self, session_file: str, home: str) -> str:
        """Return lines that read the session file where it is."""
        file = self.quote_place(session_file, home)
        return f"if test -r {file}\n    source {file}\nend"

    def session_text(self, content: SessionContent) -> str:
        """Return one test and one assignment for each variable and side.

        A fresh session, whose PATH has nothing of the kind, is told by one pattern; the rest is in another file.
        """
        fresh = plain_front(content)
        common = common_folder(fresh.directories) if fresh is not None else ""
        if fresh is None or common in SHARED_FOLDERS or set(common) & set("\\*?["):
            return self.again_text(content)
        others = replace(content, search_paths=tuple(one for one in content.search_paths if one is not fresh))
        return template(
            "session-fresh.fish",
            WIRING=without_control(content.source),
            PATTERN=f"'*'{self.quote_place(common, content.home)}'*'",
            AGAIN=self.quote_place(f"{content.again_file}.fish", content.home),
            WORDS=" ".join(self.quote_place(one, content.home) for one in fresh.directories),
            STAMP=content.stamp,
            STAMP_NAME=content.stamp_name,
            BODY=self._body(others),
        )

    def _body(self, content: SessionContent) -> str:
        return session_body(
            content,
            search_path=self._search_path,
            variable=self._variable,
            under=self._under,
            script=self._script,
            reads=self.reads,
        )

    def again_text(self, content: SessionContent) -> str:
        """Return what brings about all of the wiring, whatever of it is there already."""
        body = self._body(content)
        source = without_control(content.source)
        return template("session.fish", WIRING=source, STAMP=content.stamp, STAMP_NAME=content.stamp_name, BODY=body)

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the script that enters an environment, and the part of leaving that is this one's own."""
        home = content.home
        enter = template(
            "enter.fish",
            TITLE=without_control(name),
            SELF=without_control(self.quote_place(f"{prefix}/enter.fish", home)),
            PREFIX=self.quote_place(prefix, home),
            VARIABLES=self._enter_variables(prefix, content),
            PATHS="".join(self._search_path(one, home) for one in content.search_paths if one.variable == "PATH"),
        )
        return {"enter.fish": enter, "leave.fish": self._leave(prefix, content)}

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("fish", "-C", self.source_line(f"{prefix}/enter.fish")))

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session that keeps no history."""
        return Opening(argv=("fish", "--private", *(("-l",) if mode is Mode.LOGIN else ())))

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return an interactive session that runs one command."""
        login = ("-l",) if mode is Mode.LOGIN else ()
        return Opening(argv=("fish", "--private", *login, "-i", "-c", command))

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:
        """Return where links to the person's folders are: fish makes files in its folders of configuration and data."""
        return overlay_fish(folder, home, variables)

    def export_line(self, name: str, value: str) -> str:
        """Return `set -gx NAME VALUE`."""
        return f"set -gx {name} {value}"

    def source_line(self, file: str) -> str:
        """Return the command that reads a file."""
        return f"source {self.quote(file)}"

    def state_line(self, file: str) -> str:
        """Return the list of functions; fish's aliases are functions."""
        return f"for one in (functions -an); echo declare -f $one; end > {self.quote(file)} 2>/dev/null"

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the check without startup files."""
        return ("--no-config", "--no-execute", file)

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `type -a`."""
        return f"type -a {self.quote(name)} > {self.quote(answer_file)} 2>&1"

    def _script(self, one: SessionScript, home: str) -> str:
        return self.hook_lines(one.file, home)

    def _under(self, when: str, text: str) -> str:
        kind, value = split_condition(when)
        if kind is None:
            return text
        word = self.quote(value)
        test = {
            ConditionKind.INTERACTIVE: "status is-interactive",
            ConditionKind.LOGIN: "status is-login",
            ConditionKind.HOST: f'test "$hostname" = {word}',
            ConditionKind.ARCHITECTURE: f"test (/usr/bin/uname -m | string replace arm64 aarch64) = {word}",
        }[kind]
        return f"if {test}\n{text.rstrip()}\nend\n"

    def _enter_variables(self, prefix: str, content: SessionContent) -> str:
        lines = []
        for name in changed_variables(content):
            kept = kept_name(prefix, name)
            lines += [f"    set -e {kept}", f"    set -q {name}; and set -g {kept} ${name}"]
        for path in content.search_paths:
            if path.variable != "PATH":
                words = " ".join(self.quote_place(one, content.home) for one in path.directories)
                lines += [f"    {line}" for line in self._seed(path.variable).splitlines()]
                order = f"{words} ${path.variable}" if path.side is Side.FRONT else f"${path.variable} {words}"
                lines.append(f"    set -gx --path {path.variable} {order}")
        lines += [f"    set -gx {one.name} {self.quote_place(one.value, content.home)}" for one in content.variables]
        return "\n".join(lines)

    def _leave(self, prefix: str, content: SessionContent) -> str:
        lines = ["# What ush_leave does for this environment alone."]
        for directory in path_directories(content):
            word = self.quote_place(directory, content.home)
            lines.append(f"while contains -- {word} $PATH\n    set -e PATH[(contains -i -- {word} $PATH)]\nend")
        for name in changed_variables(content):
            kept = kept_name(prefix, name)
            lines.append(f"if set -q {kept}\n    set -gx {name} ${kept}\nelse\n    set -e {name}\nend\nset -e {kept}")
        return "\n".join(lines) + "\n"

    def _search_path(self, path: SearchPath, home: str) -> str:
        front = path.side is Side.FRONT
        directories = (*(rule_of(path.variable).first if front else ()), *path.directories)
        count = len(directories)
        return template(
            "search-path.fish",
            SEED=self._seed(path.variable),
            WORDS=" ".join(self.quote_place(directory, home) for directory in directories),
            # Where the block stands already, it is a slice; without a process, and without looking for each entry.
            SLICE=f"1..{count}" if front else f"-{count}..-1",
            VARIABLE=path.variable,
            ORDER="$_ush_block $_ush_rest" if front else "$_ush_rest $_ush_block",
        )

    def _seed(self, variable: str) -> str:
        """Return the statement that gives a search path its default where it is not set; nothing for most."""
        default = rule_of(variable).default
        if default is None:
            return ""
        words = " ".join(self.quote(one) for one in default.split(":"))
        return f"set -q {variable}; or set -gx --path {variable} {words}\n"

    def _variable(self, one: SetVariable, home: str) -> str:
        return f"set -gx {one.name} {self.quote_place(one.value, home)}\n"


def _config(home: str, variables: Sequence[tuple[str, str]]) -> Place:
    folder = variable_of(variables, "XDG_CONFIG_HOME") or join(home, ".config")
    return join(folder, "fish", "config.fish")
