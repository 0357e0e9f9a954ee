"""Steps on named entries, of the TOML files that `ush` keeps or of a registry; undone by identity."""

from msgspec import Struct

from unified_shell.core.machine.files.durable import FileMode, drop_file, read_file, replace_file
from unified_shell.core.machine.places import Place, from_json_text, to_json_text

from .records import parse_records, record_in, text_with_record
from .registry_records import is_in_registry, registry_record, set_registry_record
from .step_state import StepState

__all__ = ["DropRecord", "PutRecord"]


class PutRecord(Struct, frozen=True, kw_only=True):
    """Set an entry; `before` and `after` are its value as JSON text, `before` empty where it is new.

    `derived` ones follow from others that are undone by identity. Where somebody changed one since, undo makes
    it anew; else it gets its earlier value. `ahead_of` is the entry that a new one stands ahead of, if that is there.
    """

    path: Place
    keys: tuple[str, ...]
    before: str
    after: str
    derived: bool = False
    ahead_of: str = ""

    @property
    def object_name(self) -> str:
        """The entry by its keys; nothing for a derived one."""
        return "" if self.derived else " ".join(self.keys)

    def state(self) -> StepState:
        """Compare the entry with what it was and with what it will be."""
        return _state(self.path, self.keys, self.before, self.after)

    def carry_out(self) -> None:
        """Write the file with the entry set; the rest of it stays as it is."""
        _set(self.path, self.keys, from_json_text(self.after), ahead_of=self.ahead_of)

    def inverse(self, retire_to: Place) -> "RecordStep":  # noqa: ARG002 - the value is in the step
        """Return the step that brings the earlier value back, or takes the entry out."""
        if not self.before:
            return DropRecord(
                path=self.path, keys=self.keys, before=self.after, derived=self.derived, behind=self.ahead_of
            )
        return PutRecord(path=self.path, keys=self.keys, before=self.after, after=self.before, derived=self.derived)


class DropRecord(Struct, frozen=True, kw_only=True):
    """Take an entry out; `before` is its value as JSON text, `behind` the entry behind it, where their order matters."""

    path: Place
    keys: tuple[str, ...]
    before: str
    derived: bool = False
    behind: str = ""

    @property
    def object_name(self) -> str:
        """The entry by its keys; nothing for a derived one."""
        return "" if self.derived else " ".join(self.keys)

    def state(self) -> StepState:
        """Look whether the entry is still there."""
        return _state(self.path, self.keys, self.before, "")

    def carry_out(self) -> None:
        """Write the file without the entry; a file left empty goes."""
        _set(self.path, self.keys, None)

    def inverse(self, retire_to: Place) -> PutRecord:  # noqa: ARG002 - the value is in the step
        """Return the step that sets the entry again."""
        return PutRecord(
            path=self.path,
            keys=self.keys,
            before="",
            after=self.before,
            derived=self.derived,
            ahead_of=self.behind,
        )


RecordStep = PutRecord | DropRecord


def _state(path: str, keys: tuple[str, ...], before: str, after: str) -> StepState:
    value = _value(path, keys)
    there = "" if value is None else to_json_text(value)
    if there == after:
        return StepState.AFTER
    return StepState.BEFORE if there == before else StepState.OTHER


def _value(path: str, keys: tuple[str, ...]) -> object | None:
    if is_in_registry(path):
        return registry_record(path, keys[-1])
    found = read_file(path)
    return None if found is None else record_in(parse_records(found[0], path), keys)


def _set(path: str, keys: tuple[str, ...], value: object | None, *, ahead_of: str = "") -> None:
    if is_in_registry(path):
        set_registry_record(path, keys[-1], value)
        return
    found = read_file(path)
    content = text_with_record(None if found is None else found[0], keys, value, path, ahead_of=ahead_of)
    if content is None:
        if found is not None:
            drop_file(path)
        return
    mode = FileMode() if found is None else found[1]
    replace_file(path, content, mode, beside=f"{path}.new")
