"""The files by which Tab completes the words of ush: one for each shell that can, read by its session file where it is wanted."""

from msgspec import Struct

from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import Dialect, template

__all__ = ["COMPLETING", "FUNCTION", "completion_file", "completion_lines", "completion_texts"]

# The function that answers, in shells that have functions.
FUNCTION = "_ush_complete"


class _Completing(Struct, frozen=True, kw_only=True):
    """The file of a shell, and the lines of its session file that read it in interactive sessions."""

    name: str
    lines: str


IN_BASH = "case ${BASH_VERSION:+$-} in\n*i*) [ ! -r @FILE@ ] || . @FILE@ ;;\nesac\n"
FILES = {
    "bash": _Completing(name="completion.bash", lines=IN_BASH),
    # Where bash reads ~/.profile, it reads this one's session file.
    "sh": _Completing(name="completion.bash", lines=IN_BASH),
    "zsh": _Completing(name="completion.zsh", lines="if [[ -o interactive && -r @FILE@ ]]; then\n  . @FILE@\nfi\n"),
    "fish": _Completing(
        name="completion.fish", lines="if status is-interactive; and test -r @FILE@\n    source @FILE@\nend\n"
    ),
    "tcsh": _Completing(
        name="completion.csh", lines="if ( $?prompt ) then\n  if ( -r @FILE@ ) source @FILE@\nendif\n"
    ),
}
COMPLETING = tuple(name for name in FILES if name != "sh")


def completion_file(dialect: str, locations: Locations) -> Place:
    """Return where a shell's file is."""
    return join(locations.data, "wiring", FILES[dialect].name)


def completion_lines(dialect: Dialect, locations: Locations, home: str) -> str:
    """Return what a session file says so that interactive sessions complete; nothing for shells that cannot."""
    if dialect.name not in FILES:
        return ""
    file = dialect.quote_place(completion_file(dialect.name, locations), home)
    return FILES[dialect.name].lines.replace("@FILE@", file)


def completion_texts(locations: Locations) -> dict[Place, str]:
    """Return the files with their texts."""
    dump = "'" + join(locations.cache, "zsh-completions").replace("'", "'\\''") + "'"
    return {
        completion_file(name, locations): template(FILES[name].name, **({"DUMP": dump} if name == "zsh" else {}))
        for name in COMPLETING
    }
