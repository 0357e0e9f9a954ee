"""Interpreters by Windows' registry, as PEP 514 has it: read for discovery, written for those that were adopted."""

import ntpath
import os

from msgspec import Struct

from unified_shell.core.changes.registry_records import value_of_record
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, to_json_text
from unified_shell.core.machine.registry.registry import registry_of, registry_place
from unified_shell.core.machine.registry.registry_values import Registry, RegistryValue

from .facts import InterpreterFacts

__all__ = ["Registered", "forgetting_steps", "registered_interpreters", "registration_steps"]

# In the order of PEP 514: the user's, the machine's, the machine's of 32-bit programs.
ROOTS = (
    r"HKEY_CURRENT_USER\Software\Python",
    r"HKEY_LOCAL_MACHINE\Software\Python",
    r"HKEY_LOCAL_MACHINE\Software\Wow6432Node\Python",
)
OWN_COMPANY = "UnifiedShell"
# Not a company: reserved for the launcher of Windows.
RESERVED = "PyLauncher"


class Registered(Struct, frozen=True, kw_only=True):
    """One registration: company and tag name it; `version` and `architecture` are as they are told there."""

    company: str
    tag: str
    title: str
    executable: Place
    version: str
    architecture: str


def registered_interpreters(host: Host) -> tuple[Registered, ...]:
    """Return all registrations; of the same company and tag the first root's. None without a registry."""
    registry = registry_of(host)
    if registry is None:
        return ()
    found: dict[tuple[str, str], Registered] = {}
    for root in ROOTS:
        for company in registry.keys(root):
            if company.lower() == RESERVED.lower():
                continue
            for tag in registry.keys(f"{root}\\{company}"):
                one = _registered(registry, root, company, tag)
                if one is not None:
                    found.setdefault((company.lower(), tag.lower()), one)
    return tuple(found.values())


def registration_steps(name: str, facts: InterpreterFacts, host: Host) -> tuple[PutRecord, ...]:
    """Return the steps that register an interpreter for the user under its name; none without a registry."""
    registry = registry_of(host)
    if registry is None:
        return ()
    key = f"{ROOTS[0]}\\{OWN_COMPANY}\\{name}"
    values = {
        (key, "DisplayName"): f"{facts.title} ({facts.word_size_bits} bit)",
        (key, "Version"): facts.full_version,
        (key, "SysVersion"): facts.short_version,
        (key, "SysArchitecture"): f"{facts.word_size_bits}bit",
        (f"{key}\\InstallPath", ""): str(facts.prefix),
        (f"{key}\\InstallPath", "ExecutablePath"): str(facts.executable),
    }
    return tuple(
        PutRecord(
            path=registry_place(registry, where),
            keys=(value_name,),
            before="",
            after=to_json_text(value_of_record(RegistryValue(text=text))),
            derived=True,
        )
        for (where, value_name), text in values.items()
    )


def forgetting_steps(name: str, host: Host) -> tuple[DropRecord, ...]:
    """Return the steps that take an interpreter's registration away."""
    registry = registry_of(host)
    if registry is None:
        return ()
    key = f"{ROOTS[0]}\\{OWN_COMPANY}\\{name}"
    found = []
    for where in (f"{key}\\InstallPath", key):
        for value_name in registry.names(where):
            value = registry.read(where, value_name)
            if value is not None:
                before = to_json_text(value_of_record(value))
                place = registry_place(registry, where)
                found.append(DropRecord(path=place, keys=(value_name,), before=before, derived=True))
    return tuple(found)


def _registered(registry: Registry, root: str, company: str, tag: str) -> Registered | None:
    key = f"{root}\\{company}\\{tag}"
    told = registry.read(f"{key}\\InstallPath", "ExecutablePath")
    folder = registry.read(f"{key}\\InstallPath", "")
    if told is None and folder is None:
        return None
    executable = told.text if told is not None else ntpath.join(folder.text if folder else "", "python.exe")
    return Registered(
        company=company,
        tag=tag,
        title=_text(registry, key, "DisplayName") or f"Python {tag}",
        executable=Place(os.path.normpath(executable)),
        version=_text(registry, key, "Version") or _text(registry, key, "SysVersion"),
        architecture=_text(registry, key, "SysArchitecture"),
    )


def _text(registry: Registry, key: str, name: str) -> str:
    found = registry.read(key, name)
    return "" if found is None else found.text
