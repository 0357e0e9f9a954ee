"""`ush environment new`."""

from typing import TYPE_CHECKING

import click

from unified_shell.cli.change_flow import ChangeOptions, change_options, for_whom, perform
from unified_shell.cli.context import Context, pass_context
from unified_shell.cli.parsing.abbreviations import CheckedCommand
from unified_shell.core.next_steps import ush

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["new", "own_files"]

own_files = click.option("--own-files", "alone", is_flag=True, help="Share no file with other environments.")


@click.command(cls=CheckedCommand)
@click.argument("name")
@click.option(
    "--interpreter", "wanted", default="", help="A path, name, version or suite:NAME [default: the session's]."
)
@click.option(
    "--supported-by",
    "packages",
    multiple=True,
    metavar="REQUIREMENT",
    help="Use the newest interpreter that REQUIREMENT supports.",
)
@click.option(
    "--language", default="python", help="Another language: an isolated library for lua, perl, r, node and others."
)
@click.option("--with-installer", is_flag=True, help="Also include the installer that its interpreter has.")
@own_files
@for_whom
@change_options
@pass_context
def new(
    context: Context,
    name: str,
    wanted: str,
    *,
    packages: tuple[str, ...],
    language: str,
    with_installer: bool,
    alone: bool,
    how: ChangeOptions,
) -> None:
    """Create the empty environment NAME on an interpreter of this machine."""
    from unified_shell.core.environments.interpreter_choice import choose_for
    from unified_shell.core.environments.lifecycle import plan_new
    from unified_shell.core.environments.new_with_installer import plan_new_filled
    from unified_shell.core.environments.packages.requests import parse_request
    from unified_shell.core.errors import UsageError
    from unified_shell.core.interpreters.adopting import choose_interpreter

    if language.lower() != "python":
        _new_library(context, name, language, wanted, how, plain=not (packages or with_installer or alone))
        return
    if wanted and packages:
        raise UsageError("--interpreter and --supported-by both choose the interpreter", next_step="give one of them")
    why: tuple[str, ...] = ()
    wiring = None
    if packages:
        requests = [parse_request(text) for text in packages]
        facts, why = choose_for(requests, context.indexes, context.host, context.locations)
    else:
        place, wiring = _of_suite(context, wanted)
        facts = choose_interpreter(place or wanted, context.host, context.locations)

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        if with_installer:
            return plan_new_filled(
                name, facts, context.indexes_for(how.scope), context.host, locations, own_files=alone
            )
        return plan_new(name, facts, context.host, locations, why=why, own_files=alone, wiring=wiring)

    perform(context, make, how)


def _of_suite(context: Context, wanted: str) -> "tuple[str, Wiring | None]":
    """Return the interpreter that a suite named as `suite:NAME` brings, and the wiring by which its modules are seen."""
    from unified_shell.core.suites.managed_suites import find_suite
    from unified_shell.core.suites.suite_wiring import modules_wiring

    if not wanted.startswith("suite:"):
        return "", None
    found = find_suite(wanted.removeprefix("suite:"), context.host, context.locations)
    return found.interpreter, modules_wiring(found)


def _new_library(context: Context, name: str, language: str, wanted: str, how: ChangeOptions, *, plain: bool) -> None:
    from unified_shell.core.environments.libraries.new_library import plan_new_library
    from unified_shell.core.errors import UsageError

    if not plain:
        raise UsageError(
            "--supported-by, --with-installer and --own-files are for Python's packages",
            next_step=ush("environment", "new", name, "--language", language),
        )
    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_new_library(name, language, wanted, context.host, locations), how)
