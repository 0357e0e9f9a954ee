"""Wheels that an environment has already and the store has lost, brought here again."""

from unified_shell.core.environments.builds.source_builds import built_before
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.trees.store_filling import FetchWheel
from unified_shell.core.errors import CouldNot
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush
from unified_shell.core.resolution.reading_metadata import fetch_file

__all__ = ["refetching"]


def refetching(client: IndexClient, locations: Locations) -> FetchWheel:
    """Return what fetches a wheel that an environment has already, should the store have lost it."""

    def fetch(one: Distribution) -> str:
        if (kept := built_before(one, locations)) is not None:
            return kept
        if one.address and not one.source:
            return fetch_file(
                IndexFile(name=one.wheel, address=one.address, sha256=one.sha256), client, locations.cache
            )
        found = client.find(one.name) if client.indexes else None
        file = next((file for file in (found.files if found else ()) if file.sha256 == one.sha256), None)
        if file is None:
            raise CouldNot(
                f"{one.wheel} must be downloaded again (its store entry was modified), and no index has it",
                next_step=ush("index", "list"),
            )
        return fetch_file(file, client, locations.cache)

    return fetch
