"""What the verbs of `ush outfit` work with."""

from typing import TYPE_CHECKING

from unified_shell.cli.context import Context

if TYPE_CHECKING:
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

    from unified_shell.core.outfits.opening_packs import open_pack
    from unified_shell.core.outfits.outfit_files import read_outfit

    context.offline = True
    opened = open_pack(pack, context.host, context.locations)
    place, outfit = read_outfit(opened.outfit, context.host)
    found = equipping_of(context, place, outfit, accepted, alone=True)
    return replace(found, pack=opened.interpreter or opened.folder)


def equipping_of(
    context: Context, place: "Place", outfit: "Outfit", accepted: tuple[str, ...] = (), *, alone: bool = False
) -> "Equipping":
    """Return an outfit, whose file is or will be at a place, with this machine: its indexes and catalogs are asked first."""
    from unified_shell.core.catalogs.address_book import AddressBook, NamedAddress
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS
    from unified_shell.core.indexes.client import IndexClient
    from unified_shell.core.indexes.registered import INDEXES
    from unified_shell.core.outfits.equipping import Equipping, address_of
    from unified_shell.core.transfers.addresses import address_of_folder, is_web_address

    locations = context.locations_for(outfit.scope)
    folder = place.rpartition("/")[0]

    def named(pairs: tuple[tuple[str, str], ...]) -> list[NamedAddress]:
        found = [(name, address_of(url, folder)) for name, url in pairs]
        return [
            NamedAddress(name=name, address=url if is_web_address(url) else address_of_folder(url))
            for name, url in found
        ]

    def others(book: "AddressBook") -> "tuple[NamedAddress, ...]":
        return () if alone else book.read_all(context.host, locations)

    indexes = {one.name: one for one in (*named(outfit.indexes), *others(INDEXES))}
    catalogs = {one.name: one for one in (*named(outfit.catalogs), *others(CATALOGS))}
    return Equipping(
        outfit=outfit,
        place=place,
        host=context.host,
        locations=locations,
        client=IndexClient(tuple(indexes.values()), context.fetcher, locations.cache),
        fetcher=context.fetcher,
        find=lambda fits: find_described(list(catalogs.values()), context.fetcher, fits),
        accepted=accepted,
        progress=context.tell_progress,
    )
