"""`ush environment`."""

import os
from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.places import typed

from .beginnings import VerbGroup
from .performing import How, change_options, for_whom, perform
from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.interpreters.facts import InterpreterFacts

__all__ = ["environment"]


@click.group(cls=VerbGroup)
def environment() -> None:
    """Isolated package environments."""


@environment.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_environments_(bench: Workbench, *, as_json: bool) -> None:
    """List the environments of this account, and everyone's."""
    from unified_shell.core.environments.known import all_environments, unreadable_environments
    from unified_shell.views.environment_view import print_environments
    from unified_shell.views.json_view import json_text

    found = all_environments(bench.host, bench.locations)
    lost = unreadable_environments(bench.locations)
    if as_json:
        bench.screen.result(json_text("environments", found))
    elif not found and not lost:
        bench.screen.result("There is no environment yet.\nNext: ush environment new study")
    else:
        print_environments(bench.screen, found, bench.host.home, lost)


own_files = click.option("--own-files", "alone", is_flag=True, help="Share no file with other environments.")


@environment.command()
@click.argument("name")
@click.option("--interpreter", "wanted", default="", help="A path, an adopted name or a version; else the session's.")
@click.option(
    "--to-hold", "packages", multiple=True, metavar="REQUIREMENT", help="On the newest interpreter that can have it."
)
@click.option(
    "--language", default="python", help="An isolated library of another one: lua, perl, r, node and others."
)
@click.option("--with-installer", is_flag=True, help="Put the installer that its interpreter has into it as well.")
@own_files
@for_whom
@change_options
@pass_bench
def new(
    bench: Workbench,
    name: str,
    wanted: str,
    *,
    packages: tuple[str, ...],
    language: str,
    with_installer: bool,
    alone: bool,
    how: How,
) -> None:
    """Make the environment NAME, empty, on an interpreter of this machine."""
    from unified_shell.core.environments.changing import plan_new
    from unified_shell.core.environments.choosing import choose_for
    from unified_shell.core.environments.new_filled import plan_new_filled
    from unified_shell.core.environments.requests import parse_request
    from unified_shell.core.errors import WordsOff
    from unified_shell.core.interpreters.adopting import choose_interpreter

    if language.lower() != "python":
        _new_library(bench, name, language, wanted, how, plain=not (packages or with_installer or alone))
        return
    if wanted and packages:
        raise WordsOff("--interpreter and --to-hold both choose the interpreter", next_step="give one of them")
    why: tuple[str, ...] = ()
    if packages:
        requests = [parse_request(text) for text in packages]
        facts, why = choose_for(requests, bench.indexes, bench.host, bench.locations)
    else:
        facts = choose_interpreter(wanted, bench.host, bench.locations)

    locations = bench.rights_for(how.scope)

    def make() -> "Change":
        if with_installer:
            return plan_new_filled(name, facts, bench.indexes_for(how.scope), bench.host, locations, own_files=alone)
        return plan_new(name, facts, bench.host, locations, why=why, own_files=alone)

    perform(bench, make, how)


def _new_library(bench: Workbench, name: str, language: str, wanted: str, how: How, *, plain: bool) -> None:
    from unified_shell.core.environments.libraries import plan_new_library
    from unified_shell.core.errors import WordsOff

    if not plain:
        raise WordsOff(
            "--to-hold, --with-installer and --own-files are for Python's packages",
            next_step=f"ush environment new {typed(name)} --language {language}",
        )
    locations = bench.rights_for(how.scope)
    perform(bench, lambda: plan_new_library(name, language, wanted, bench.host, locations), how)


@environment.command()
@click.argument("name")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def show(bench: Workbench, name: str, *, as_json: bool) -> None:
    """Show what the environment NAME holds, where it is, how large, how it drifted, and a line to start each command."""
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.verification.environment_reports import report_environment
    from unified_shell.views.environment_view import environment_rows, print_environment
    from unified_shell.views.json_view import json_text

    report = report_environment(find_environment(name, bench.host, bench.locations), bench.host)
    if as_json:
        bench.screen.result(json_text("environment", environment_rows(report)))
    else:
        print_environment(bench.screen, report, bench.host.home)


