"""What the shells of the POSIX family have in common: quoting, statements, the texts that are written."""

import re
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.machine.places import Place

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
    below_home,
    changed_variables,
    common_folder,
    kept_name,
    path_directories,
    plain_front,
    session_body,
    split_condition,
    template,
    variable_of,
    without_control,
)
from .search_path_rules import rule_of

__all__ = ["PosixText", "env_file", "env_value"]


class PosixText:
    """Texts for bash, dash, busybox sh, ksh, mksh and zsh."""

    programs: tuple[str, ...] = ()
    enter_name = "enter.sh"
    verified = True
    reads: tuple[str, ...] = ("sh",)
    script_endings: tuple[str, ...] = ()
    bare_words: tuple[str, ...] = ()
    forget_line = "hash -r"
    command_reads = "no startup file"
    is_wired_for_commands = False
    # The dialects whose scripts its session file has for others that read the same startup file.
    carries: tuple[str, ...] = ()

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
        """Return one test and one joined assignment for each variable and side.

        Where PATH has entries in front alone, as most wirings have it, a fresh session is told by one short pattern and
        pays for no more than the assignment; what is to be done where some of the entries are there is read from
        another file.
        """
        fresh = plain_front(content)
        if fresh is None:
            return self.again_text(content)
        places = _common_places(fresh.directories, content.home)
        others = replace(content, search_paths=tuple(one for one in content.search_paths if one is not fresh))
        again = f'"{_in_double_quotes(content.again_file, content.home)}"'
        return template(
            "session-fresh.sh",
            WIRING=without_control(content.source),
            COMMON=f'"{_in_double_quotes(places[0], content.home)}"',
            PATTERNS="|".join(f'*"{_in_double_quotes(one, content.home)}"*' for one in places),
            JOINED=":".join(_in_double_quotes(one, content.home) for one in fresh.directories),
            AGAIN=again,
            STAMP=content.stamp,
            STAMP_NAME=content.stamp_name,
            # The shorter, the quicker: a new session pays for each letter of it.
            BODY=f"{body}\n" if (body := self._body(others)) else "",
        )

    def _body(self, content: SessionContent) -> str:
        return session_body(
            content,
            search_path=lambda path, home: self._search_path(path, home, (content.stamp_name, content.stamp)),
            variable=self._variable,
            under=self._under,
            script=self._script,
            reads=(*self.reads, *self.carries),
        )

    def again_text(self, content: SessionContent) -> str:
        """Return what brings about all of the wiring, whatever of it is there already."""
        body = self._body(content)
        return template(
            "session.sh",
            TAKE_OUT=template("take-one-out.sh").rstrip("\n"),
            WIRING=without_control(content.source),
            STAMP=content.stamp,
            STAMP_NAME=content.stamp_name,
            BODY=body,
        )

    def export_line(self, name: str, value: str) -> str:
        """Return `export NAME=VALUE`."""
        return f"export {name}={value}"

    def source_line(self, file: str) -> str:
        """Return the dot command."""
        return f". {self.quote(file)}"

    def state_line(self, file: str) -> str:
        """Return the list of aliases; these shells have no list of functions."""
        return f"{{ alias | /bin/sed 's/^/alias /'; }} >| {self.quote(file)} 2>/dev/null"

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
                joined = ":".join(self.quote_place(one, content.home) for one in _with_first(path))
                front, name, rest = path.side is Side.FRONT, path.variable, _rest(path)
                value = f"{joined}{rest}" if front else f"{rest}{joined}"
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
                return f'{_told("/proc/sys/kernel/hostname", "-n")} && [ "$_ush_told" = {word} ]'
            case ConditionKind.ARCHITECTURE:
                # macOS has a name of its own for one of them.
                also = ' || [ "$_ush_told" = arm64 ]' if word.strip("'") == "aarch64" else ""
                test = f'[ "$_ush_told" = {word} ]{also}'
                return f"{_told('/proc/sys/kernel/arch', '-m')} && {{ {test}; }}"

    def _search_path(self, path: SearchPath, home: str, stamp: tuple[str, str] = ("", "")) -> str:
        """Return one test and one joined assignment.

        With a `stamp` (its variable and value), entries that a session had before it first read the wiring move too.
        """
        name, value = stamp
        directories = _with_first(path)
        words = [self.quote_place(directory, home) for directory in directories]
        return template(
            "front.sh" if path.side is Side.FRONT else "back.sh",
            REST=_rest(path),
            SEEN=f"${{{name}-}}" if name else "",
            SEEN_AS=value,
            JOINED=":".join(words),
            VARIABLE=path.variable,
            # Only where something below the entries' common folder is there, single ones may have to be taken out:
            # a pattern costs bash 10 to 20 µs, so a fresh session is spared one for each entry.
            COMMON=self.quote_place(common_folder(directories), home),
            WORDS=" ".join(words),
            TAKE_OUT=template("take-one-out.sh").rstrip("\n"),
        )

    def _variable(self, one: SetVariable, home: str) -> str:
        return f"{one.name}={self.quote_place(one.value, home)}\nexport {one.name}\n"


def _in_double_quotes(place: str, home: str) -> str:
    """Return a place as it stands between double quotes, relative to the home's variable where it lies below it."""
    below = below_home(place, home)
    text = place if below is None else f"/{below}"
    escaped = re.sub(r'([\\"$`])', r"\\\1", text)
    return escaped if below is None else f"$HOME{escaped}"


def _with_first(path: SearchPath) -> tuple[str, ...]:
    """Return the directories, after those that stay in front of all that is added."""
    first = rule_of(path.variable).first if path.side is Side.FRONT else ()
    return (*first, *path.directories)


def _rest(path: SearchPath) -> str:
    """Return the word for what was there before, with what joins it to the new entries."""
    name, default = path.variable, rule_of(path.variable).default
    front = path.side is Side.FRONT
    if default is None:
        return f'"${{{name}:+:${name}}}"' if front else f'"${{{name}:+${name}:}}"'
    return f':"${{{name}:-{default}}}"' if front else f'"${{{name}:-{default}}}":'


def _common_places(directories: Sequence[str], home: str) -> tuple[str, ...]:
    """Return texts of which one at least stands in every PATH that holds one of the directories: few, and long."""
    groups: tuple[list[str], list[str]] = ([], [])
    for one in directories:
        groups[below_home(one, home) is None].append(one)
    found: list[str] = []
    for group in groups:
        common = common_folder(group) if group else ""
        # One that every PATH has tells nothing.
        found += list(group) if common in SHARED_FOLDERS else [common]
    return tuple(one for one in found if one)


def env_value(file: str) -> str:
    """Return the value of `ENV` that means this file: these shells expand it, substituting commands too."""
    return re.sub(r"([\\$`])", r"\\\1", file)


def env_file(variables: Sequence[tuple[str, str]], home: str, otherwise: str = "") -> Place | None:
    """Return the file that `ENV` names, with `$HOME` expanded as these shells do, or another one."""
    value = variable_of(variables, "ENV").replace("${HOME}", home).replace("$HOME", home)
    return Place(value) if value.startswith("/") else (Place(otherwise) if otherwise else None)


def _told(file: str, option: str) -> str:
    """Return what sets `_ush_told`: from a file of the system's, by a builtin, or by a program where there is none."""
    return f"{{ read -r _ush_told < {file} || _ush_told=$(/usr/bin/uname {option}); }} 2>/dev/null"
