"""What is solved for, and by which rules."""

from collections.abc import Mapping

from msgspec import Struct, field
from packaging.requirements import Requirement
from packaging.tags import Tag

from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.distributions.names import NormalizedName

from .questions import Candidate

__all__ = ["Present", "Rules", "Target"]


class Rules(Struct, frozen=True, kw_only=True):
    """What holds beside the requests.

    `constraints` bound the versions of what comes in anyhow and ask for nothing; `overrides` stand in place of what
    anybody requires of their projects. `built` are projects of which a source distribution may be built here, where no
    wheel fits; of those in `from_source` no wheel is taken. Nothing that was uploaded after `as_of` counts (a date and
    time in ISO 8601, UTC; empty: all does); with `lowest`, the oldest versions that fit are wanted.
    """

    constraints: tuple[Requirement, ...] = ()
    overrides: tuple[Requirement, ...] = ()
    built: frozenset[NormalizedName] = frozenset()
    from_source: frozenset[NormalizedName] = frozenset()
    as_of: str = ""
    lowest: bool = False

    def may_build(self, project: NormalizedName) -> bool:
        """Tell whether a source distribution of a project may be built."""
        return project in self.built or project in self.from_source


class Target(Struct, frozen=True, kw_only=True):
    """What is solved for: marker values, fitting tags (best first), and the Python version as text."""

    markers: Mapping[str, str]
    tags: tuple[Tag, ...]
    python: str
    rules: Rules = field(default_factory=Rules)


class Present(Struct, frozen=True, kw_only=True):
    """A distribution that the environment has, with its metadata: asked of no index."""

    candidate: Candidate
    metadata: Metadata
