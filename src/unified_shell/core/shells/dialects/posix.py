"""What the shells of the POSIX family have in common: quoting, statements, the texts that are written."""

from collections.abc import Sequence

from .dialect import SearchPath, Side, below_home, template, without_control

__all__ = ["PosixText"]


class PosixText:
    """Texts for bash, dash, busybox sh, ksh and the like."""

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

    def session_text(self, paths: Sequence[SearchPath], home: str, stamp: str, wiring: str) -> str:
        """Return one test and one joined assignment for each variable and side."""
        body = "".join(self._search_path(path, home) for path in paths)
        return template(
            "session.sh", TAKE_OUT=_take_out(), WIRING=without_control(wiring), STAMP=stamp, BODY=body.rstrip("\n")
        )

    def source_line(self, file: str) -> str:
        """Return the dot command."""
        return f". {self.quote(file)}"

    def syntax_check(self, file: str) -> tuple[str, ...]:
        """Return `-n FILE`: read, do not run."""
        return ("-n", file)

    def enter_text(self, *, name: str, prefix: str, home: str) -> str:
        """Return the script that enters an environment when it is sourced."""
        return template(
            "enter.sh",
            TAKE_OUT=_take_out(),
            TITLE=without_control(name),
            SELF=without_control(self.quote_place(f"{prefix}/enter.sh", home)),
            PREFIX=self.quote_place(prefix, home),
            PROMPT=self.quote(f"[{without_control(name)}] "),
        )

    def _search_path(self, path: SearchPath, home: str) -> str:
        words = [self.quote_place(directory, home) for directory in path.directories]
        take_out = "\n".join(f'    _ush_take_out "$_ush_list" {word}' for word in words)
        name = "front.sh" if path.side is Side.FRONT else "back.sh"
        return template(name, JOINED=":".join(words), VARIABLE=path.variable, TAKE_OUT=take_out)


def _take_out() -> str:
    return template("take-out.sh").rstrip("\n")
