"""What catalogs offer, beside what is here: newest, here or offered; chosen by language, category or a word."""

from collections.abc import Iterable, Sequence
from enum import Enum

from msgspec import Struct
from packaging.version import InvalidVersion, Version

from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.reading import Listed
from unified_shell.core.interpreters.managed import ManagedInterpreter

__all__ = ["Offer", "OfferFilter", "OfferState", "offers_of"]


class OfferState(Enum):
    """What an offer is to this machine."""

    HERE = "here"
    NEWEST = "newest"
    OFFERED = "offered"


class Offer(Struct, frozen=True, kw_only=True):
    """One description of a catalog, and what it is to this machine; `fits` where a form of it is for this one."""

    catalog: str
    description: Description
    state: OfferState
    fits: bool


class OfferFilter(Struct, frozen=True, kw_only=True):
    """What is looked for: a language, a category, a word of name or summary; empty fields are for all."""

    language: str = ""
    category: str = ""
    word: str = ""

    def meets(self, one: Description) -> bool:
        """Tell whether a description is what is looked for."""
        word = self.word.lower()
        return (
            self.language.lower() in ("", one.language.lower())
            and (not self.category or self.category.lower() in [each.lower() for each in one.categories])
            and (word in one.name.lower() or word in one.summary.lower())
        )


def offers_of(
    listed: Iterable[Listed], kept: Sequence[ManagedInterpreter], request: OfferFilter, platform: str
) -> tuple[Offer, ...]:
    """Return what is looked for of what catalogs list, by name, the newest version first."""
    found = [one for one in listed if request.meets(one.description)]
    newest: dict[str, Version] = {}
    for one in found:
        name = one.description.name
        newest[name] = max(newest.get(name, Version("0")), _version(one.description.version))
    here = {(one.language.lower(), one.version) for one in kept}
    offers = []
    for one in found:
        described = one.description
        state = OfferState.OFFERED
        if (described.language.lower(), described.version) in here:
            state = OfferState.HERE
        elif _version(described.version) == newest[described.name]:
            state = OfferState.NEWEST
        fits = bool(described.forms_for(platform))
        offers.append(Offer(catalog=one.catalog, description=described, state=state, fits=fits))
    by_version = sorted(offers, key=lambda one: _version(one.description.version), reverse=True)
    return tuple(sorted(by_version, key=lambda one: one.description.name))


def _version(text: str) -> Version:
    try:
        return Version(text)
    except InvalidVersion:
        return Version("0")
