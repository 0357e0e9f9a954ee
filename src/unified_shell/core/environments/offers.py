"""Offering an environment elsewhere: to notebooks as a kernel, to the desktop as an entry of its menu.

Sources: the kernel specification of the Jupyter messaging documents (kernel.json, in `jupyter/kernels` below the data
home); the Desktop Entry Specification of freedesktop (Exec and its quoting). The files themselves say what is offered.
"""

import os
import re

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.distributions.entry_points import parse_entry_points
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import CouldNot, UnknownName
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import ush

__all__ = [
    "all_offered_files",
    "offered_commands",
    "offered_files",
    "plan_offer_application",
    "plan_offer_notebook",
    "plan_withdraw",
]

KERNEL = "ipykernel"
# What the names of our own files begin with.
OFFER_PREFIX = "ush-"
RESERVED = '"`$\\'


def plan_offer_notebook(environment: Environment, host: Host) -> Change:
    """Plan to register an environment as a notebook kernel; raises CouldNot where it has no kernel in it."""
    name = environment.name
    if not environment.contents.is_python:
        raise CouldNot(
            f"{name} is an environment for {environment.title}; ush registers kernels for Python only",
            next_step=ush("environment", "enter", name, why="then let that language's kernel register itself"),
        )
    if environment.contents.find(canonicalize_name(KERNEL)) is None:
        raise CouldNot(
            f"the environment {name} contains no notebook kernel",
            next_step=ush("package", "get", KERNEL, *environment.changing),
        )
    spec = {
        "argv": [environment.layout.python, "-m", f"{KERNEL}_launcher", "-f", "{connection_file}"],
        "display_name": f"{name} (Python {environment.short_version})",
        "language": "python",
        "env": {"PATH": f"{environment.layout.scripts}:${{PATH}}", "USH_ENVIRONMENT": environment.prefix},
        "metadata": {"debugger": True},
    }
    path = join(_data_home(host), "jupyter", "kernels", _file_name(name), "kernel.json")
    title = f"{name} (Python {environment.short_version})"
    return _plan(environment, path, to_json_text(spec) + "\n", title, "as a notebook kernel")


def plan_offer_application(
    environment: Environment, command: str, host: Host, *, is_promised: bool = False
) -> Change:
    """Plan to put a command of an environment into the desktop's menu; raises UnknownName for none of its commands, unless it
    `is_promised` by the same change.
    """
    name, program = environment.name, join(environment.layout.scripts, command)
    if "/" in command or not (is_promised or is_executable_file(program)):
        known = sorted(os.listdir(environment.layout.scripts))
        raise UnknownName(f"command in {name}", command, known, next_step=ush("environment", "show", name))
    entry = "\n".join(
        (
            "[Desktop Entry]",
            "Type=Application",
            # The newest that validators in use accept.
            "Version=1.0",
            f"Name={_text(f'{command} ({name})')}",
            f"Comment={_text(f'{command} of the environment {name}')}",
            f"Exec={_quoted(program)}",
            f"Terminal={'false' if _has_windows(environment, command) else 'true'}",
            "",
        )
    )
    path = join(_data_home(host), "applications", f"{_file_name(name)}-{_clean(command)}.desktop")
    return _plan(environment, path, entry, f"{command} ({name})", "in the desktop's menu")


def plan_withdraw(environment: Environment, host: Host) -> Change:
    """Plan to take back all that an environment is offered as."""
    steps = []
    for path in offered_files(environment, host):
        found = read_file(path)
        if found is not None:
            steps.append(ReplaceFile(path=path, before=kept_bytes(found[0]), after=None))
    lines = tuple(plan_line(LineKind.REMOVE, About.OFFER_WITHDRAWN, path=step.path) for step in steps)
    aim = f"Withdraw the offers of the environment {environment.name}"
    nothing = "" if steps else f"the environment {environment.name} is not offered anywhere"
    plan = Plan(aim=aim, lines=lines, nothing_to_do=nothing)
    return change_of(plan, prepare=lambda _staging: tuple(steps))


