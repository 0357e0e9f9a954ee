"""Fixtures shared by all tests."""

import os
import shutil
import signal
import sys
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import hypothesis
import pytest

from support.account import Account
from support.wine import PROGRAM, Wine
from unified_shell.demo.study import make_study_index

# No test is judged by how long it takes.
hypothesis.settings.register_profile(
    "untimed", hypothesis.settings.get_profile(hypothesis.settings.get_current_profile_name()), deadline=None
)
hypothesis.settings.load_profile("untimed")
# Which tests go to one process, by the file they stand in: they share what takes long to make.
TOGETHER = {
    "test_wine.py": "wine",
    "test_windows_environments.py": "wine",
    "test_house.py": "house",
    "test_completion.py": "completion",
}
# What takes longest, begun first: at the end it would run alone while the other cores are idle.
LONGEST = (
    "test_a_killed_command_leaves_the_state_before_or_after",
    "test_a_killed_command_does_so_where_no_links_can_be_made",
    "runTest",
    "test_every_example_of_help_is_typed_as_it_stands",
    "test_a_pack_for_a_machine_leaves_out_what_that_has_and_is_enough_there",
    "test_a_pack_equips_another_account_without_a_network",
    "test_what_a_page_says_to_type_works_as_it_stands[README]",
    "test_the_demo_plays_to_its_end_offline",
)
# A home with one of everything, and some sixty faults made in it: two processes make one each.
HALVES = ("test_faults.py",)

ANSWERS = ".cache/unified-shell/interpreters.json"
# Homes in memory are made, written through and removed twice as fast; there must be room for all that is in use at once.
MEMORY = Path("/dev/shm")
ROOM_BYTES = 6_000_000_000


def _keep_homes_in_memory() -> None:
    """Let pytest make its folders in memory where programs may be started there; it has no other word for it."""
    if not MEMORY.is_dir() or not os.access(MEMORY, os.W_OK):
        return
    facts = os.statvfs(MEMORY)
    if facts.f_bavail * facts.f_frsize > ROOM_BYTES and not facts.f_flag & os.ST_NOEXEC:
        os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(MEMORY))


@pytest.fixture(scope="session")
def known_interpreters(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """What the interpreters of this machine said of themselves, as an account keeps it: each would be asked in each test."""
    asking = Account(tmp_path_factory.mktemp("asking"))
    asking.ush("interpreter", "list", code=None)
    return (asking.home / ANSWERS).read_bytes()


@pytest.fixture
def account(tmp_path: Path, known_interpreters: bytes) -> Account:
    """An account without anything, but that it has met the interpreters of this machine."""
    made = Account(tmp_path / "home")
    made.write(ANSWERS, known_interpreters)
    return made


@pytest.fixture(scope="session")
def study(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of the apiary study's wheels."""
    folder = tmp_path_factory.mktemp("study")
    make_study_index(str(folder))
    return folder


@pytest.fixture(scope="session")
def wine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Wine]:
    """A prefix of wine for all tests that need one: it takes ten seconds to make, and 700 MB."""
    if not PROGRAM:
        pytest.skip("wine is not here")
    top = tmp_path_factory.mktemp("wine")
    yield Wine(top)
    shutil.rmtree(top, ignore_errors=True)


@pytest.fixture
def apiary(account: Account, study: Path) -> Account:
    """An account that takes packages from the apiary study, with an empty environment `hive`."""
    account.ush("index", "add", "apiary", study, "--yes")
    account.new_environment()
    return account


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_auto_num_workers() -> int:
    """Most of a test is waiting for a session of a shell to come up: two tests for each processor keep it busy."""
    return 2 * (os.cpu_count() or 1)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> Any:
    """Of tests that are spread over processes, those that share what takes long to make go to one."""
    if config.getoption("dist") != "load":
        return None
    from xdist.scheduler import LoadScopeScheduling  # type: ignore[import-untyped]  # it has no types

    class Together(LoadScopeScheduling):  # type: ignore[misc]
        def _split_scope(self, nodeid: str) -> str:
            file = nodeid.partition("::")[0].rpartition("/")[2]
            half = f"{file} {zlib.crc32(nodeid.encode()) % 2}" if file in HALVES else nodeid
            return TOGETHER.get(file, half)

    return Together(config, log)


@pytest.hookimpl(tryfirst=True)
def pytest_configure() -> None:
    """Let interrupts through: where the tests were started in the background, what they start would ignore them too.

    Rewritten assertions are kept, whatever the variables say: to rewrite them takes each process eight seconds.
    """
    sys.dont_write_bytecode = False
    _keep_homes_in_memory()
    if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:
        signal.signal(signal.SIGINT, signal.default_int_handler)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Begin with what takes longest; leave out what needs POSIX where there is none."""
    for item in items if "USH_TEST_WITHOUT_POSIX" in os.environ else ():
        if item.get_closest_marker("posix"):
            item.add_marker(pytest.mark.skip(reason="it needs what only POSIX has"))
    first = sorted((item for item in items if item.name in LONGEST), key=lambda item: LONGEST.index(item.name))
    # A process is given the next test with a long one, and begins it only after that: let it be a quick one.
    quick = [item for item in items if item.path.name == "test_values.py"][: len(first)]
    first = [item for pair in zip(first, quick, strict=False) for item in pair] or first
    items[:] = [*first, *(item for item in items if item not in first)]
