"""Which distributions bring a module or a command, from what is known here already: nothing is asked of an index.

A project is often called otherwise than what it brings; to get one by the module's name, from an index where anybody may
take a name, would be to run a stranger's code.
"""

import os
from collections.abc import Iterator

import msgspec

from unified_shell.core.distributions.wheel_preview import Brought, MemberFacts, brought_by
from unified_shell.core.distributions.wheels import read_stored
from unified_shell.core.environments.model.registry import all_environments
from unified_shell.core.environments.packages.wheel_previews import seen_ahead
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.digests import parse_sha256
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.store.contents import Content, Store
from unified_shell.core.verification.packages.installed_metadata import read_installed

from .providers import Provider, ProviderPlace

__all__ = ["providers_of"]


def providers_of(name: str, host: Host, locations: Locations, *, command: bool = False) -> tuple[Provider, ...]:
    """Return the projects that bring a module (its first part counts), or with `command` a command; each once."""
    wanted = name if command else name.partition(".")[0]
    found: dict[str, Provider] = {}
    for provider, names in _all(host, locations, command=command):
        if wanted in names:
            found.setdefault(provider.project, provider)
    return tuple(found.values())


def _all(host: Host, locations: Locations, *, command: bool) -> Iterator[tuple[Provider, tuple[str, ...]]]:
    for environment in all_environments(host, locations):
        for project, one in read_installed(environment).items():
            provider = Provider(project=project, place=ProviderPlace.ENVIRONMENT, environment=environment.name)
            yield provider, one.command_names if command else one.imports
    store = Store(locations.data)
    for sha256 in filter(None, map(parse_sha256, os.listdir(store.top) if os.path.isdir(store.top) else ())):
        content = store.read(sha256)
        brought = _brought(content) if content is not None else None
        if brought is not None:
            provider = Provider(project=brought.project, place=ProviderPlace.STORE)
            yield provider, brought.commands if command else brought.imports
    for names in seen_ahead(locations):
        provider = Provider(project=names.project, place=ProviderPlace.INDEX)
        yield provider, names.commands if command else names.imports


def _brought(content: Content) -> Brought | None:
    files = [MemberFacts(name=one.name, size_bytes=one.size_bytes) for one in content.files]
    info = next(
        (one.split("/")[0] for one in (each.name for each in files) if one.split("/")[0].endswith(".dist-info")), ""
    )
    try:
        project = info.removesuffix(".dist-info").split("-")[0]
        return brought_by(project, info, files, lambda name: read_stored(content, name))
    except (UshError, OSError, msgspec.MsgspecError):
        return None
