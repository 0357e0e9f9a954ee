"""Where things are in an environment (PEP 405), and where environments are."""

import os

from msgspec import Struct

from unified_shell.core.machine.files.tree_links import leads_to
from unified_shell.core.machine.places import Place, inside, join

WIRED_MARK = "wired"

__all__ = ["WIRED_MARK", "Layout", "edition_number", "edition_place", "is_of_ours", "link_place", "link_target"]


class Layout(Struct, frozen=True, kw_only=True):
    """The folders of an environment under its prefix, for a Python version such as `3.11`; names have `/` between them.

    Source: the standard library's `sysconfig`, schemes `posix_prefix` and `nt`.
    """

    prefix: Place
    short_version: str
    is_windows: bool = False

    @property
    def scripts_name(self) -> str:
        """Where commands are, relative to the prefix."""
        return "Scripts" if self.is_windows else "bin"

    @property
    def scripts(self) -> Place:
        """Where commands are."""
        return self._join(self.scripts_name)

    @property
    def python(self) -> Place:
        """The interpreter's link, or what stands for it."""
        return self._join(self.scripts_name, "python.exe" if self.is_windows else "python")

    @property
    def site_packages(self) -> Place:
        """Where distributions are, pure or not."""
        return join(self.prefix, self.site_packages_name)

    @property
    def site_packages_name(self) -> str:
        """The same, relative to the prefix."""
        return "Lib/site-packages" if self.is_windows else f"lib/python{self.short_version}/site-packages"

    def _join(self, *names: str) -> Place:
        return Place("\\".join((self.prefix, *names))) if self.is_windows else join(self.prefix, *names)

    def scheme(self, key: str, project: str) -> str:
        """Return a folder of a wheel's `.data` scheme, relative to the prefix.

        Source: the wheel format's list of installation scheme keys.
        """
        return {
            "purelib": self.site_packages_name,
            "platlib": self.site_packages_name,
            "headers": f"Include/{project}"
            if self.is_windows
            else f"include/site/python{self.short_version}/{project}",
            "scripts": self.scripts_name,
            "data": "",
        }[key]


def link_place(data: str, name: str) -> Place:
    """Return the link by which an environment is known."""
    return join(data, "environments", name)


def edition_place(data: str, name: str, number: int) -> Place:
    """Return the folder of one edition of an environment."""
    return join(data, "editions", name, str(number))


def link_target(name: str, number: int) -> str:
    """Return what the link holds: relative, so that the whole home can be moved."""
    return os.path.join("..", "editions", name, str(number))


def is_of_ours(place: str, data: str) -> bool:
    """Tell whether a place lies in an environment of this scope, links followed: in an edition, or one in its link's place."""
    real = os.path.realpath(place)
    return any(inside(real, os.path.realpath(join(data, name))) for name in ("editions", "environments"))


def edition_number(link: str) -> int:
    """Return the number of the edition that a link leads to, 0 for none."""
    name = os.path.basename(leads_to(link))
    return int(name) if name.isdigit() else 0
