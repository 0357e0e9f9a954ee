"""The plan for getting an interpreter: what a person reads before the yes or no."""

import os
from collections.abc import Callable

from msgspec import Struct, field
from msgspec.structs import replace

from unified_shell.core.catalogs.acceptance import ask_acceptance
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.installation.prerequisites import check_tools, find_compiler, missing_pieces
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.managed import read_managed
from unified_shell.core.interpreters.requesting import Asked, Ready, parse_request, ready_ones
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Afterward, Command, Labelled, ush
from unified_shell.core.shells.dialects.dialect import Side
from unified_shell.core.shells.planning.search_paths import PathRequest, plan_path_add
from unified_shell.core.shells.startup.own_shells import chosen_shells
from unified_shell.core.shells.wiring.wiring import read_wiring
from unified_shell.core.transfers.fetching import Fetcher

from .building import BuildOptions
from .obtaining import Getting, needed_bytes
from .origins import FindDescribed, Origin, settle_origin
from .parts import PARTS, missing_parts, parts_named

__all__ = ["InterpreterRequest", "plan_get", "plan_getting", "settle_getting"]


class InterpreterRequest(Struct, frozen=True, kw_only=True):
    """What a person typed: words, name, form and platform, a file fetched by hand, its hash, licences accepted,
    what a build is to have, and the side of PATH (`front`, `back`, or empty for none)."""

    words: tuple[str, ...]
    name: str = ""
    form: str = ""
    platform: str = ""
    archive: str = ""
    sha256: str = ""
    accepted: tuple[str, ...] = ()
    build: BuildOptions = field(default_factory=BuildOptions)
    side: str = ""
    even_if_ready: bool = False


def plan_get(
    request: InterpreterRequest,
    find: FindDescribed,
    fetcher: Fetcher,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None],
) -> Change:
    """Plan to have an interpreter; one that is ready already is named and nothing is changed."""
    asked = parse_request(request.words, host)
    if asked.language and not request.even_if_ready and not request.archive:
        ready = ready_ones(asked, discover(host)) or ready_ones(asked, discover(host, thorough=True))
        if ready:
            return _ready_already(ready[0], request, host, locations)
    getting = settle_getting(request, find, fetcher, host, locations, progress=progress)
    change = plan_getting(getting, request, asked)
    if not request.side:
        return change
    return merged(change, _on_path(getting, getting.origin, request.side, locations))


def settle_getting(
    request: InterpreterRequest,
    find: FindDescribed,
    fetcher: Fetcher,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None],
) -> Getting:
    """Return what is to be got, with its origin and its name here, whether or not one is ready already."""
    build = _checked_build(request.build)
    origin = settle_origin(
        parse_request(request.words, host),
        find,
        host,
        locations,
        archive=join(host.working_directory, request.archive) if request.archive else "",
        sha256=request.sha256.lower(),
        form=request.form,
        platform=request.platform,
    )
    return Getting(
        origin=origin,
        name=_free_name(request.name or origin.name, locations),
        request=build,
        host=host,
        locations=locations,
        fetcher=fetcher,
        progress=progress,
    )


def plan_getting(getting: Getting, request: InterpreterRequest, asked: Asked) -> Change:
    """Plan to get it, without putting it on PATH; raises Refused for a licence that is not accepted yet."""
    licence_lines, licence_steps = ask_acceptance(getting.origin.description, request.accepted, getting.locations)
    return getting.change(_plan(getting, asked, licence_lines, wired=bool(request.side)), licence_steps)


def _ready_already(one: Ready, request: InterpreterRequest, host: Host, locations: Locations) -> Change:
    """Return the change for an interpreter that is there: nothing, or its commands on PATH where that is asked for."""
    folder = os.path.dirname(one.path)
    said = f"{one.title} is ready: {shown(one.path, host.home)}"
    if request.side:
        place = PathRequest(directory=folder, side=Side(request.side), outermost=True)
        change = plan_path_add(place, chosen_shells(host), host, locations)
        plan = change.plan
        note = plan_line(LineKind.NOTE, About.READY_ALREADY, title=one.title, path=one.path)
        return replace(change, plan=replace(plan, lines=(note, *plan.lines)))
    wire = Labelled(label="Put it on PATH", step=ush("path", "add", folder, *locations.scope_words))
    if one.on_path:
        return change_of(Plan(aim=said, nothing_to_do=said))
    if read_wiring(locations).find("PATH", folder) is not None:
        said += ", in the wiring; a new session finds it"
        return change_of(Plan(aim=said, nothing_to_do=said))
    said += ", not on PATH"
    return change_of(Plan(aim=said, nothing_to_do=said, afterwards=(wire,)))


def _plan(getting: Getting, asked: Asked, licence: list[PlanLine], *, wired: bool) -> Plan:
    origin, host, locations = getting.origin, getting.host, getting.locations
    need = needed_bytes(origin, locations)
    disk = [plan_line(LineKind.NOTE, About.BUILD_DISK, size_bytes=need)] if need else []
    return Plan(
        aim=f"Install the interpreter {getting.name}",
        lines=(
            plan_line(LineKind.ADD, About.INTERPRETER_ENTRY, name=getting.name, target=getting.target),
            *_origin_lines(origin, asked),
            *_build_lines(origin, getting, host),
            *licence,
            *disk,
        ),
        download_bytes=0 if origin.file or origin.folder else origin.size_bytes,
        disk_bytes=need,
        afterwards=_afterwards(getting.name, getting.target, origin, host, wired=wired),
    )


