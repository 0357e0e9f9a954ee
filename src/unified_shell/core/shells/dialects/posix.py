"""What the shells of the POSIX family have in common: quoting, statements, the texts that are written."""

import os
import re
from collections.abc import Sequence

from unified_shell.core.machine.places import Place

from .dialect import (
    ConditionKind,
    Mode,
    Opening,
    SearchPath,
    SessionContent,
    SessionScript,
    SetVariable,
    Side,
    below_home,
    changed_variables,
    kept_name,
    path_directories,
    session_body,
    split_condition,
    template,
    variable_of,
    without_control,
)

__all__ = ["PosixText", "env_file", "env_value"]


class PosixText:
    """Texts for bash, dash, busybox sh, ksh, mksh and zsh."""

    programs: tuple[str, ...] = ()
    enter_name = "enter.sh"
    verified = True
    reads: tuple[str, ...] = ("sh",)

    def quote(self, text: str) -> str:
        """Return text in single quotes; POSIX shells expand nothing in them, newlines stay as they are."""
        return "'" + text.replace("'", "'\\''") + "'"

    def quote_place(self, place: str, home: str) -> str:
        """Return `"$HOME"'/below'`, or the whole place quoted."""
        below = below_home(place, home)
        return self.quote(place) if below is None else '"$HOME"' + self.quote("/" + below)

    def hook_lines(self, session_file: str, home: str) -> str:
        """Return lines that leave the exit status alone, so that `set -e` does not end the session."""
        file = self.quote_place(session_file, home)
        return f"if [ -r {file} ]; then\n  . {file}\nfi"

    def session_text(self, content: SessionContent) -> str:
        """Return one test and one joined assignment for each variable and side."""
        body = session_body(
            content,
            search_path=self._search_path,
            variable=self._variable,
            under=self._under,
            script=self._script,
            reads=self.reads,
        )
        return template(
            "session.sh",
            TAKE_OUT=template("take-one-out.sh").rstrip("\n"),
            WIRING=without_control(content.source),
            STAMP=content.stamp,
            STAMP_NAME=content.stamp_name,
            BODY=body,
        )

    def source_line(self, file: str) -> str:
        """Return the dot command."""
        return f". {self.quote(file)}"

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return `-n FILE`: read, do not run."""
        return ("-n", file)

    def enter_scripts(self, *, name: str, prefix: str, content: SessionContent) -> dict[str, str]:
        """Return the script that enters an environment, and the part of leaving that is this one's own."""
        home = content.home
        enter = template(
            "enter.sh",
            TAKE_OUT=template("take-out.sh").rstrip("\n"),
            TITLE=without_control(name),
            SELF=without_control(self.quote_place(f"{prefix}/enter.sh", home)),
            PREFIX=self.quote_place(prefix, home),
            VARIABLES=self._enter_variables(prefix, content),
            PATHS="".join(self._search_path(one, home) for one in content.search_paths if one.variable == "PATH"),
        )
        return {"enter.sh": enter, "leave.sh": self._leave(prefix, content)}

    def open_with(self, mode: Mode, command: str) -> Opening:
        """Return an interactive session that runs one command."""
        # A dash before the name is how a login begins; some shells tell a login by nothing else.
        dash = "-" if mode is Mode.LOGIN else ""
        return Opening(argv=(f"{dash}{self.programs[0]}", "-i", "-c", command))

    def open_terminal(self, mode: Mode) -> Opening:
        """Return a session as a terminal program or a login (with a dash before its name) opens it."""
        name = self.programs[0]
        return Opening(argv=(f"-{name}",) if mode is Mode.LOGIN else (name,))

    def shelter(self, folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:  # noqa: ARG002
        """Return nothing: it writes nothing before it ends."""
        return {}

    def meaning_question(self, name: str, answer_file: str) -> str:
        """Return the standard's `type`, which tells aliases and functions from files."""
        return f"type {self.quote(name)} > {self.quote(answer_file)} 2>&1"

    def _enter_variables(self, prefix: str, content: SessionContent) -> str:
        lines = []
        for name in changed_variables(content):
            kept = kept_name(prefix, name)
            lines += [
                f'  if [ -n "${{{name}+set}}" ]; then',
                f"    {kept}=${name}",
                "  else",
                f"    unset {kept}",
                "  fi",
            ]
        for path in content.search_paths:
            if path.variable != "PATH":
                joined = ":".join(self.quote_place(one, content.home) for one in path.directories)
                front, name = path.side is Side.FRONT, path.variable
                value = f"{joined}${{{name}:+:${name}}}" if front else f"${{{name}:+${name}:}}{joined}"
                lines += [f"  {name}={value}", f"  export {name}"]
        for one in content.variables:
            lines += [f"  {one.name}={self.quote_place(one.value, content.home)}", f"  export {one.name}"]
        return "\n".join(lines)

    def _leave(self, prefix: str, content: SessionContent) -> str:
        lines = ["# What ush_leave does for this environment alone."]
        for directory in path_directories(content):
            lines += [f'_ush_take_out "${{PATH-}}" {self.quote_place(directory, content.home)}', "PATH=$_ush_list"]
        for name in changed_variables(content):
            kept = kept_name(prefix, name)
            lines += [f'if [ -n "${{{kept}+set}}" ]; then', f"  {name}=${kept}", f"  export {name}", "else"]
            lines += [f"  unset {name}", "fi", f"unset {kept}"]
        return "\n".join(lines) + "\n"

    def _script(self, one: SessionScript, home: str) -> str:
        return self.hook_lines(one.file, home)

    def _under(self, when: str, text: str) -> str:
        """Return text that takes effect only under a condition."""
        kind, value = split_condition(when)
        if kind is None:
            return text
        return f"if {self.condition(kind, self.quote(value))}; then\n{text.rstrip()}\nfi\n"

    def condition(self, kind: ConditionKind, word: str) -> str:
        """Return the test of a condition, by builtins; `word` is its quoted value."""
        match kind:
            case ConditionKind.INTERACTIVE:
                return "case $- in *i*) true ;; *) false ;; esac"
            case ConditionKind.LOGIN:
                # By the name it was started as, by the options it has, or by bash's own word; dash -l tells nothing.
                return "case $0,$- in -*,* | *,*l*) true ;; *) shopt -q login_shell 2>/dev/null ;; esac"
            case ConditionKind.HOST:
                return f'read -r _ush_told < /proc/sys/kernel/hostname && [ "$_ush_told" = {word} ]'
            case ConditionKind.ARCHITECTURE:
                return f'read -r _ush_told < /proc/sys/kernel/arch && [ "$_ush_told" = {word} ]'

    def _search_path(self, path: SearchPath, home: str) -> str:
        words = [self.quote_place(directory, home) for directory in path.directories]
        return template(
            "front.sh" if path.side is Side.FRONT else "back.sh",
            JOINED=":".join(words),
            VARIABLE=path.variable,
            # Only where something below the entries' common folder is there, single ones may have to be taken out:
            # a pattern costs bash 10 to 20 µs, so a fresh session is spared one for each entry.
            COMMON=self.quote_place(_common_folder(path.directories), home),
            WORDS=" ".join(words),
            TAKE_OUT=template("take-one-out.sh").rstrip("\n"),
        )

    def _variable(self, one: SetVariable, home: str) -> str:
        return f"{one.name}={self.quote_place(one.value, home)}\nexport {one.name}\n"


def _common_folder(directories: Sequence[str]) -> str:
    """Return what all names begin with, up to a slash."""
    shared = os.path.commonprefix(list(directories))  # noqa: RUF071 - of texts, as patterns are
    return shared.rpartition("/")[0] + "/"


def env_value(file: str) -> str:
    """Return the value of `ENV` that means this file: these shells expand it, substituting commands too."""
    return re.sub(r"([\\$`])", r"\\\1", file)


def env_file(variables: Sequence[tuple[str, str]], home: str, otherwise: str = "") -> Place | None:
    """Return the file that `ENV` names, with `$HOME` expanded as these shells do, or another one."""
    value = variable_of(variables, "ENV").replace("${HOME}", home).replace("$HOME", home)
    return Place(value) if value.startswith("/") else (Place(otherwise) if otherwise else None)
