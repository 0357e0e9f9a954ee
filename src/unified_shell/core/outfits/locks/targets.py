"""For which machines a lock holds: a system, an architecture, a C library and a Python each, as markers and tags."""

import re

from msgspec import Struct

from unified_shell.core.distributions.tag_facts import TagFacts
from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.errors import UsageError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.resolution.target import Rules, Target

__all__ = ["LockTarget", "host_target", "parse_target"]

# As the standard's markers name them: os_name, sys_platform, platform_system.
SYSTEMS = {
    "linux": ("posix", "linux", "Linux"),
    "macos": ("posix", "darwin", "Darwin"),
    "windows": ("nt", "win32", "Windows"),
}
# What `platform_machine` says, by system; others say the architecture itself.
MACHINES = {("macos", "aarch64"): "arm64", ("windows", "x86_64"): "AMD64", ("windows", "aarch64"): "ARM64"}
ARCHITECTURES = ("x86_64", "aarch64")
# The oldest that are still cared for: what is locked for them runs on newer ones too.
OLDEST_GLIBC = (2, 28)
OLDEST_MACOS = (11, 0)
EXAMPLE = "linux-x86_64,python=3.12,glibc=2.28"
TEXT = re.compile(r"(?P<system>\w+)-(?P<architecture>\w+)(?P<rest>(,\w+=[\d.]+)*)")


class LockTarget(Struct, frozen=True, kw_only=True):
    """One kind of machine: its name as typed, the marker that tells it from others, and what is solved for."""

    name: str
    marker: str
    target: Target


def host_target(facts: InterpreterFacts, rules: Rules) -> LockTarget:
    """Return this machine, with an interpreter of it."""
    markers = facts.markers()
    return LockTarget(
        name="this machine",
        marker=_marker(markers),
        target=Target(
            markers=markers, tags=supported_tags(facts.tag_facts()), python=facts.full_version, rules=rules
        ),
    )


def parse_target(text: str, python: tuple[int, int], rules: Rules) -> LockTarget:
    """Return a kind of machine that is named as `SYSTEM-ARCHITECTURE[,python=3.12][,glibc=2.28|musl=1.2|macos=11.0]`.

    Raises UsageError for any other text, with what was expected.
    """
    match = TEXT.fullmatch(text)
    if match is None or match["system"] not in SYSTEMS or match["architecture"] not in ARCHITECTURES:
        raise UsageError(
            f"{text!r} is not a target: {', '.join(SYSTEMS)} with {' or '.join(ARCHITECTURES)}",
            next_step=f"--target {EXAMPLE}",
        )
    system, architecture = match["system"], match["architecture"]
    given = dict(one.split("=", 1) for one in match["rest"].split(",") if one)
    if unknown := sorted(given.keys() - {"python", "glibc", "musl", "macos"}):
        raise UsageError(f"{unknown[0]!r} in the target {text!r} is not known", next_step=f"--target {EXAMPLE}")
    version = _pair(given["python"], text) if "python" in given else python
    libc = ("", 0, 0)
    if system == "linux" and "musl" in given:
        libc = ("musl", *_pair(given["musl"], text))
    elif system == "linux":
        libc = ("glibc", *(_pair(given["glibc"], text) if "glibc" in given else OLDEST_GLIBC))
    elif system == "macos":
        libc = ("", *(_pair(given["macos"], text) if "macos" in given else OLDEST_MACOS))
    os_name, sys_platform, title = SYSTEMS[system]
    machine = MACHINES.get((system, architecture), architecture)
    facts = TagFacts(
        implementation="cpython",
        version=version,
        word_size_bits=64,
        architecture=machine.lower() if system == "windows" else machine,
        system=sys_platform,
        libc=libc,
        free_threaded=False,
    )
    short = f"{version[0]}.{version[1]}"
    markers = {
        "implementation_name": "cpython",
        "implementation_version": f"{short}.0",
        "os_name": os_name,
        "platform_machine": machine,
        "platform_release": "",
        "platform_system": title,
        "platform_version": "",
        "python_full_version": f"{short}.0",
        "platform_python_implementation": "CPython",
        "python_version": short,
        "sys_platform": sys_platform,
    }
    return LockTarget(
        name=text,
        marker=_marker(markers),
        target=Target(markers=markers, tags=supported_tags(facts), python=f"{short}.0", rules=rules),
    )


def _pair(text: str, where: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d+)\.(\d+)(\.\d+)?", text)
    if match is None:
        raise UsageError(f"{text!r} in the target {where!r} is not a version", next_step=f"--target {EXAMPLE}")
    return int(match[1]), int(match[2])


def _marker(markers: "dict[str, str]") -> str:
    names = ("sys_platform", "platform_machine", "python_version")
    return " and ".join(f'{name} == "{markers[name]}"' for name in names)
