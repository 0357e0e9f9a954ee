"""The states that a node of the problem can be in, as bits of one number.

Bit 0 stands for "not chosen at all", the others for the versions of a project, oldest first: every version that
an index lists, those that are no candidates here too. A set of states is a number, and set algebra is integer
arithmetic: no difference is made between terms that want something and terms that exclude it.
"""

from bisect import bisect_left

from msgspec import Struct, field
from packaging.specifiers import Specifier, SpecifierSet
from packaging.version import Version

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.versions import read_version

from .questions import Candidate, Listing

__all__ = ["ABSENT", "FLAG", "PRESENT", "Node", "Space", "make_space"]

# A project, or one extra of it; the extra is a flag of its own, which has no version.
Node = tuple[NormalizedName, str]
ABSENT = 0b1
PRESENT = 0b10
FLAG = ABSENT | PRESENT
# Along the order of versions these turn once: from not met to met, or the other way.
RISES = {">=": True, ">": True, "<=": False, "<": False}


class Space(Struct):
    """All versions of one project. `admitted` are the bits of those that may be chosen."""

    project: NormalizedName
    listing: Listing
    versions: tuple[Version, ...] = ()
    candidates: dict[int, Candidate] = field(default_factory=dict)
    admitted: int = 0
    present: int = 0
    masks: dict[str, int] = field(default_factory=dict)

    @property
    def full(self) -> int:
        """All states."""
        return (1 << (len(self.versions) + 1)) - 1

    def mask(self, specifiers: SpecifierSet) -> int:
        """Return the bits of the versions that meet all of these; pre-releases are judged apart."""
        bits = self.full & ~ABSENT
        for one in specifiers:
            bits &= self._bits(one)
        return bits

    def _bits(self, specifier: Specifier) -> int:
        text = str(specifier)
        if text not in self.masks:
            rises = RISES.get(specifier.operator)
            self.masks[text] = self._each(specifier) if rises is None else self._side(specifier, rises=rises)
        return self.masks[text]

    def _each(self, specifier: Specifier) -> int:
        numbered = enumerate(self.versions, 1)
        return sum(1 << number for number, one in numbered if specifier.contains(one, prereleases=True))

    def _side(self, specifier: Specifier, *, rises: bool) -> int:
        """Return the bits of one that holds from some version on, or up to one: few of them need to be looked at."""
        first = bisect_left(self.versions, 1, key=lambda one: int(specifier.contains(one, prereleases=True) == rises))
        below = (1 << (first + 1)) - 1
        return self.full & ~below if rises else below & ~ABSENT

    def of_bit(self, bit: int) -> Candidate:
        """Return the candidate of one bit."""
        return self.candidates[bit]

    def best(self, allowed: int, *, lowest: bool = False) -> int:
        """Return the bit to try first among the admitted that are allowed: what is there already, else the newest,
        or with `lowest` the oldest.
        """
        usable = allowed & self.admitted
        if self.present & usable:
            return self.present & usable
        if lowest:
            return usable & -usable
        return 1 << (usable.bit_length() - 1) if usable else 0


def make_space(project: NormalizedName, listing: Listing, *, pre_releases: bool, pinned: bool) -> Space:
    """Return the space of a project.

    Pre-releases are admitted where somebody names one, where there is nothing else, or where one is there; yanked
    files where somebody pins a version (PEP 592), or where it is there.
    """
    every: list[tuple[Version, Candidate | None]] = [
        (read_version(one.version), one) for one in reversed(listing.candidates)
    ]
    only_pre = all(version.is_prerelease for version, _ in every)
    if listing.passed_over:
        known = {version for version, _ in every}
        passed = {read_version(text) for text, _ in listing.passed_over} - known
        every = sorted([*every, *((version, None) for version in passed)], key=lambda one: one[0])
    space = Space(project=project, listing=listing, versions=tuple(version for version, _ in every))
    for number, (version, candidate) in enumerate(every, 1):
        if candidate is None:
            continue
        bit = 1 << number
        space.candidates[bit] = candidate
        if candidate.present:
            space.present |= bit
        is_final = pre_releases or only_pre or candidate.present or not version.is_prerelease
        if is_final and (pinned or candidate.present or not candidate.file.yanked):
            space.admitted |= bit
    return space