def _checked_build(build: BuildOptions) -> BuildOptions:
    wanted = tuple(one.name for one in parts_named(build.wanted))
    unwanted = tuple(one.name for one in parts_named(build.unwanted))
    both = set(wanted) & set(unwanted)
    if both:
        raise UsageError(f"{both.pop()} is requested both with and without", next_step="leave one of them out")
    return BuildOptions(wanted=wanted, unwanted=unwanted, optimised=build.optimised)


def _free_name(name: str, locations: Locations) -> str:
    if not name or "/" in name or name.startswith((".", "-")) or not name.isprintable() or ":" in name:
        raise UsageError(
            f"{name!r} cannot be an interpreter's name: it becomes a folder name", next_step="--name NAME"
        )
    taken = {one.name for one in read_managed(locations)} | {one.name for one in read_adopted(locations)}
    if name in taken:
        raise Refused(
            f"there is an interpreter named {name} already",
            next_step=("--name NAME", "or", ush("interpreter", "drop", name)),
        )
    return name


def _origin_lines(origin: Origin, asked: Asked) -> list[PlanLine]:
    if origin.folder:
        return [plan_line(LineKind.NOTE, About.COPIED_FROM, folder=origin.folder)]
    size: int | str = origin.size_bytes or ""
    compared = bool(origin.sha256)
    if origin.file:
        return [plan_line(LineKind.NOTE, About.ARCHIVE, file=origin.file, size_bytes=size, compared=compared)]
    told = plan_line(
        LineKind.DOWNLOAD,
        About.ARCHIVE,
        address=origin.shown,
        size_bytes=size,
        compared=compared,
        recorded=not compared,
    )
    lines = [told]
    if asked.address and not origin.source_language:
        lines.append(plan_line(LineKind.NOTE, About.CONTENTS_UNKNOWN))
    return lines


def _build_lines(origin: Origin, getting: Getting, host: Host) -> list[PlanLine]:
    """Return what a build will be; raises CouldNot where something is missing that it cannot do without."""
    described, build = origin.form is not None and bool(origin.form.build), getting.request
    if not origin.source_language and not described:
        if build.options:
            return [plan_line(LineKind.WARNING, About.ONLY_WHEN_BUILDING, options=tuple(build.options))]
        return []
    find_compiler(host)
    _check_needs(origin, host)
    check_tools(("make",), host)
    language = find_language(origin.source_language)
    time = language.source.build_time if language is not None and language.source is not None else "unknown time"
    cores = os.cpu_count() or 1
    lines = [
        plan_line(
            LineKind.NOTE, About.BUILT_FROM_SOURCE, cores=cores, time=time, optimised=build.optimised, log=getting.log
        )
    ]
    if origin.source_language == "python" and not described:
        lines += _part_lines(build, host)
    return lines


def _part_lines(build: BuildOptions, host: Host) -> list[PlanLine]:
    missing = {one.part: one for one in missing_parts(PARTS, host)}
    for name in build.wanted:
        if name in missing:
            raise CouldNot(
                f"{name} cannot be built: {', '.join(missing[name].pieces)} not found",
                next_step=Command(words=("apt-get", "install", missing[name].package)),
            )
    lines = [
        plan_line(LineKind.WARNING, About.PART_MISSING, name=name, pieces=tuple(one.pieces), package=one.package)
        for name, one in missing.items()
        if name not in build.unwanted
    ]
    if build.unwanted:
        lines.append(plan_line(LineKind.NOTE, About.PARTS_LEFT_OUT, parts=tuple(build.unwanted)))
    return lines


def _check_needs(origin: Origin, host: Host) -> None:
    needs = origin.description.needs if origin.description else None
    if needs is None:
        return
    check_tools([name for name, _ in needs.commands], host)
    gone = missing_pieces(needs.headers, needs.libraries, host) if needs.headers or needs.libraries else ()
    if gone:
        raise CouldNot(
            f"the build needs {', '.join(gone)}, which is not here", next_step="install them, then try again"
        )


def _on_path(getting: Getting, origin: Origin, side: str, locations: Locations) -> Change:
    language = origin.source_language or (origin.description.language.lower() if origin.description else "python")
    version = origin.description.version if origin.description else getting.name.rpartition("-")[2]
    short = ".".join(version.split(".")[:2])
    table = find_language(language)
    usual = table.commands if table is not None and table.commands else (language,)
    known = tuple(name.replace("{short}", short) for name in usual)
    # The language's own command first: it is the one to start.
    own = [one for one in origin.commands if table is not None and table.is_executable_name(one)]
    promised = (*own, *(one for one in origin.commands if one not in own)) or known
    request = PathRequest(directory=join(getting.target, "bin"), side=Side(side), promised=promised, outermost=True)
    return plan_path_add(request, chosen_shells(getting.host), getting.host, locations)


def _is_python(origin: Origin) -> bool:
    """Say whether it is a Python, by what is said of it, or by the commands that its archive brings."""
    told = origin.source_language or (origin.description.language if origin.description else "")
    return told.lower() == "python" if told else any(one.startswith("python") for one in origin.commands)


def _afterwards(name: str, target: Place, origin: Origin, host: Host, *, wired: bool) -> tuple[Afterward, ...]:
    folder = join(target, "bin")
    told = [Labelled(label="Where it is", step=shown(folder, host.home))]
    if not wired:
        told.append(Labelled(label="Put its commands on PATH", step=ush("path", "add", folder)))
    if _is_python(origin):
        step = ush("environment", "new", "study", "--interpreter", name)
        told.append(Labelled(label="Create an environment", step=step))
    return tuple(told)
