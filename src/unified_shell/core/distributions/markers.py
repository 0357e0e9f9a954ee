"""Whether a requirement is meant for an interpreter: its marker, by the standard on dependency specifiers (PEP 508)."""

from collections.abc import Iterable, Mapping

from packaging.requirements import Requirement

__all__ = ["applies"]


def applies(requirement: Requirement, markers: Mapping[str, str], extras: Iterable[str] = ()) -> bool:
    """Tell whether a requirement holds for an interpreter's marker values, alone or with one of these extras."""
    marker = requirement.marker
    if marker is None:
        return True
    return any(marker.evaluate({**markers, "extra": extra}) for extra in ("", *extras))
