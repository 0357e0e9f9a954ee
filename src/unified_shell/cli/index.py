"""`ush index`."""

import sys
from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush
from unified_shell.views.next_step_text import next_step_text

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .options.request_options import RequestOptions, request_options
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from collections.abc import Sequence

__all__ = ["index"]


@click.group(cls=VerbGroup)
def index() -> None:
    """The indexes that packages come from, in the order in which they are asked."""


@index.command("list", cls=ListCommand)
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_indexes(context: Context, *, as_json: bool) -> None:
    """List the indexes in the order in which they are asked."""
    from unified_shell.core.indexes.registered import INDEXES
    from unified_shell.views.json_view import json_text
    from unified_shell.views.terminal.tables import print_table

    found = INDEXES.read_all(context.host, context.locations)
    if as_json:
        rows = [{"name": one.name, "address": one.shown, "scope": one.scope.value} for one in found]
        context.screen.result(json_text("indexes", rows))
    elif not found:
        context.screen.result("No index is named yet.")
        context.screen.next(ush("index", "add", "NAME", "ADDRESS"))
    else:
        shown = [(one.name, one.shown, one.scope.value) for one in found]
        print_table(context.screen, ("name", "address", "for"), shown)


@index.command()
@click.argument("name")
@click.argument("address", default="")
@click.option("--first", is_flag=True, help="Ask it before all others; an existing index is moved.")
@click.option("--before", default="", metavar="OTHER", help="Ask it before the index OTHER.")
@click.option("--login", is_flag=True, help="Ask for user and password and store them in your keyring.")
@for_whom
@change_options
@pass_context
def add(
    context: Context, name: str, address: str, *, first: bool, before: str, login: bool, how: ChangeOptions
) -> None:
    """Add the index NAME: ADDRESS is a Simple Repository API or a folder of wheels.

    Ask the maintainer of your laboratory's index for its address. That of the Python Package Index is in its
    documentation, as the base URL of its Simple API (PEP 503). It ends with "/simple/" most often.
    """
    from unified_shell.core.catalogs.address_changes import plan_address_add
    from unified_shell.core.indexes.registered import INDEXES

    locations = context.locations_for(how.scope)
    if login and not how.only_plan:
        _keep_login(context, address)
    perform(
        context,
        lambda: plan_address_add(
            INDEXES, name, address, context.host, locations, ask=context.indexes.answers, first=first, before=before
        ),
        how,
    )


def _keep_login(context: Context, address: str) -> None:
    """Ask for user and password of a server, and keep them; at no terminal the password is read from the input."""
    import urllib.parse

    from unified_shell.core.errors import UsageError
    from unified_shell.core.transfers.addresses import check_no_password, is_web_address, user_in_address
    from unified_shell.core.transfers.keyring_credentials import keep_in_keyring

    if not is_web_address(address):
        raise UsageError(
            "--login needs the address of a server", next_step=ush("index", "add", "NAME", "https://HOST/simple/")
        )
    check_no_password(address)
    host_name = urllib.parse.urlsplit(address).hostname or ""
    user = user_in_address(address)[0] or click.prompt(f"User at {host_name}", err=True)
    hidden = sys.stdin.isatty()
    password = click.prompt("Password", hide_input=True, err=True) if hidden else sys.stdin.readline().rstrip("\n")
    keep_in_keyring(host_name, user, password)
    context.screen.say(f"Stored the password of {user} at {host_name} in your keyring.")


