"""Named values of a registry as records: what a step on them reads and writes."""

from collections.abc import Mapping

from unified_shell.core.machine.registry.registry import MARK, registry_at
from unified_shell.core.machine.registry.registry_values import RegistryKind, RegistryValue

__all__ = ["is_in_registry", "registry_record", "set_registry_record", "value_of_record"]


def is_in_registry(place: str) -> bool:
    """Tell whether a record stands in a registry, not in a file of its own."""
    return place.startswith(MARK)


def registry_record(place: str, name: str) -> dict[str, str] | None:
    """Return a value as a record's, or None."""
    registry, key = registry_at(place)
    found = registry.read(key, name)
    return None if found is None else value_of_record(found)


def value_of_record(value: RegistryValue) -> dict[str, str]:
    """Return a registry's value as a record's."""
    return {"kind": value.kind.value, "text": value.text}


def set_registry_record(place: str, name: str, value: object | None) -> None:
    """Set a value, or take it away where `value` is None."""
    registry, key = registry_at(place)
    if not isinstance(value, Mapping):
        registry.remove(key, name)
    else:
        kept = RegistryValue(text=str(value["text"]), kind=RegistryKind(value["kind"]))
        registry.write(key, name, kept)
