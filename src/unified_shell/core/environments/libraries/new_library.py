"""Environments of other languages than Python: an isolated library, by the mechanism that the language's table names.

What is put into the library is not ours to get: the language's own means do that, while the environment is entered.
"""

import os
import uuid

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import Step
from unified_shell.core.environments.model.contents import FILE_NAME, Contents, contents_text
from unified_shell.core.environments.model.layout import WIRED_MARK, link_place
from unified_shell.core.environments.model.registry import Environment, check_name
from unified_shell.core.environments.trees.editions import edition_steps
from unified_shell.core.errors import UnknownName, UsageError
from unified_shell.core.interpreters.languages import Language, find_language, languages
from unified_shell.core.interpreters.managed import trees_it_is_in
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.tree_links import link_or_copy
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.shells.wiring.enter_scripts import enter_scripts
from unified_shell.core.shells.wiring.wiring import Wiring

from .library_checks import check_library, interpreter_name
from .library_interpreter import library_interpreter
from .library_variables import library_variables, unfit_in

__all__ = ["plan_new_library"]


def plan_new_library(
    name: str,
    language: str,
    wanted: str,
    host: Host,
    locations: Locations,
    *,
    wiring: Wiring | None = None,
    promised: tuple[Place, str] | None = None,
) -> Change:
    """Plan to make an environment of a language, on `wanted` (a path, a name here or a version) or the first found; `wiring`
    is more that holds while it is entered. `promised` is an interpreter that will be here, as its file and version.

    Raises UnknownName and UsageError for a language that has no isolated libraries here, CouldNot without interpreter.
    """
    check_name(name, locations)
    prefix = link_place(locations.data, name)
    table = _language_for(language, name, prefix)
    own = wiring or Wiring()
    executable, version = promised or library_interpreter(table, wanted, host, locations)
    contents = Contents(
        name=name,
        identity=str(uuid.uuid4()),
        interpreter=Place(os.path.abspath(executable)),
        python=version,
        made_seconds=now_seconds(),
        language=table.name,
        wiring=replace(own, variables=(*library_variables(table, prefix), *own.variables)),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        tree = join(staging, "tree")
        _make_tree(tree, prefix, contents, table, host)
        return edition_steps(tree, name, locations)

    library = join(prefix, table.library)
    plan = Plan(
        aim=f"Create the environment {name} on {table.title} {version}",
        lines=(
            plan_line(LineKind.ADD, About.ENVIRONMENT, name=name, prefix=prefix),
            plan_line(LineKind.NOTE, About.INTERPRETER, interpreter=contents.interpreter),
            plan_line(LineKind.NOTE, About.LIBRARY, library=library),
            *(
                plan_line(LineKind.NOTE, About.VARIABLE_WHILE_ENTERED, name=one.name, value=one.value)
                for one in contents.wiring.variables
            ),
        ),
        relies_on=trees_it_is_in(os.path.realpath(contents.interpreter), locations),
        afterwards=(
            Labelled(label="Enter it", step=ush("environment", "enter", name)),
            Labelled(label="Modules go into", step=shown(library, host.home)),
        ),
    )
    return change_of(
        plan,
        prepare=prepare,
        verify=lambda: check_library(_environment(name, prefix, contents), host, puts_back=True),
    )


def _language_for(language: str, name: str, prefix: Place) -> Language:
    """Return the language; raises UnknownName and UsageError for one that can have no library there."""
    table = find_language(language)
    able = [one.name for one in languages() if one.library]
    if table is None:
        raise UnknownName("language", language, [*able, "python"], next_step=ush("interpreter", "list"))
    if not table.library:
        raise UsageError(
            f"{table.title} is not created this way"
            if table.name == "python"
            else f"{table.title} has no isolated library here",
            next_step=ush("environment", "new", name) if table.name == "python" else f"there are: {', '.join(able)}",
        )
    if unfit := unfit_in(table, prefix):
        raise UsageError(
            f"a library for {table.title} cannot be in {prefix}: {unfit!r} has a special meaning to {table.title}",
            next_step=ush(
                "environment",
                "new",
                "NAME",
                "--language",
                table.name,
                why="a name without it; USH_HOME, if the home has it",
            ),
        )
    return table


def _environment(name: str, prefix: Place, contents: Contents) -> Environment:
    return Environment(name=name, prefix=prefix, edition=1, contents=contents)


def _make_tree(tree: str, prefix: Place, contents: Contents, table: Language, host: Host) -> None:
    os.makedirs(join(tree, "bin"))
    os.makedirs(join(tree, table.library))
    link_or_copy(contents.interpreter, join(tree, "bin", interpreter_name(contents)))
    beside = os.path.dirname(contents.interpreter)
    for name in (table.name, table.title):
        # Some have two programs, of which the table asks the quicker one.
        if os.path.exists(join(beside, name)) and not os.path.lexists(join(tree, "bin", name)):
            link_or_copy(join(beside, name), join(tree, "bin", name))
    texts = {
        FILE_NAME: contents_text(contents),
        WIRED_MARK: "",
        **enter_scripts(contents.name, prefix, host.home, contents.wiring),
    }
    for name, text in texts.items():
        os.makedirs(os.path.dirname(join(tree, name)), exist_ok=True)
        with open(join(tree, name), "x", encoding="utf-8", errors="surrogateescape") as file:
            file.write(text)
