"""What the verbs of `ush outfit` work with."""

from typing import TYPE_CHECKING

from unified_shell.cli.context import Context

if TYPE_CHECKING:
    from unified_shell.core.catalogs.address_book import AddressBook, NamedAddress
    from unified_shell.core.machine.places import Place
    from unified_shell.core.outfits.equipping import Equipping
    from unified_shell.core.outfits.outfit import Outfit

__all__ = ["equipping_of", "read_equipping", "read_pack"]


def read_equipping(context: Context, file: str, accepted: tuple[str, ...]) -> "Equipping":
    """Return the outfit in a file with this machine."""
    from unified_shell.core.outfits.outfit_files import read_outfit

    place, outfit = read_outfit(file, context.host)
    return equipping_of(context, place, outfit, accepted)


def read_pack(context: Context, pack: str, accepted: tuple[str, ...]) -> "Equipping":
    """Return the outfit in a pack with this machine; nothing is fetched from a server."""
    from msgspec.structs import replace

    from unified_shell.core.outfits.outfit_files import read_outfit
    from unified_shell.core.outfits.packs.opening_packs import open_pack

    context.offline = True
    opened = open_pack(pack, context.host, context.locations)
    place, outfit = read_outfit(opened.outfit, context.host)
    found = equipping_of(context, place, outfit, accepted, alone=True)
    return replace(found, pack=opened.interpreter or opened.folder)


def equipping_of(
    context: Context, place: "Place", outfit: "Outfit", accepted: tuple[str, ...] = (), *, alone: bool = False
) -> "Equipping":
    """Return an outfit, whose file is or will be at a place, with this machine: its indexes and catalogs are asked first."""
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS
    from unified_shell.core.indexes.client import IndexClient
    from unified_shell.core.indexes.registered import INDEXES
    from unified_shell.core.outfits.equipping import Equipping, named_at

    locations = context.locations_for(outfit.scope)
    folder = place.rpartition("/")[0]

    def addresses(pairs: tuple[tuple[str, str], ...], book: "AddressBook") -> "tuple[NamedAddress, ...]":
        # One of the same name on this machine does not stand in for the outfit's.
        named = {name: named_at(name, url, folder) for name, url in pairs}
        others = () if alone else book.read_all(context.host, locations)
        return (*named.values(), *(one for one in others if one.name not in named))

    indexes, catalogs = addresses(outfit.indexes, INDEXES), addresses(outfit.catalogs, CATALOGS)
    return Equipping(
        outfit=outfit,
        place=place,
        host=context.host,
        locations=locations,
        client=IndexClient(indexes, context.fetcher, locations.cache),
        fetcher=context.fetcher,
        find=lambda fits: find_described(catalogs, context.fetcher, fits),
        accepted=accepted,
        progress=context.tell_progress,
    )