@environment.command(context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
@click.argument("name")
@click.argument("command", nargs=-1, required=True, type=click.UNPROCESSED)
@pass_bench
def run(bench: Workbench, name: str, command: tuple[str, ...]) -> None:
    """Run COMMAND in the environment NAME: ush environment run NAME -- COMMAND ..."""
    from unified_shell.core.environments.running import entered_variables, environment_prefix
    from unified_shell.core.errors import WordsOff, nearest
    from unified_shell.core.machine.replacing import replace_process

    prefix = environment_prefix(name, bench.host, bench.locations)
    words = command[1:] if command[0] == "--" else command
    if not words:
        raise WordsOff("no command is given", next_step=f"ush environment run {typed(name)} -- python")
    error = replace_process(words, entered_variables(prefix, bench.host))
    near = nearest(words[0], os.listdir(os.path.join(prefix, "bin")))
    why = "is not there" if isinstance(error, FileNotFoundError) else (error.strerror or "").lower()
    raise WordsOff(
        f"{words[0]!r} {why}, in the environment {name} or on PATH",
        where=f"did you mean {near}?" if near else "",
        next_step=f"ush environment show {typed(name)}",
    )


@environment.command()
@click.argument("name")
@pass_bench
def enter(bench: Workbench, name: str) -> None:
    """Open a session of your shell that has entered the environment NAME; `exit` leaves it."""
    from unified_shell.core.environments.entering import entered_session
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.running import check_base_there
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.machine.processes import run_attached

    found = find_environment(name, bench.host, bench.locations)
    check_base_there(found)
    session = entered_session(found.prefix, bench.host)
    bench.screen.say(f"Entering {found.name} ({found.title}); exit leaves it again.")
    code = run_attached((session.program, *session.argv[1:]), environment=dict(session.variables))
    if code in (126, 127):
        raise CouldNot(f"{session.program} did not start, or its last command was not found")
    click.get_current_context().exit(code)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_bench
def drop(bench: Workbench, name: str, *, how: How) -> None:
    """Drop the environment NAME; `ush undo` brings it back. An adopted one is only forgotten."""
    from unified_shell.core.changes.composing import combined
    from unified_shell.core.environments.changing import plan_drop, plan_drop_unreadable
    from unified_shell.core.environments.known import find_environment, why_unreadable
    from unified_shell.core.environments.offers import plan_withdraw
    from unified_shell.core.environments.protecting import plan_forget

    locations = bench.rights_for(how.scope)

    def make() -> "Change":
        if why := why_unreadable(name, locations):
            return plan_drop_unreadable(name, why, bench.host, locations)
        found = find_environment(name, bench.host, locations)
        plan = plan_forget if found.foreign else plan_drop
        change = plan(found, bench.host, locations)
        # Where it is offered is a person's own, as what everyone has is not.
        return combined(change, plan_withdraw(found, bench.host)) if how.scope == "me" else change

    perform(bench, make, how)


@environment.command()
@click.argument("source")
@click.argument("name", metavar="NEW")
@click.option(
    "--interpreter",
    "wanted",
    default="",
    help="Another one; of another version, what was requested is solved anew for it. Else the source's own.",
)
@own_files
@for_whom
@change_options
@pass_bench
def copy(bench: Workbench, source: str, name: str, wanted: str, *, alone: bool, how: How) -> None:
    """Copy SOURCE into the new environment NEW: an environment, or a folder of one or of an application's interpreter."""
    from unified_shell.core.environments.copying import find_source, plan_copy
    from unified_shell.core.environments.refetching import refetching
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.verification.copy_checks import with_copy_checks

    host, locations = bench.host, bench.rights_for(how.scope)

    def make() -> "Change":
        facts = choose_interpreter(wanted, host, locations) if wanted else None
        if facts is not None and (change := _copied_anew(bench, source, name, facts, how)) is not None:
            return change
        found = find_source(source, host, bench.locations, into=locations, base=facts)
        facts = facts or found.base
        fetch = refetching(bench.indexes_for(how.scope), locations)
        change = plan_copy(
            found, name, facts, host, locations, fetch=fetch, own_files=alone, progress=bench.tell_progress
        )
        return with_copy_checks(change, name, found, facts=facts, host=host, locations=locations)

    perform(bench, make, how)


def _copied_anew(bench: Workbench, source: str, name: str, facts: "InterpreterFacts", how: How) -> "Change | None":
    """Return the copy of an environment of ours that is solved anew for another version; None where that is not it."""
    from unified_shell.core.environments.copying_anew import anew_on, plan_copy_anew
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.errors import UshError
    from unified_shell.core.verification.arrivals import Arrivals

    locations = bench.rights_for(how.scope)
    try:
        found = find_environment(source, bench.host, bench.locations)
    except UshError:
        return None
    if found.foreign or found.contents.language != "python" or found.short_version == facts.short_version:
        return None
    made = anew_on(found, name, facts, locations)
    client = bench.indexes_for(how.scope)
    change = plan_copy_anew(
        found, made, facts, client, host=bench.host, locations=locations, progress=bench.tell_progress
    )
    return Arrivals(made, bench.host, locations).checked(change)


@environment.command()
@click.argument("name")
@click.argument("new")
@for_whom
@change_options
@pass_bench
def rename(bench: Workbench, name: str, new: str, *, how: How) -> None:
    """Rename the environment NAME to NEW; where it was offered is told."""
    from unified_shell.core.changes.composing import combined
    from unified_shell.core.environments.copying_anew import plan_rename
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.offers import plan_withdraw

    locations = bench.rights_for(how.scope)

    def make() -> "Change":
        found = find_environment(name, bench.host, locations)
        change = plan_rename(found, new, bench.indexes_for(how.scope), bench.host, locations)
        return combined(change, plan_withdraw(found, bench.host)) if how.scope == "me" else change

    perform(bench, make, how)


@environment.command()
@click.argument("folder")
@click.option("--name", default="", help="What it is called here; else the folder's name.")
@for_whom
@change_options
@pass_bench
def adopt(bench: Workbench, folder: str, name: str, *, how: How) -> None:
    """Register the environment in FOLDER, which something else made, in place; it counts as protected."""
    from unified_shell.core.environments.protecting import plan_adopt

    called = name or os.path.basename(os.path.abspath(folder))
    locations = bench.rights_for(how.scope)
    perform(bench, lambda: plan_adopt(folder, called, bench.host, locations), how)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_bench
def protect(bench: Workbench, name: str, *, how: How) -> None:
    """Refuse changes of the environment NAME from now on."""
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.protecting import plan_protect

    locations = bench.rights_for(how.scope)

    def make() -> "Change":
        return plan_protect(find_environment(name, bench.host, locations), locations, protected=True)

    perform(bench, make, how)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_bench
def unprotect(bench: Workbench, name: str, *, how: How) -> None:
    """Let the environment NAME be changed; an adopted one is made anew by ush, and its folder a link to that."""
    from unified_shell.core.environments.copying import find_source
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.protecting import plan_protect
    from unified_shell.core.environments.refetching import refetching
    from unified_shell.core.environments.taking_charge import plan_take_charge
    from unified_shell.core.verification.copy_checks import with_copy_checks

    host, locations = bench.host, bench.rights_for(how.scope)

    def make() -> "Change":
        found = find_environment(name, host, locations)
        if not found.foreign:
            return plan_protect(found, locations, protected=False)
        source = find_source(name, host, locations)
        fetch = refetching(bench.indexes_for(how.scope), locations)
        change = plan_take_charge(found, source, host, locations, fetch=fetch, progress=bench.tell_progress)
        return with_copy_checks(change, name, source, facts=source.base, host=host, locations=locations)

    perform(bench, make, how)


@environment.command()
@click.argument("name")
@click.option("--notebook", is_flag=True, help="To notebooks, as a kernel.")
@click.option("--application", "command", default="", metavar="COMMAND", help="COMMAND of it, to the desktop's menu.")
@click.option("--take-back", is_flag=True, help="Offer it nowhere any more.")
@change_options
@pass_bench
def offer(bench: Workbench, name: str, command: str, *, notebook: bool, take_back: bool, how: How) -> None:
    """Offer the environment NAME to notebooks, or a command of it to the desktop; dropping it takes that back."""
    from unified_shell.core.environments.known import find_environment
    from unified_shell.core.environments.offers import plan_offer_application, plan_offer_notebook, plan_withdraw
    from unified_shell.core.errors import WordsOff

    if [notebook, bool(command), take_back].count(True) != 1:
        raise WordsOff(
            "as what is it to be offered?",
            next_step=f"ush environment offer {typed(name)} --notebook   or --application COMMAND",
        )

    def make() -> "Change":
        found = find_environment(name, bench.host, bench.locations)
        if take_back:
            return plan_withdraw(found, bench.host)
        return (
            plan_offer_notebook(found, bench.host) if notebook else plan_offer_application(found, command, bench.host)
        )

    perform(bench, make, how)
