"""tcsh and csh: the first of two files in every session; a list `path` that is tied to PATH."""

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
    changed_variables,
    kept_name,
    path_directories,
    session_body,
    split_condition,
    system_file,
    template,
    without_control,
)
from .search_path_rules import rule_of

__all__ = ["Tcsh"]

RC_FILES = (".tcshrc", ".cshrc")
# Characters that a pattern heeds even in quotes, and the line end, which breaks the test on a joined text.
UNTESTABLE = frozenset("*?[]{}\\\n")


class Tcsh:
    """The dialect of tcsh 6."""

    name = "tcsh"
    programs: tuple[str, ...] = ("tcsh", "csh")
    session_name = "session.csh"
    enter_name = "enter.csh"
    verified = True
    reads: tuple[str, ...] = ("tcsh",)
    script_endings: tuple[str, ...] = (".csh", ".tcsh")
    bare_words: tuple[str, ...] = ("-f",)
    forget_line = "rehash"
    command_reads = "~/.tcshrc or ~/.cshrc, as every tcsh does: the wiring is read"
    is_wired_for_commands = True

    def quote(self, text: str) -> str:
        """Return text with `'`, `\\` and `!` escaped outside quotes, all else in single quotes.

        History is expanded in files as well, and even in single quotes; a line end needs a backslash.
        """
        out, run = [], ""
        for c in text:
            if c in "'\\!":
                out += [f"'{run}'" if run else "", f"\\{c}"]
                run = ""
            else:
                run += "\\\n" if c == "\n" else c
        out.append(f"'{run}'" if run else "")
        return "".join(out) or "''"

    def quote_place(self, place: str, home: str) -> str:
        """Return `"$HOME"'/below'`, or the whole place quoted."""
        below = below_home(place, home)
        return self.quote(place) if below is None else '"$HOME"' + self.quote("/" + below)

    def startup_files(
        self,
        mode: Mode,
        home: str,
        variables: Sequence[tuple[str, str]],  # noqa: ARG002 - tcsh heeds none
    ) -> tuple[StartupFile, ...]:
        """Return the files; `.tcshrc` hides `.cshrc`, even where it is empty."""
        rc = tuple(StartupFile(path=join(home, name), group="rc", takes_hook=True) for name in RC_FILES)
        if mode is Mode.INTERACTIVE:
            return (system_file("/etc/csh.cshrc"), *rc)
        return (
            system_file("/etc/csh.cshrc"),
            system_file("/etc/csh.login"),
            *rc,
            StartupFile(path=join(home, ".login")),
        )

    def system_hook_file(self, mode: Mode) -> Place | None:  # noqa: ARG002
        """Return the file of all sessions."""
        return Place("/etc/csh.cshrc")

    def new_hook_file(self, mode: Mode, home: str, variables: Sequence[tuple[str, str]]) -> Place | None:  # noqa: ARG002
        """Return `.cshrc`: a new `.tcshrc` would hide one that is made later."""
        return join(home, ".cshrc")

    def hook_lines(self, session_file: str, home: str) -> str:
        """Return lines that read the session file where it is."""
        file = self.quote_place(session_file, home)
        return f"if ( -r {file} ) then\n  source {file}\nendif"

    def session_text(self, content: SessionContent) -> str:
        """Return tests and assignments; entries that tcsh cannot test for are left out, and said to be."""
        body = session_body(
            content,
            search_path=self._search_path,
            variable=self._variable,
            under=self._under,
            script=self._script,
            reads=self.reads,
        )
        source = without_control(content.source)
        return template("session.csh", WIRING=source, STAMP=content.stamp, STAMP_NAME=content.stamp_name, BODY=body)

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the script that enters an environment, and the one that leaves it."""
        home, names = content.home, changed_variables(content)
        enter = template(
            "enter.csh",
            REST=_rest(),
            TITLE=without_control(name),
            SELF=without_control(self.quote_place(f"{prefix}/enter.csh", home)),
            PREFIX=self.quote_place(prefix, home),
            VARIABLES="\n".join(self._enter_variables(prefix, content)),
            PATHS="".join(self._search_path(one, home) for one in content.search_paths if one.variable == "PATH"),
        )
        restore = []
        for one in names:
            kept = kept_name(prefix, one)
            restore += [f"if ( $?{kept} ) then", f"  setenv {one} ${kept}:q", f"  unset {kept}", "else"]
            restore += [f"  unsetenv {one}", "endif"]
        gone = " ".join(self.quote_place(one, home) for one in path_directories(content))
        leave = template("leave.csh", REST=_rest(), VARIABLES="\n".join(restore), GONE=gone)
        return {"enter.csh": enter, "leave.csh": leave}

    def enter_session(self, prefix: str, home: str) -> Opening:  # noqa: ARG002
        """Return an interactive session whose first home reads the person's startup file, then enters.

        tcsh has no other way to read one more file; the person's home is set again before theirs is read.
        """
        return Opening(argv=("tcsh", "-i"), variables=(("HOME", f"{prefix}/enter-tcsh"),))

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session as a terminal program (`tcsh`) or a login (`-tcsh`) opens it."""
        return Opening(argv=("-tcsh",) if mode is Mode.LOGIN else ("tcsh",))

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return an interactive session that is given its command on its input.

        With `-c` it has no prompt and so is not interactive, and at a login it takes no such option.
        """
        return Opening(argv=("-tcsh" if mode is Mode.LOGIN else "tcsh", "-i"), given=f"{command}\nexit\n")

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:  # noqa: ARG002
        """Return nothing: it writes nothing before it ends."""
        return {}

    def export_line(self, name: str, value: str) -> str:
        """Return `setenv NAME VALUE`."""
        return f"setenv {name} {value}"

    def source_line(self, file: str) -> str:
        """Return the command that reads a file."""
        return f"source {self.quote(file)}"

    def state_line(self, file: str) -> str:
        """Return the list of aliases."""
        return f"( alias | /bin/sed 's/^/alias /' ) >&! {self.quote(file)}"

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return the check without startup files; it finds unclosed quotes and little else."""
        return ("-f", "-n", file)

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return `where`: all that the name may mean, in order."""
        return f"where {self.quote(name)} >& {self.quote(answer_file)}"

    def _script(self, one: SessionScript, home: str) -> str:
        return self.hook_lines(one.file, home)

    def _under(self, when: str, text: str) -> str:
        kind, value = split_condition(when)
        if kind is None:
            return text
        word = self.quote(value)
        test = {
            ConditionKind.INTERACTIVE: "$?prompt",
            ConditionKind.LOGIN: "$?loginsh",
            ConditionKind.HOST: f'"$HOST" == {word}',
            ConditionKind.ARCHITECTURE: f'"$MACHTYPE" == {word}',
        }[kind]
        return f"if ( {test} ) then\n{text.rstrip()}\nendif\n"

    def _enter_variables(self, prefix: str, content: SessionContent) -> list[str]:
        lines = []
        for name in changed_variables(content):
            kept = kept_name(prefix, name)
            lines += [f"  unset {kept}", f"  if ( $?{name} ) then", f'    set {kept} = "${{{name}}}"', "  endif"]
        for path in content.search_paths:
            if path.variable != "PATH":
                joined = ":".join(self.quote_place(one, content.home) for one in path.directories)
                old = f'"${{{path.variable}}}"'
                value = f"{joined}:{old}" if path.side is Side.FRONT else f"{old}:{joined}"
                lines += [f"  if ( $?{path.variable} ) then", f"    setenv {path.variable} {value}", "  else"]
                lines += [f"    setenv {path.variable} {_alone(path, joined)}", "  endif"]
        return [
            *lines,
            *(f"  setenv {one.name} {self.quote_place(one.value, content.home)}" for one in content.variables),
        ]

    def _search_path(self, path: SearchPath, home: str) -> str:
        words = [self.quote_place(directory, home) for directory in path.directories]
        if path.variable == "PATH":
            tests = " && ".join(f"$path[{at}]:q == {word}" for at, word in enumerate(words, 1))
            name = "front.csh" if path.side is Side.FRONT else "back.csh"
            return template(name, TESTS=tests, COUNT=str(len(words)), WORDS=" ".join(words), REST=_rest())
        usable = [word for word, one in zip(words, path.directories, strict=True) if not UNTESTABLE & set(one)]
        left = len(words) - len(usable)
        text = f"# {left} left out: tcsh cannot test for such names\n" if left else ""
        for word in reversed(usable) if path.side is Side.FRONT else usable:
            order = f'{word}:"${{{path.variable}}}"' if path.side is Side.FRONT else f'"${{{path.variable}}}":{word}'
            text += template("entry.csh", VARIABLE=path.variable, WORD=word, ORDER=order, ALONE=_alone(path, word))
        return text

    def _variable(self, one: SetVariable, home: str) -> str:
        return f"setenv {one.name} {self.quote_place(one.value, home)}\n"


def _alone(path: SearchPath, word: str) -> str:
    """Return the value of a search path that was not set: the new entries, beside its default where it has one."""
    default = rule_of(path.variable).default
    if default is None:
        return word
    return f'{word}:"{default}"' if path.side is Side.FRONT else f'"{default}":{word}'


def _rest() -> str:
    # `set -f` and `set -l`, which drop second copies, were seen to leave some of them.
    return template("rest.csh").rstrip("\n")
