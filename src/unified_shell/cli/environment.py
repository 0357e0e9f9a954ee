"""`ush environment`."""

import os
from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup, typed_arguments
from .verbs.environment_new import new, own_files

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.interpreters.facts import InterpreterFacts

__all__ = ["environment"]


@click.group(cls=VerbGroup)
def environment() -> None:
    """Isolated package environments."""


environment.add_command(new)


@environment.command("list", cls=ListCommand)
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_environments_(context: Context, *, as_json: bool) -> None:
    """List your environments and everyone's."""
    from unified_shell.core.environments.model.registry import all_environments, unreadable_environments
    from unified_shell.views.environment_view import print_environments
    from unified_shell.views.json_view import json_text

    found = all_environments(context.host, context.locations)
    lost = unreadable_environments(context.locations)
    if as_json:
        context.screen.result(json_text("environments", found))
    elif not found and not lost:
        context.screen.result("There is no environment yet.")
        context.screen.next(ush("environment", "new", "study"))
    else:
        print_environments(context.screen, found, context.host.home, lost)


@environment.command(cls=ListCommand)
@click.argument("name", default="")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def show(context: Context, name: str, *, as_json: bool) -> None:
    """Show the contents, place, size and drift of the environment NAME, and how to start each command.

    Without NAME: the entered one, or the only one there is.
    """
    from unified_shell.core.verification.packages.environment_reports import report_environment
    from unified_shell.views.environment_view import environment_rows, print_environment
    from unified_shell.views.json_view import json_text

    report = report_environment(context.environment_meant(name), context.host)
    if as_json:
        context.screen.result(json_text("environment", environment_rows(report)))
    else:
        print_environment(context.screen, report, context.host.home)


