"""The options that say what packages are wanted and by which rules, for the commands that solve."""

import functools
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import click
from msgspec import Struct

if TYPE_CHECKING:
    from unified_shell.core.distributions.names import NormalizedName
    from unified_shell.core.environments.packages.getting import PackageRequest
    from unified_shell.core.resolution.target import Rules

__all__ = ["RequestOptions", "request_options"]


class RequestOptions(Struct, frozen=True, kw_only=True):
    """What those options say, as typed."""

    files: Sequence[str]
    extras: Sequence[str]
    groups: Sequence[str]
    as_of: str
    lowest: bool
    bounds: str
    overriding: str
    built: Sequence[str]
    from_source: Sequence[str]
    overlap: Sequence[str]

    def request(self, requirements: Sequence[str], directory: str) -> "PackageRequest":
        """Return the request, with the requirements that were typed; raises UsageError where nothing is requested."""
        from unified_shell.core.environments.packages.getting import PackageRequest
        from unified_shell.core.environments.packages.requests import parse_request
        from unified_shell.core.environments.packages.requirement_files import read_requirements
        from unified_shell.core.errors import UsageError

        requests = [parse_request(text, directory) for text in requirements]
        requests += [one for path in self.files for one in read_requirements(path, self.extras, self.groups)]
        if not requests and not self.bounds and not self.overriding:
            raise UsageError("nothing is requested", next_step="name packages, or give   --file pyproject.toml")
        return PackageRequest(
            requests=tuple(requests),
            rules=self.rules(),
            constraints=read_requirements(self.bounds) if self.bounds else None,
            overrides=read_requirements(self.overriding) if self.overriding else None,
            overlap=self.preferred(),
        )

    def preferred(self) -> "frozenset[NormalizedName]":
        """Return the projects whose files count where two bring different ones to one place."""
        from unified_shell.core.distributions.names import canonicalize_name

        return frozenset(map(canonicalize_name, self.overlap))

    def rules(self) -> "Rules":
        """Return the rules alone, without bounds."""
        from unified_shell.core.distributions.names import canonicalize_name
        from unified_shell.core.machine.clock import end_of_day
        from unified_shell.core.resolution.target import Rules

        return Rules(
            built=frozenset(map(canonicalize_name, self.built)),
            from_source=frozenset(map(canonicalize_name, self.from_source)),
            as_of=end_of_day(self.as_of) if self.as_of else "",
            lowest=self.lowest,
        )


def request_options(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command those options; it is called with one `words` for them."""

    @functools.wraps(command)
    def with_words(*args: object, **rest: object) -> None:
        told = {name: rest.pop(name) for name in RequestOptions.__struct_fields__}
        command(*args, words=RequestOptions(**told), **rest)  # type: ignore[arg-type]

    for option in reversed(_OPTIONS):
        with_words = option(with_words)
    return with_words


_OPTIONS = (
    click.option(
        "--file",
        "files",
        multiple=True,
        metavar="FILE",
        help="Install what FILE requires: a list, pyproject.toml or script.",
    ),
    click.option(
        "--extra", "extras", multiple=True, metavar="NAME", help="With --file pyproject.toml: also this extra."
    ),
    click.option(
        "--group", "groups", multiple=True, metavar="NAME", help="With --file pyproject.toml: only this group."
    ),
    click.option("--as-of", "as_of", default="", metavar="DATE", help="Ignore versions published after DATE."),
    click.option("--lowest", is_flag=True, help="Choose the oldest compatible versions."),
    click.option(
        "--bounds", "bounds", default="", metavar="FILE", help="Limits on versions; remembered by the environment."
    ),
    click.option(
        "--replace",
        "overriding",
        default="",
        metavar="FILE",
        help="Replaces what packages require; remembered by the environment.",
    ),
    click.option("--allow-build", "built", multiple=True, metavar="NAME", help="Build NAME if no wheel fits."),
    click.option(
        "--from-source", "from_source", multiple=True, metavar="NAME", help="Build NAME even if a wheel fits."
    ),
    click.option(
        "--overlap",
        "overlap",
        multiple=True,
        metavar="NAME",
        help="Where NAME and another package provide different files for one place, use NAME's; remembered.",
    ),
)
