"""`ush interpreter`."""

import os
import sys
from typing import TYPE_CHECKING

import click
import msgspec

from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .options.sides import side_options
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from collections.abc import Callable

    from unified_shell.core.catalogs.description import Description
    from unified_shell.core.catalogs.reading import Listed
    from unified_shell.core.changes.plan import Change, Plan
    from unified_shell.core.interpreters.getting.origins import FindDescribed

__all__ = ["interpreter"]


@click.group(cls=VerbGroup)
def interpreter() -> None:
    """Find, install, build, pack and register interpreters."""


@interpreter.command("list", cls=ListCommand)
@click.option("--below", "roots", multiple=True, metavar="DIR", help="Search only below DIR.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_interpreters(context: Context, roots: tuple[str, ...], *, as_json: bool) -> None:
    """List the interpreters of this machine, for Python and other languages, and those managed by ush."""
    from unified_shell.core.interpreters.adopted import read_adopted
    from unified_shell.core.interpreters.discovery import discover
    from unified_shell.core.interpreters.managed import all_managed
    from unified_shell.views.interpreter_view import print_all_interpreters
    from unified_shell.views.json_view import json_text

    places = tuple(os.path.abspath(one) for one in roots)
    found = discover(context.host, roots=places, thorough=not places)
    kept, adopted = all_managed(context.host, context.locations), read_adopted(context.locations)
    if as_json:
        facts = {"found": found.python, "others": found.others, "kept": kept, "adopted": adopted}
        context.screen.result(json_text("interpreters", facts))
    else:
        print_all_interpreters(context.screen, found, kept, adopted, context.host.home)


@interpreter.command()
@click.argument("what", nargs=-1, required=True)
@click.option("--name", default="", help="Its name [default: from its file or version].")
@click.option("--form", type=click.Choice(["binary", "source"]), help="Ready-built (binary), or built here (source).")
@click.option("--platform", default="", help="Another word size, such as linux-i386.")
@click.option("--archive", default="", metavar="FILE", help="An archive that you downloaded.")
@click.option("--sha256", default="", help="The SHA-256 that the archive must have.")
@click.option("--with", "wanted", multiple=True, metavar="PART", help="When building: require this part.")
@click.option("--without", "unwanted", multiple=True, metavar="PART", help="When building: leave out this part.")
@click.option("--optimised", is_flag=True, help="When building: optimise with profiling, which takes much longer.")
@side_options(
    "Put its commands on PATH, before others of the same name.",
    "Put its commands on PATH, after others of the same name.",
)
@click.option("--even-if-ready", is_flag=True, help="Even if a matching interpreter is on this machine.")
@click.option("--accept", "accepted", multiple=True, metavar="NAME", help="Accept the licence of NAME.")
@for_whom
@change_options
@pass_context
def get(  # noqa: PLR0913 - an argument an option
    context: Context,
    what: tuple[str, ...],
    *,
    name: str,
    form: str | None,
    platform: str,
    archive: str,
    sha256: str,
    wanted: tuple[str, ...],
    unwanted: tuple[str, ...],
    optimised: bool,
    side: str | None,
    even_if_ready: bool,
    accepted: tuple[str, ...],
    how: ChangeOptions,
) -> None:
    """Get an interpreter: WHAT is a language and version (python 3.12), a URL or file of a ready-built archive or
    of a source, which is built, or a folder, which is copied.

    It is made relocatable and tested where it is installed. Parts of Python: TLS, SQLite, ctypes, zlib,
    bzip2, xz, Tk, readline, curses, uuid, gdbm.
    """
    from unified_shell.core.interpreters.getting.building import BuildOptions
    from unified_shell.core.interpreters.getting.get_plans import InterpreterRequest, plan_get

    request = InterpreterRequest(
        words=what,
        name=name,
        form=form or "",
        platform=platform,
        archive=archive,
        sha256=sha256,
        accepted=accepted,
        build=BuildOptions(wanted=wanted, unwanted=unwanted, optimised=optimised),
        side=side or "",
        even_if_ready=even_if_ready,
    )
    locations = context.locations_for(how.scope)

    def make(each: InterpreterRequest) -> "Change":
        return plan_get(
            each, _described(context), context.fetcher, context.host, locations, progress=context.tell_progress
        )

    asks = side is None and sys.stdin.isatty() and not (how.yes or how.only_plan)
    if asks and not make(request).plan.nothing_to_do:
        request = msgspec.structs.replace(
            request, side=_asked_side(context, make(msgspec.structs.replace(request, side="front")).plan)
        )
    perform(context, lambda: make(request), how)


@interpreter.command()
@click.argument("which")
@click.option("-o", "--output", default="", metavar="FILE", help="The archive: .tar.gz, .tar.xz, .tar.zst …")
@click.option("--json", "as_json", is_flag=True, help="Print what was written as JSON.")
@pass_context
def pack(context: Context, which: str, output: str, *, as_json: bool) -> None:
    """Pack an interpreter into an archive. WHICH is one managed by ush, or a Python's name, version or path.

    Install it elsewhere with: ush interpreter get ARCHIVE
    """
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.interpreters.getting.packing import pack_interpreter, pack_managed, packed_name
    from unified_shell.core.interpreters.managed import all_managed
    from unified_shell.core.machine.files.disks import shown_size

    host, locations = context.host, context.locations
    kept = next((one for one in all_managed(host, locations) if one.name == which and one.language != "python"), None)
    if kept is not None:
        name = output or packed_name(kept.language, kept.version, host)
        with context.progress.shown(f"Pack {kept.name}", at_once=True):
            place, count = pack_managed(kept, name, host, locations, progress=context.tell_progress)
    else:
        facts = choose_interpreter(which, host, locations)
        name = output or packed_name("python", facts.full_version, host)
        with context.progress.shown(f"Pack {facts.title} from {facts.base_prefix}", at_once=True):
            place, count = pack_interpreter(facts, name, host, locations, progress=context.tell_progress)
    if as_json:
        from unified_shell.views.json_view import json_text

        told = {"place": place, "files": count, "size_bytes": os.path.getsize(place), "holds": ()}
        context.screen.result(json_text("written", told))
        return
    context.screen.result(f"{place}: {count} files, {shown_size(os.path.getsize(place))}")
    context.screen.next(ush("interpreter", "get", place), label="Install it elsewhere with")


@interpreter.command()
@click.argument("path")
@click.option("--name", default="", help="Its name [default: its version].")
@side_options(
    "Put its commands on PATH, before others of the same name.",
    "Put its commands on PATH, after others of the same name.",
)
@change_options
@pass_context
def adopt(context: Context, path: str, name: str, *, side: str | None, how: ChangeOptions) -> None:
    """Register the interpreter at PATH (an executable or its folder) without changing it."""
    from unified_shell.core.interpreters.adopting import plan_adopt

    perform(context, lambda: plan_adopt(path, name, context.host, context.locations, side=side or ""), how)


@interpreter.command()
@click.argument("name")
@click.option("--even-if-needed", is_flag=True, help="Even if environments or preferred commands stop working.")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, even_if_needed: bool, how: ChangeOptions) -> None:
    """Remove the interpreter NAME; an adopted one is only unregistered."""
    from unified_shell.core.environments.model.registry import list_environments
    from unified_shell.core.interpreters.adopted import read_adopted
    from unified_shell.core.interpreters.adopting import plan_forget
    from unified_shell.core.interpreters.getting.dropping import find_managed, plan_drop
    from unified_shell.core.verification.dependants import dependants_of

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        kept = find_managed(name, locations)
        if kept is not None:
            needed_by = dependants_of(kept, context.host, context.locations)
            return plan_drop(name, needed_by, context.host, locations, consent=even_if_needed)
        real = {one.name: os.path.realpath(one.executable) for one in read_adopted(context.locations)}.get(name)
        on_it = [one.name for one in list_environments(context.locations) if one.contents.interpreter == real]
        return plan_forget(name, context.host, context.locations, on_it)

    perform(context, make, how)


def _asked_side(context: Context, in_front: "Plan") -> str:
    """Ask where its commands are to stand on PATH, having said what that overrides."""
    from unified_shell.core.changes.plan import LineKind

    changes = [line for line in in_front.lines if line.kind is LineKind.ANSWER]
    facts = [line.fields for line in changes]
    told = ", ".join(f"{one['command']} (now from {shown(str(one['before']), context.host.home)})" for one in facts)
    context.screen.say(f"In front on PATH it would provide: {told}" if told else "Nothing on PATH has the same name.")
    choice: str = click.prompt(
        "Its commands on PATH", type=click.Choice(["front", "back", "no"]), default="no", err=True
    )
    return "" if choice == "no" else choice


def _described(context: Context) -> "FindDescribed":
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS

    def find(fits: "Callable[[Description], bool]") -> "Listed | None":
        return find_described(CATALOGS.read_all(context.host, context.locations), context.fetcher, fits)

    return find
