"""Every value that crosses rooms goes through bytes and back; no finding of this may be left out."""

import importlib
import pkgutil
import types
import typing
from enum import Enum

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

import unified_shell.core
from support.kill_driver import NEVER_IMPORTED
from unified_shell.core.machine.places import (
    from_json_text,
    from_record_text,
    in_home,
    shown,
    to_json_text,
    to_record_text,
    typed,
)

# Not values but workers, or values that hold functions or third parties' objects: none of them crosses rooms.
WORKERS = {
    # What a page of an index is decoded into, at the border.
    "Meta",
    "Row",
    "Rows",
    "ProjectRow",
    "FirstPage",
    "PackageChecks",
    "Change",
    "Prepared",
    "Getting",
    "Workshop",
    "AddressBook",
    "OwnWiring",
    "Recipe",
    "TraceJob",
    "HookUp",
    "Ran",
    "Reply",
    "Typed",
    "Executor",
    "Installer",
    "WheelName",
    "Target",
    "Requirements",
    "Demand",
    "Solution",
    "Fact",
    "Found",
    "Incompatibility",
    "Space",
    "Assignment",
    "PartialSolution",
    "Present",
    "BuildRecipe",
    "Rules",
    "PackageRequest",
    "Source",
    "LockRequest",
    "PackageChange",
    "MetadataReader",
    "SourceBuilder",
    "AskedPython",
    "OwnLine",
    "KnownParts",
    "Renewal",
    "Renewer",
    "Requests",
    "Check",
    "NewSession",
    "NewSessions",
    "Surroundings",
    "ImportSite",
    "Loaded",
    "Setting",
    "SuiteGetting",
    "SampleSource",
    "SuiteMaking",
    "CapturePlan",
    "Equipping",
    "ComingInterpreter",
    "LockTarget",
    "PlannedSuites",
    "EnvironmentLock",
    "SuiteWiring",
}


def _values() -> list[type]:
    found = []
    for module in pkgutil.walk_packages(unified_shell.core.__path__, "unified_shell.core."):
        if module.name.rpartition(".")[2] in NEVER_IMPORTED:
            continue
        for one in vars(importlib.import_module(module.name)).values():
            if isinstance(one, type) and issubclass(one, msgspec.Struct) and one.__module__ == module.name:
                found.append(one)
    # What is private to a module crosses nothing.
    return [one for one in found if one.__name__ not in WORKERS and not one.__name__.startswith("_")]


def _example(kind: object) -> object:
    """Make a value of a type, with text that is not UTF-8 wherever there is text."""
    origin, parts = typing.get_origin(kind), typing.get_args(kind)
    if kind is str or getattr(kind, "__supertype__", None) is str:
        return "/caf\udce9 'x'\n"
    if kind in (int, float, bool):
        return {int: 3, float: 2.5, bool: True}[kind]
    if isinstance(kind, type) and issubclass(kind, Enum):
        return list(kind)[-1]
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        hints = typing.get_type_hints(kind)
        # A value that holds others of its own kind holds none of them here.
        own = {name: () for name in kind.__struct_fields__ if kind in typing.get_args(hints[name])}
        return kind(**{name: own[name] if name in own else _example(hints[name]) for name in kind.__struct_fields__})
    if origin is tuple:
        return (_example(parts[0]),) * 2 if parts[-1] is Ellipsis else tuple(_example(part) for part in parts)
    if origin is frozenset:
        return frozenset({_example(parts[0])})
    if origin is dict:
        return {_example(parts[0]): _example(parts[1])}
    if origin in (types.UnionType, typing.Union):
        return _example(parts[0])
    raise AssertionError(f"{kind} cannot cross rooms")


@pytest.mark.parametrize("kind", _values(), ids=lambda kind: f"{kind.__module__.split('.')[2]}-{kind.__name__}")
def test_a_value_goes_through_bytes_and_back(kind: type[msgspec.Struct]) -> None:
    value = _example(kind)
    with pytest.raises(AttributeError):
        setattr(value, kind.__struct_fields__[0], None)
    text = to_json_text(msgspec.to_builtins(value))
    text.encode("ascii")
    assert msgspec.convert(from_json_text(text), kind) == value


@given(st.binary(min_size=1, max_size=40))
def test_places_survive_names_that_are_not_utf8(raw: bytes) -> None:
    place = raw.decode("utf-8", "surrogateescape")
    assert from_record_text(to_record_text(place)) == place
    to_record_text(place).encode("utf-8")
    assert from_json_text(to_json_text(place)) == place
    assert shown(place).isprintable()


def test_places_are_shown_and_typed_from_the_home() -> None:
    home = "/home/bea"
    assert shown("/home/bea", home) == "~"
    assert shown("/home/bea/x", home) == "~/x"
    assert shown("/home/beatrix", home) == "/home/beatrix"
    assert typed("/home/bea/my tools", home) == "~/'my tools'"
    assert typed("/it's", home) == "'/it'\\''s'"
    assert in_home("/home/beatrix", home) is None
    assert in_home("/x", "/") is None, "a home that is the root shortens nothing"
