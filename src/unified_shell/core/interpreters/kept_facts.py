"""What a Python says of itself, asked now or as it was kept while nothing changed that it depends on."""

import os

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import FileKind, read_executable

from .answers import Answers
from .facts import InterpreterFacts
from .probing import ask_python, parse_facts, probe
from .script_settings import script_depends_on, script_key

__all__ = ["facts_or_trouble", "kept_facts"]


def kept_facts(executable: str, host: Host) -> InterpreterFacts:
    """Return the facts of an interpreter, as they were kept if they still hold; raises InterpreterUnusable."""
    answers, path = Answers(locations_of(host).cache), Place(executable)
    script = read_executable(path).kind is FileKind.SCRIPT
    facts, _ = facts_or_trouble(path, host, answers, script=script)
    answers.save()
    # What did not start may start again for a reason that is not looked at; asking tells the cause anew.
    return probe(executable, host) if facts is None else facts


def facts_or_trouble(
    path: Place, host: Host, answers: Answers, *, script: bool
) -> tuple[InterpreterFacts | None, str]:
    """Return what an interpreter says, or its trouble; from the answers kept where nothing changed since."""
    key = script_key(path, host) if script else str(path)
    kept = answers.recall(key)
    if isinstance(kept, list):
        return (None, kept[1]) if kept[1] else (parse_facts(kept[0], path), "")
    depends_on = [path, *(script_depends_on(path, host) if script else ())]
    try:
        said = ask_python(path, host)
        facts, trouble = parse_facts(said, path), ""
    except InterpreterUnusable as error:
        said, facts, trouble = b"", None, error.message.partition(": ")[2]
        depends_on.append(join(os.path.dirname(os.path.dirname(os.path.realpath(path))), "lib"))
    if facts is not None:
        depends_on += [facts.real_executable, *facts.library_folders, *facts.site_folders]
        depends_on += [join(facts.environment_prefix, "pyvenv.cfg")] if facts.environment_prefix else []
        # A folder for packages that is not there yet counts too: it may come.
        depends_on.append(join(host.home, f".local/lib/python{facts.short_version}/site-packages"))
    answers.keep(key, [said.decode("ascii", "replace"), trouble], depends_on)
    return facts, trouble
