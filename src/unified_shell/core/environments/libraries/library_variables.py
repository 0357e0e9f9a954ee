"""The variables by which another language's interpreter finds an environment's library, quoted as the language reads them."""

import re

from unified_shell.core.interpreters.languages import Language
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import SetVariable

__all__ = ["library_variables", "unfit_in"]

# Whatever could be read as more than itself; a word of these alone is one word.
PLAIN_IN_WORDS = re.compile(r"[^\w/.=-]")
PLAIN_IN_LISTS = re.compile(r"[^\w/.-]")


def library_variables(table: Language, prefix: Place) -> tuple[SetVariable, ...]:
    """Return the variables of a language's environment at `prefix`, as its table has them."""
    found = []
    for name, value, *quoting in table.library_variables:
        places = {"{library}": join(prefix, table.library), "{prefix}": prefix}
        for mark, place in places.items():
            value = value.replace(mark, _quoted(place, quoting[0] if quoting else ""))
        found.append(SetVariable(name=name, value=value))
    return tuple(found)


def unfit_in(table: Language, prefix: Place) -> str:
    """Return what a library's place holds that the language takes for something else; empty where there is nothing."""
    return next((one for one in prefix if one in table.library_unfit or one == "\n"), "")


def _quoted(place: str, quoting: str) -> str:
    """Return a place as one element of a value that is read as words of a shell, or as a list of Tcl."""
    if quoting == "shell-words":
        return PLAIN_IN_WORDS.sub(r"\\\g<0>", place)
    if quoting == "tcl-list":
        return PLAIN_IN_LISTS.sub(r"\\\g<0>", place)
    return place
