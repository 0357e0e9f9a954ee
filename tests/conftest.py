"""Fixtures shared by all tests."""

import shutil
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from support.account import Account

from unified_shell.demo.study import make_study_index

NEEDED_SHELLS = ("bash", "dash", "busybox", "fish", "ksh", "mksh", "zsh")


@pytest.fixture
def account(tmp_path: Path) -> Account:
    """An account without anything."""
    home = tmp_path / "home"
    home.mkdir()
    return Account(home)


@pytest.fixture(scope="session")
def study(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of the apiary study's wheels."""
    folder = tmp_path_factory.mktemp("study")
    make_study_index(str(folder))
    return folder


@pytest.fixture
def apiary(account: Account, study: Path) -> Account:
    """An account that takes packages from the apiary study, with an empty environment `hive`."""
    account.ush("index", "add", "apiary", study, "--yes")
    account.new_environment()
    return account


@pytest.fixture(params=NEEDED_SHELLS)
def posix_shell(request: pytest.FixtureRequest) -> Iterator[list[str]]:
    """Each shell that reads POSIX text, as the words that start it."""
    name = request.param
    if name == "fish":
        pytest.skip("not of the POSIX family")
    if shutil.which(name) is None:
        pytest.skip(f"shell {name} is missing")
    yield ["busybox", "sh"] if name == "busybox" else [name]


@pytest.fixture(scope="session")
def python() -> str:
    """The interpreter that runs the tests."""
    return sys.executable
