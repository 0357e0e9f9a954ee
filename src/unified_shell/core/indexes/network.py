"""What the configuration says of how servers are reached: `[network]` in config.toml."""

from collections.abc import Mapping

from unified_shell.core.changes.records import read_records
from unified_shell.core.errors import UsageError
from unified_shell.core.machine.locations import Locations
from unified_shell.core.transfers.connecting import NetworkSettings

__all__ = ["read_network"]

KNOWN = ("proxy", "no-proxy", "certificates")


def read_network(locations: Locations) -> NetworkSettings:
    """Return the settings; raises UsageError for what is none."""
    table = read_records(locations.config_file).get("network", {})
    if not isinstance(table, Mapping) or set(table) - set(KNOWN):
        unknown = ", ".join(sorted(set(table) - set(KNOWN))) if isinstance(table, Mapping) else "a value"
        raise UsageError(
            f"[network] in {locations.config_file} holds {unknown}",
            next_step=f"known: {', '.join(KNOWN)}",
        )
    direct = table.get("no-proxy", [])
    return NetworkSettings(
        proxy=str(table.get("proxy", "")),
        no_proxy=tuple(map(str, direct)) if isinstance(direct, list) else (),
        certificates=str(table.get("certificates", "")),
    )
