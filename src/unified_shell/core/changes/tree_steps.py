"""Steps on whole trees and on the links that make one of them visible. All are one rename each."""

import contextlib
import os

from msgspec import Struct

from unified_shell.core.machine.files.durable import sync_directory
from unified_shell.core.machine.files.tree_links import is_between, lead_to, leads_to
from unified_shell.core.machine.places import Place

from .step_state import StepState

__all__ = ["FlipLink", "PlaceTree", "RetireTree"]

KINDS = ("environment", "command")
EDITIONS = "editions"


class PlaceTree(Struct, frozen=True, kw_only=True):
    """Move a prepared tree to where it will be used; a link to `instead` that stands there gives way to it."""

    staged: Place
    target: Place
    instead: str = ""

    @property
    def object_name(self) -> str:
        """The tree's place."""
        return f"tree {self.target}"

    def state(self) -> StepState:
        """Look whether the tree is in staging or in its place."""
        return _where(self.staged, self.target, link=self.target, expected=self.instead)

    def carry_out(self) -> None:
        """Rename the tree into its place."""
        if self.instead and leads_to(self.target) == self.instead:
            os.unlink(self.target)
        _move(self.staged, self.target)

    def inverse(self, retire_to: Place) -> "RetireTree":
        """Return the step that takes the tree out of sight; one that gave way to a link goes back whence it came."""
        retired = self.staged if self.instead else retire_to
        return RetireTree(target=self.target, retired=retired, instead=self.instead)


class RetireTree(Struct, frozen=True, kw_only=True):
    """Move a tree out of sight, where undo finds it; a link to `instead`, if any, then stands in its place.

    `retired` is on the tree's own file system.
    """

    target: Place
    retired: Place
    instead: str = ""

    @property
    def object_name(self) -> str:
        """The tree's place."""
        return f"tree {self.target}"

    def state(self) -> StepState:
        """Look whether the tree is in its place or out of sight."""
        state = _where(self.target, self.retired, link=self.target, expected=self.instead)
        if state is StepState.AFTER and self.instead and not os.path.islink(self.target):
            # It was interrupted between the two: the link is still to be made.
            return StepState.BEFORE
        return state

    def carry_out(self) -> None:
        """Rename the tree out of sight."""
        if not os.path.lexists(self.retired):
            _move(self.target, self.retired)
            above = os.path.dirname(self.target)
            if os.path.basename(os.path.dirname(above)) == EDITIONS:
                # The folder of an environment whose only edition this was.
                with contextlib.suppress(OSError):
                    os.rmdir(above)
        if self.instead:
            os.symlink(self.instead, self.target)
            sync_directory(os.path.dirname(self.target))

    def inverse(self, retire_to: Place) -> PlaceTree:  # noqa: ARG002 - the tree comes back, nothing retires
        """Return the step that brings the tree back."""
        return PlaceTree(staged=self.retired, target=self.target, instead=self.instead)


class FlipLink(Struct, frozen=True, kw_only=True):
    """Let a link name another tree; an empty text stands for no link at all."""

    link: Place
    before: str
    after: str

    @property
    def object_name(self) -> str:
        """The link itself: by the kind and name that people know for one of ours, else by its place."""
        kind = os.path.basename(os.path.dirname(self.link)).removesuffix("s")
        return f"{kind} {os.path.basename(self.link)}" if kind in KINDS else f"link {self.link}"

    def state(self) -> StepState:
        """Look where the link leads."""
        there = leads_to(self.link)
        if there == self.after:
            return StepState.AFTER
        is_before = there == self.before or is_between(self.link, self.before, self.after)
        return StepState.BEFORE if is_before else StepState.OTHER

    def carry_out(self) -> None:
        """Put a new link in the place of the old one, or remove it."""
        lead_to(self.link, self.after)

    def inverse(self, retire_to: Place) -> "FlipLink":  # noqa: ARG002 - a link retires nothing
        """Return the step that lets the link lead where it led."""
        return FlipLink(link=self.link, before=self.after, after=self.before)


def _where(source: str, target: str, *, link: str, expected: str) -> StepState:
    """Look at which of two places a tree is; a link at one of them to where it is expected to lead counts as nothing."""
    at_source, at_target = (
        os.path.lexists(one) and not (expected and one == link and leads_to(one) == expected)
        for one in (source, target)
    )
    if at_source == at_target:
        return StepState.OTHER
    return StepState.BEFORE if at_source else StepState.AFTER


def _move(source: str, target: str) -> None:
    os.makedirs(os.path.dirname(target), exist_ok=True)
    os.rename(source, target)
    sync_directory(os.path.dirname(target))