@environment.command(context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
@click.argument("name")
@click.argument("command", nargs=-1, type=click.UNPROCESSED)
@pass_context
def run(context: Context, name: str, command: tuple[str, ...]) -> None:
    """Run COMMAND in the environment NAME: ush environment run NAME -- COMMAND ...

    Without NAME: ush environment run -- COMMAND ..., in the entered one, or the only one there is.
    """
    from unified_shell.core.environments.running import entered_variables, environment_prefix
    from unified_shell.core.errors import UsageError, nearest
    from unified_shell.core.machine.processes.exec import replace_process

    words = command[1:] if command[:1] == ("--",) else command
    if typed_arguments(click.get_current_context())[:1] == ("--",):
        from unified_shell.core.environments.model.meant import meant_environment

        found = meant_environment("", context.host, context.locations).environment
        name, words, prefix = found.name, (name, *command), found.prefix
    else:
        prefix = environment_prefix(name, context.host, context.locations)
    if not words:
        raise UsageError("no command is given", next_step=ush("environment", "run", name, "--", "python"))
    error = replace_process(words, entered_variables(prefix, context.host))
    near = nearest(words[0], os.listdir(os.path.join(prefix, "bin")))
    why = "is not there" if isinstance(error, FileNotFoundError) else (error.strerror or "").lower()
    raise UsageError(
        f"{words[0]!r} {why}, in the environment {name} or on PATH",
        where=f"did you mean {near}?" if near else "",
        next_step=ush("environment", "show", name),
    )


@environment.command()
@click.argument("name", default="")
@pass_context
def enter(context: Context, name: str) -> None:
    """Open a session of your shell inside the environment NAME; `exit` leaves it.

    Without NAME: the only one there is.
    """
    from unified_shell.core.environments.entering import entered_session
    from unified_shell.core.environments.running import check_base_there
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.machine.processes.processes import run_attached

    found = context.environment_meant(name)
    check_base_there(found)
    session = entered_session(found.prefix, context.host)
    context.screen.say(f"Entering {found.name} ({found.title}); exit leaves it again.")
    code = run_attached((session.program, *session.argv[1:]), environment=dict(session.variables))
    if code in (126, 127):
        raise CouldNot(f"{session.program} did not start, or its last command was not found")
    click.get_current_context().exit(code)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Drop the environment NAME; `ush undo` brings it back. An adopted one is only forgotten."""
    from unified_shell.core.changes.merging import merged
    from unified_shell.core.environments.lifecycle import plan_drop, plan_drop_unreadable
    from unified_shell.core.environments.model.registry import find_environment, why_unreadable
    from unified_shell.core.environments.offers import plan_withdraw
    from unified_shell.core.environments.protecting import plan_forget

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        if why := why_unreadable(name, locations):
            return plan_drop_unreadable(name, why, locations)
        found = find_environment(name, context.host, locations)
        plan = plan_forget if found.foreign else plan_drop
        change = plan(found, locations)
        # Where it is offered is a person's own, as what everyone has is not.
        return merged(change, plan_withdraw(found, context.host)) if how.scope == "me" else change

    perform(context, make, how)


@environment.command()
@click.argument("source")
@click.argument("name", metavar="NEW")
@click.option(
    "--interpreter",
    "wanted",
    default="",
    help="Use another interpreter [default: the source's own]; for another version, the requested packages are solved anew.",
)
@own_files
@for_whom
@change_options
@pass_context
def copy(context: Context, source: str, name: str, wanted: str, *, alone: bool, how: ChangeOptions) -> None:
    """Copy SOURCE to the new environment NEW. SOURCE is an environment, its folder, or an application's interpreter."""
    from unified_shell.core.environments.copying import find_source, plan_copy
    from unified_shell.core.environments.packages.refetching import refetching
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.verification.packages.copy_checks import with_copy_checks

    host, locations = context.host, context.locations_for(how.scope)

    def make() -> "Change":
        facts = choose_interpreter(wanted, host, locations) if wanted else None
        if facts is not None and (change := _copied_anew(context, source, name, facts, how)) is not None:
            return change
        found = find_source(source, host, context.locations, into=locations, base=facts)
        facts = facts or found.base
        fetch = refetching(context.indexes_for(how.scope), locations)
        change = plan_copy(
            found, name, facts, host, locations, fetch=fetch, own_files=alone, progress=context.tell_progress
        )
        return with_copy_checks(change, name, found, facts=facts, host=host, locations=locations)

    perform(context, make, how)


def _copied_anew(
    context: Context, source: str, name: str, facts: "InterpreterFacts", how: ChangeOptions
) -> "Change | None":
    """Return the copy of an environment of ours that is solved anew for another version; None where that is not it."""
    from unified_shell.core.environments.copying_across_versions import anew_on, plan_copy_anew
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.errors import UshError
    from unified_shell.core.verification.packages.package_checks import PackageChecks

    locations = context.locations_for(how.scope)
    try:
        found = find_environment(source, context.host, context.locations)
    except UshError:
        return None
    if found.foreign or not found.contents.is_python or found.short_version == facts.short_version:
        return None
    made = anew_on(found, name, facts, locations)
    client = context.indexes_for(how.scope)
    change = plan_copy_anew(
        found, made, facts, client, host=context.host, locations=locations, progress=context.tell_progress
    )
    return PackageChecks(made, context.host, locations).checked(change)


@environment.command()
@click.argument("name")
@click.argument("new")
@for_whom
@change_options
@pass_context
def rename(context: Context, name: str, new: str, *, how: ChangeOptions) -> None:
    """Rename the environment NAME to NEW, and list where it was offered."""
    from unified_shell.core.changes.merging import merged
    from unified_shell.core.environments.copying_across_versions import plan_rename
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.environments.offers import plan_withdraw

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        found = find_environment(name, context.host, locations)
        change = plan_rename(found, new, context.indexes_for(how.scope), context.host, locations)
        return merged(change, plan_withdraw(found, context.host)) if how.scope == "me" else change

    perform(context, make, how)


@environment.command()
@click.argument("folder")
@click.option("--name", default="", help="Its name here [default: the folder's name].")
@for_whom
@change_options
@pass_context
def adopt(context: Context, folder: str, name: str, *, how: ChangeOptions) -> None:
    """Register an environment made by something else, in place and protected."""
    from unified_shell.core.environments.protecting import plan_adopt

    called = name or os.path.basename(os.path.abspath(folder))
    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_adopt(folder, called, context.host, locations), how)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def protect(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Refuse changes to the environment NAME."""
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.environments.protecting import plan_protect

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        return plan_protect(find_environment(name, context.host, locations), locations, protected=True)

    perform(context, make, how)


@environment.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def unprotect(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Allow changes to NAME. An adopted environment is rebuilt by ush and its folder replaced by a link."""
    from unified_shell.core.environments.convert_adopted import plan_take_charge
    from unified_shell.core.environments.copying import find_source
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.environments.packages.refetching import refetching
    from unified_shell.core.environments.protecting import plan_protect
    from unified_shell.core.verification.packages.copy_checks import with_copy_checks

    host, locations = context.host, context.locations_for(how.scope)

    def make() -> "Change":
        found = find_environment(name, host, locations)
        if not found.foreign:
            return plan_protect(found, locations, protected=False)
        source = find_source(name, host, locations)
        fetch = refetching(context.indexes_for(how.scope), locations)
        change = plan_take_charge(found, source, host, locations, fetch=fetch, progress=context.tell_progress)
        return with_copy_checks(change, name, source, facts=source.base, host=host, locations=locations)

    perform(context, make, how)


@environment.command()
@click.argument("name")
@click.option("--notebook", is_flag=True, help="Offer it to notebooks, as a kernel.")
@click.option(
    "--application", "command", default="", metavar="COMMAND", help="Offer its COMMAND in the desktop's menu."
)
@click.option("--withdraw", is_flag=True, help="Withdraw every offer.")
@change_options
@pass_context
def offer(context: Context, name: str, command: str, *, notebook: bool, withdraw: bool, how: ChangeOptions) -> None:
    """Offer the environment NAME to notebooks, or one of its commands to the desktop, until it is dropped."""
    from unified_shell.core.environments.model.registry import find_environment
    from unified_shell.core.environments.offers import plan_offer_application, plan_offer_notebook, plan_withdraw
    from unified_shell.core.errors import UsageError

    if [notebook, bool(command), withdraw].count(True) != 1:
        raise UsageError(
            "choose --notebook or --application",
            next_step=(ush("environment", "offer", name, "--notebook"), "or   --application COMMAND"),
        )

    def make() -> "Change":
        found = find_environment(name, context.host, context.locations)
        if withdraw:
            return plan_withdraw(found, context.host)
        return (
            plan_offer_notebook(found, context.host)
            if notebook
            else plan_offer_application(found, command, context.host)
        )

    perform(context, make, how)
