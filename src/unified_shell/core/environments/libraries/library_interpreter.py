"""Which interpreter carries an environment of another language than Python."""

from unified_shell.core.errors import CouldNot
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.languages import Language
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.interpreters.other_languages import said_version
from unified_shell.core.interpreters.requesting import Asked, ready_ones
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

__all__ = ["library_interpreter"]


def library_interpreter(table: Language, wanted: str, host: Host, locations: Locations) -> tuple[Place, str]:
    """Return the interpreter and its version: at the path or of the name that is wanted, or the first of that version that
    starts, those on PATH before those that are elsewhere on this machine.

    Raises CouldNot where there is none, UsageError for what is not a version.
    """
    known = [(one.name, one.language, one.executable) for one in all_managed(host, locations)]
    known += [(one.name, one.language, one.executable) for one in read_adopted(locations)]
    named = [place for name, language, place in known if name == wanted and language == table.name]
    if "/" in wanted or named:
        path = named[0] if named else join(host.working_directory, wanted)
        version, trouble = said_version(table, path, host)
        if trouble:
            raise CouldNot(f"{path} does not start as {table.title}: {trouble}", next_step=ush("interpreter", "list"))
        return path, version
    found = discover(host)
    asked = Asked(language=table.name, specifier=wanted)
    # As far as `interpreter get` looks before it gets one: it would say that there is one.
    ready = ready_ones(asked, found) or ready_ones(asked, discover(host, thorough=True))
    if ready:
        return ready[0].path, ready[0].title.rpartition(" ")[2]
    tried = [
        f"{one.names[0]} ({one.version or 'does not start'})" for one in found.others if one.language == table.name
    ]
    raise CouldNot(
        f"there is no {table.title}{f' {wanted}' if wanted else ''} on this machine"
        + (f"; there is {', '.join(tried)}" if tried else ""),
        next_step=ush("interpreter", "get", table.name, *((wanted,) if wanted else ())),
    )
