"""Which of the system's own packages brings something, as far as the system's package lists on this machine tell.

Source: the library package names of the Debian Policy, section 8.1; RPM and apk take a library's name itself.
"""

import os
import re
from collections.abc import Mapping, Sequence

from unified_shell.core.machine.host import Host

__all__ = ["install_library_line", "install_line", "search_line"]

ASK_SECONDS = 10.0
SONAME = re.compile(r"(lib[\w+.-]+?)(?:\.so\.([\w.]+)|-([\d.]+)\.so)")


def install_library_line(soname: str, host: Host) -> str:
    """Return the line that installs what brings a library; empty where this system's way is not known, or the name none.

    On Debian the name of the package follows from the library's, and is given only where the lists here know it.
    """
    if _has(host, "apt-get"):
        known = _known_to_apt(debian_names(soname), host)
        return f"apt-get install {known[0]}" if known else ""
    if _has(host, "dnf"):
        return f"dnf install '{soname}()(64bit)'" if host.word_size_bits == 64 else f"dnf install '{soname}'"
    return f"apk add so:{soname}" if _has(host, "apk") else ""


def install_line(packages: Mapping[str, str], host: Host) -> str:
    """Return the line that installs packages, given by the family of systems that calls them so; empty where this system
    is of none of these families.
    """
    lines = {"debian": "apt-get", "fedora": "dnf", "alpine": "apk"}
    family = next((one for one, program in lines.items() if one in packages and _has(host, program)), "")
    verb = "add" if family == "alpine" else "install"
    return f"{lines[family]} {verb} {packages[family]}" if family else ""


def search_line(name: str, host: Host) -> str:
    """Return the line that searches the system's packages for a name; empty where this system's way is not known."""
    lines = {"apt-cache": "apt-cache search", "dnf": "dnf search", "apk": "apk search", "zypper": "zypper search"}
    found = next((line for program, line in lines.items() if _has(host, program)), "")
    return f"{found} {name}" if found else ""


def debian_names(soname: str) -> tuple[str, ...]:
    """Return the names that a library's package may have: `libfoo.so.1` comes with `libfoo1`."""
    found = SONAME.fullmatch(soname)
    if found is None:
        return ()
    name = found[1].lower().replace("_", "-")
    version = found[2] or found[3]
    # A name that ends in a digit is set off from the version.
    joined = f"{name}-{version}" if name[-1].isdigit() else f"{name}{version}"
    return tuple(dict.fromkeys((joined, f"{name}{version}", f"{name}-{version}", f"{joined}t64", name)))


def _known_to_apt(packages: Sequence[str], host: Host) -> tuple[str, ...]:
    """Return those that its lists know. They are asked for at once: where no index of the lists is kept, each question takes
    seconds.
    """
    from .processes import run_program

    ran = run_program(
        ("apt-cache", "show", "--quiet", "--no-all-versions", *packages),
        environment={**host.environment(), "LC_ALL": "C"},
        timeout_seconds=ASK_SECONDS,
    )
    told = {line.removeprefix(b"Package: ") for line in ran.output.splitlines() if line.startswith(b"Package: ")}
    return tuple(one for one in packages if one.encode() in told)


def _has(host: Host, program: str) -> bool:
    return any(os.path.exists(os.path.join(one, program)) for one in (*host.search_path(), "/usr/bin", "/sbin"))