def offered_commands(environment: Environment, host: Host) -> tuple[str, ...]:
    """Return the commands of an environment that are in the desktop's menu."""
    scripts = environment.layout.scripts
    names = os.listdir(scripts) if os.path.isdir(scripts) else []
    entries = {os.path.basename(one) for one in offered_files(environment, host) if one.endswith(".desktop")}
    own = _file_name(environment.name)
    return tuple(sorted(one for one in names if f"{own}-{_clean(one)}.desktop" in entries))


def all_offered_files(host: Host) -> tuple[Place, ...]:
    """Return the files by which any environment was offered, those of environments that are gone too."""
    home = _data_home(host)
    kernels, menu = join(home, "jupyter", "kernels"), join(home, "applications")
    names = sorted(os.listdir(kernels)) if os.path.isdir(kernels) else []
    found = [join(kernels, one, "kernel.json") for one in names if one.startswith(OFFER_PREFIX)]
    names = sorted(os.listdir(menu)) if os.path.isdir(menu) else []
    found += [join(menu, one) for one in names if one.startswith(OFFER_PREFIX) and one.endswith(".desktop")]
    return tuple(one for one in found if os.path.isfile(one))


def offered_files(environment: Environment, host: Host) -> tuple[Place, ...]:
    """Return the files by which an environment is offered now; another one's of a like name are not among them."""
    home, name = _data_home(host), _file_name(environment.name)
    tried = [join(home, "jupyter", "kernels", name, "kernel.json")]
    menu = join(home, "applications")
    names = sorted(os.listdir(menu)) if os.path.isdir(menu) else []
    tried += [join(menu, one) for one in names if one.startswith(f"{name}-") and one.endswith(".desktop")]
    place = f"{environment.prefix}/".encode("utf-8", "surrogateescape")
    escaped = to_json_text(f"{environment.prefix}/")[1:-1].encode()
    quoted = _quoted(f"{environment.prefix}/")[1:-1].encode("utf-8", "surrogateescape")
    found = []
    for path in tried:
        content = read_file(path)
        if content is not None and any(one in content[0] for one in (place, escaped, quoted)):
            found.append(path)
    return tuple(found)


def _plan(environment: Environment, path: Place, text: str, title: str, use: str) -> Change:
    there = read_file(path)
    before = kept_bytes(there[0]) if there is not None else None
    after = kept_bytes(text.encode("utf-8", "surrogateescape"))
    step = ReplaceFile(path=path, before=before, after=after)
    plan = Plan(
        aim=f"Offer {title} {use}",
        lines=(plan_line(LineKind.ADD, About.OFFER, title=title, use=use, path=path),),
        relies_on=(f"environment {environment.name}",),
        nothing_to_do=f"{title} is offered {use} already" if before == after else "",
        afterwards=() if before == after else ("An open notebook server or menu notices it the next time it looks.",),
    )
    return change_of(plan, prepare=lambda _staging: (step,))


def _has_windows(environment: Environment, command: str) -> bool:
    """Tell whether a command is declared to be one with windows of its own (gui_scripts)."""
    site = environment.layout.site_packages
    for folder in os.listdir(site) if os.path.isdir(site) else ():
        text = read_file(join(site, folder, "entry_points.txt")) if folder.endswith(".dist-info") else None
        for one in parse_entry_points(text[0], folder) if text else ():
            if one.name == command:
                return one.group == "gui_scripts"
    return False


def _data_home(host: Host) -> str:
    return host.variable("XDG_DATA_HOME") or join(host.home, ".local/share")


def _file_name(name: str) -> str:
    return f"{OFFER_PREFIX}{_clean(name)}"


def _clean(name: str) -> str:
    """Return a name of plain characters; one that had others is told apart by its digest."""
    plain = re.sub(r"[^a-z0-9._-]+", "-", name.lower())
    raw = name.encode("utf-8", "surrogateescape")
    return plain if plain == name else f"{plain}-{digest_of_bytes(raw)[:6]}"


def _text(text: str) -> str:
    return text.replace("\\", "\\\\").replace("\n", "\\n").replace("\t", "\\t")


def _quoted(argument: str) -> str:
    """Return an argument as Exec wants it: quoted, then escaped as every text of the file is; `%` stands for fields."""
    inner = "".join(f"\\{one}" if one in RESERVED else one for one in argument).replace("%", "%%")
    return _text(f'"{inner}"')
