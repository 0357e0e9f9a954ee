"""What a search path means where it is not set, or an entry of it is empty: so that adding to it takes nothing away.

Sources: manpath(1) and info(1) for an empty entry; the XDG Base Directory Specification for the defaults; POSIX for CDPATH;
kpathsea for the paths of TeX; terminfo(5); the Java and Emacs manuals.
"""

from msgspec import Struct

__all__ = ["SearchPathRule", "rule_of"]


class SearchPathRule(Struct, frozen=True, kw_only=True):
    """`default` is what stands beside new entries where the variable was not set; `None`: nothing does, and no empty
    entry is to come about. `first` are entries that stay in front of all that are added.
    """

    default: str | None = None
    first: tuple[str, ...] = ()


# An empty entry stands for the program's own default.
EMPTY_IS_DEFAULT = SearchPathRule(default="")
RULES = {
    "MANPATH": EMPTY_IS_DEFAULT,
    "INFOPATH": EMPTY_IS_DEFAULT,
    "TERMINFO_DIRS": EMPTY_IS_DEFAULT,
    "EMACSLOADPATH": EMPTY_IS_DEFAULT,
    "TEXINPUTS": EMPTY_IS_DEFAULT,
    "BIBINPUTS": EMPTY_IS_DEFAULT,
    "BSTINPUTS": EMPTY_IS_DEFAULT,
    "XDG_DATA_DIRS": SearchPathRule(default="/usr/local/share:/usr/share"),
    "XDG_CONFIG_DIRS": SearchPathRule(default="/etc/xdg"),
    "CLASSPATH": SearchPathRule(default="."),
    # What is not found here is looked for in the current directory first, as without the variable.
    "CDPATH": SearchPathRule(default=".", first=(".",)),
}


def rule_of(variable: str) -> SearchPathRule:
    """Return the rule of a search path; most have no default of their own."""
    return RULES.get(variable, SearchPathRule())
