"""fish: enter scripts and entering; its startup files come with a later version."""

from .dialect import Opening, below_home, template, without_control

__all__ = ["Fish"]


class Fish:
    """The part of fish's dialect that environments need."""

    name = "fish"
    programs: tuple[str, ...] = ("fish",)

    def quote(self, text: str) -> str:
        """Return text in single quotes, in which fish reads only `\\\\` and `\\'`."""
        return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"

    def quote_place(self, place: str, home: str) -> str:
        """Return `"$HOME"'/below'`, or the whole place quoted."""
        below = below_home(place, home)
        return self.quote(place) if below is None else '"$HOME"' + self.quote("/" + below)

    def source_line(self, file: str) -> str:
        """Return the command that reads a file."""
        return f"source {self.quote(file)}"

    def enter_text(self, *, name: str, prefix: str, home: str) -> str:
        """Return the script that enters an environment when it is sourced."""
        return template(
            "enter.fish",
            TITLE=without_control(name),
            SELF=without_control(self.quote_place(f"{prefix}/enter.fish", home)),
            PREFIX=self.quote_place(prefix, home),
            PROMPT=self.quote(f"[{without_control(name)}] "),
        )

    def enter_session(self, prefix: str) -> Opening:
        """Return an interactive session that enters an environment after its startup files."""
        return Opening(argv=("fish", "-C", self.source_line(f"{prefix}/enter.fish")))