@index.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Remove the index NAME; installed packages stay."""
    from unified_shell.core.catalogs.address_changes import plan_address_drop
    from unified_shell.core.indexes.registered import INDEXES

    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_address_drop(INDEXES, name, context.host, locations), how)


@index.command()
@click.argument("folder")
@click.argument("requirements", nargs=-1, metavar="[REQUIREMENT]...")
@click.option("--lock", default="", metavar="FILE", help="All files that a lock file (pylock.toml) names.")
@request_options
@click.option(
    "--interpreter", "wanted", default="", help="The target: a path, name or version [default: the session's]."
)
@click.option("--json", "as_json", is_flag=True, help="Print what was written as JSON.")
@pass_context
def copy(
    context: Context,
    folder: str,
    requirements: tuple[str, ...],
    *,
    lock: str,
    words: RequestOptions,
    wanted: str,
    as_json: bool,
) -> None:
    """Download everything REQUIREMENTs need into FOLDER, for a machine without a network; with --lock, all files of a lock."""
    import os

    if lock:
        _copy_locked(context, folder, lock, alone=not requirements, as_json=as_json)
        return
    from unified_shell.core.environments.packages.getting import solve_alone
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.machine.files.disks import shown_size
    from unified_shell.core.resolution.wheel_download import download_wheels

    request = words.request(requirements, context.host.working_directory)
    facts = choose_interpreter(wanted, context.host, context.locations)
    solution = solve_alone(
        request, facts, context.indexes, context.host, context.locations, progress=context.tell_progress
    )
    brought = download_wheels(
        solution.chosen.values(), folder, context.indexes, context.locations.cache, progress=context.tell_progress
    )
    if as_json:
        _print_written(context, folder, brought)
        return
    size = shown_size(sum(os.path.getsize(path) for path in brought))
    there = len(solution.chosen) - len(brought)
    more = f"; {there} were there" if there else ""
    context.screen.result(f"{len(brought)} files ({size}) for {facts.title} are now in {folder}{more}.")
    context.screen.next(ush("index", "add", "NAME", os.path.abspath(folder)), label="There")


def _print_written(context: Context, folder: str, brought: "Sequence[str]") -> None:
    import os

    from unified_shell.views.json_view import json_text

    size = sum(os.path.getsize(path) for path in brought)
    told = {"place": os.path.abspath(folder), "files": len(brought), "size_bytes": size, "holds": ()}
    context.screen.result(json_text("written", told))


def _copy_locked(context: Context, folder: str, lock: str, *, alone: bool, as_json: bool) -> None:
    """Download every file that a lock names, for whichever machine."""
    import os

    from unified_shell.core.environments.packages.lock_files import files_of_lock
    from unified_shell.core.errors import UsageError
    from unified_shell.core.machine.files.disks import shown_size
    from unified_shell.core.machine.places import join
    from unified_shell.core.resolution.wheel_download import download_wheels

    if not alone:
        raise UsageError(
            "a lock file is complete; nothing else can be requested with it",
            next_step=ush("index", "copy", folder, "--lock", lock),
        )
    files = files_of_lock(os.path.abspath(join(context.host.working_directory, lock)))
    with context.progress.shown(f"Copy {lock}"):
        brought = download_wheels(
            files, folder, context.indexes, context.locations.cache, progress=context.tell_progress
        )
    if as_json:
        _print_written(context, folder, brought)
        return
    size = shown_size(sum(os.path.getsize(path) for path in brought))
    context.screen.result(f"{len(files)} files of {lock} are in {folder}; {len(brought)} are new ({size}).")
    context.screen.next(ush("index", "add", "NAME", os.path.abspath(folder)), label="There")


@index.command()
@click.argument("folder", type=click.Path(exists=True, file_okay=False))
@click.option("--port", default=0, help="The port to listen on [default: a free one].")
@click.option("--address", default="127.0.0.1", show_default=True, help="The address to listen on.")
@pass_context
def serve(context: Context, folder: str, port: int, address: str) -> None:
    """Serve a FOLDER of wheels by the Simple Repository API, until interrupted."""
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.indexes.server import make_server

    try:
        server = make_server(folder, address=address, port=port)
    except (OSError, OverflowError) as error:
        raise CouldNot(f"cannot listen at {address}, port {port}: {error}", next_step="leave --port out") from error
    where = f"http://{address}:{server.server_address[1]}/simple/"
    context.screen.result(f"Serving {folder} at {where}")
    sys.stdout.flush()
    context.screen.say(f"To use it: {next_step_text(ush('index', 'add', 'NAME', where, why='interrupt ends it'))}")
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        context.screen.say("ended")
    finally:
        server.server_close()
