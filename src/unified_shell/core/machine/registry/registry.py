"""Which registry there is, and how a journaled step names a value in it."""

from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.places import Place

from .registry_file import RegistryFile
from .registry_values import Registry

__all__ = ["MARK", "registry_at", "registry_of", "registry_place"]

MARK = "registry:"


def registry_of(host: Host) -> Registry | None:
    """Return the host's registry; on systems without one, the file that USH_REGISTRY names, or None."""
    if host.system is System.WINDOWS:
        return _windows()
    stand_in = host.variable("USH_REGISTRY")
    return RegistryFile(stand_in) if stand_in else None


def registry_place(registry: Registry, key: str) -> Place:
    """Return the place that stands for a key in a step: `registry:FILE!KEY`, without FILE for Windows' own."""
    file = registry.path if isinstance(registry, RegistryFile) else ""
    return Place(f"{MARK}{file}!{key}")


def registry_at(place: str) -> tuple[Registry, str]:
    """Return the registry and key that a place stands for; raises OSError where Windows' own is not here."""
    file, _, key = place.removeprefix(MARK).rpartition("!")
    return (RegistryFile(file) if file else _windows()), key


def _windows() -> Registry:
    import ctypes
    import importlib

    try:
        winreg = importlib.import_module("winreg")
        user32 = getattr(ctypes, "windll").user32  # noqa: B009 - other systems' ctypes has none
    except (ImportError, AttributeError) as error:
        raise OSError("there is no registry on this system") from error
    from .registry_windows import WindowsRegistry, announce_to_programs

    return WindowsRegistry(winreg, lambda: announce_to_programs(user32.SendMessageTimeoutW))
