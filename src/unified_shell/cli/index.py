"""`ush index`."""

import click

from .beginnings import VerbGroup
from .performing import How, change_options, for_whom, perform
from .wishing import WishWords, wish_options
from .workbench import Workbench, pass_bench

__all__ = ["index"]


@click.group(cls=VerbGroup)
def index() -> None:
    """Where packages come from: indexes are asked in their order."""


@index.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_indexes(bench: Workbench, *, as_json: bool) -> None:
    """List the indexes in the order in which they are asked."""
    from unified_shell.core.indexes.registered import INDEXES
    from unified_shell.views.json_view import json_text
    from unified_shell.views.tables import print_table

    found = INDEXES.read_all(bench.host, bench.locations)
    if as_json:
        rows = [{"name": one.name, "address": one.shown, "scope": one.scope.value} for one in found]
        bench.screen.result(json_text("indexes", rows))
    elif not found:
        bench.screen.result("No index is named yet.\nNext: ush index add NAME ADDRESS")
    else:
        shown = [(one.name, one.shown, one.scope.value) for one in found]
        print_table(bench.screen, ("name", "address", "for"), shown)


@index.command()
@click.argument("name")
@click.argument("address", default="")
@click.option("--first", is_flag=True, help="Ask it before all others; one that is there is moved.")
@click.option("--before", default="", metavar="OTHER", help="Ask it before the index OTHER.")
@click.option("--login", is_flag=True, help="Ask for user and password, and keep them in your keyring.")
@for_whom
@change_options
@pass_bench
def add(bench: Workbench, name: str, address: str, *, first: bool, before: str, login: bool, how: How) -> None:
    """Take packages from ADDRESS, a Simple Repository API or a folder of wheels, under a NAME.

    Your laboratory's own index has an address that whoever keeps it knows. That of the Python Package Index is in its
    documentation, as the base URL of its Simple API (PEP 503). It ends with "/simple/" most often.
    """
    from unified_shell.core.indexes.registered import INDEXES

    locations = bench.rights_for(how.scope)
    if login and not how.only_plan:
        _keep_login(bench, address)
    perform(
        bench,
        lambda: INDEXES.plan_add(
            name, address, bench.host, locations, ask=bench.indexes.answers, first=first, before=before
        ),
        how,
    )


def _keep_login(bench: Workbench, address: str) -> None:
    """Ask for user and password of a server, and keep them; at no terminal the password is read from the input."""
    import sys
    import urllib.parse

    from unified_shell.core.errors import WordsOff
    from unified_shell.core.transfers.addresses import check_no_password, is_web_address, user_in_address
    from unified_shell.core.transfers.keyring_credentials import keep_in_keyring

    if not is_web_address(address):
        raise WordsOff("--login is for the address of a server", next_step="ush index add NAME https://HOST/simple/")
    check_no_password(address)
    host_name = urllib.parse.urlsplit(address).hostname or ""
    user = user_in_address(address)[0] or click.prompt(f"User at {host_name}", err=True)
    hidden = sys.stdin.isatty()
    password = click.prompt("Password", hide_input=True, err=True) if hidden else sys.stdin.readline().rstrip("\n")
    keep_in_keyring(host_name, user, password)
    bench.screen.say(f"The password of {user} at {host_name} is in your keyring.")


@index.command()
@click.argument("name")
@for_whom
@change_options
@pass_bench
def drop(bench: Workbench, name: str, *, how: How) -> None:
    """Forget the index NAME; what came from it stays."""
    from unified_shell.core.indexes.registered import INDEXES

    locations = bench.rights_for(how.scope)
    perform(bench, lambda: INDEXES.plan_drop(name, bench.host, locations), how)


@index.command()
@click.argument("folder")
@click.argument("requirements", nargs=-1, metavar="[REQUIREMENT]...")
@wish_options
@click.option(
    "--interpreter", "wanted", default="", help="For this one: a path, a name or a version; else the session's."
)
@pass_bench
def copy(bench: Workbench, folder: str, requirements: tuple[str, ...], *, words: WishWords, wanted: str) -> None:
    """Bring the wheels and sources that requirements need into FOLDER, for a machine without a network."""
    import os

    from unified_shell.core.environments.packages import solve_alone
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.machine.disks import shown_size
    from unified_shell.core.machine.places import typed
    from unified_shell.core.resolution.gathering import gather

    wish = words.wish(requirements, bench.host.working_directory)
    facts = choose_interpreter(wanted, bench.host, bench.locations)
    solution = solve_alone(wish, facts, bench.indexes, bench.host, bench.locations, progress=bench.tell_progress)
    brought = gather(solution, folder, bench.indexes, bench.locations.cache, progress=bench.tell_progress)
    size = shown_size(sum(os.path.getsize(path) for path in brought))
    there = len(solution.chosen) - len(brought)
    more = f"; {there} were there" if there else ""
    bench.screen.result(f"{len(brought)} files, {size}, for {facts.title}, are in {folder} now{more}.")
    bench.screen.result(f"There: ush index add NAME {typed(os.path.abspath(folder), bench.host.home)}")


@index.command()
@click.argument("folder", type=click.Path(exists=True, file_okay=False))
@click.option("--port", default=0, help="The port to listen at; a free one, if not given.")
@click.option("--address", default="127.0.0.1", show_default=True, help="The address to listen at.")
@pass_bench
def serve(bench: Workbench, folder: str, port: int, address: str) -> None:
    """Serve a FOLDER of wheels by the Simple Repository API, until interrupted."""
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.indexes.server import make_server
    from unified_shell.core.machine.places import typed

    try:
        server = make_server(folder, address=address, port=port)
    except (OSError, OverflowError) as error:
        raise CouldNot(f"cannot listen at {address}, port {port}: {error}", next_step="leave --port out") from error
    where = f"http://{address}:{server.server_address[1]}/simple/"
    bench.screen.result(f"Serving {folder} at {where}")
    bench.screen.out.file.flush()
    bench.screen.say(f"To use it: ush index add NAME {typed(where)}   (interrupt ends it)")
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        bench.screen.say("ended")
    finally:
        server.server_close()
