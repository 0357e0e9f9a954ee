"""Against the real package index; off by default. By hand: USH_TEST_INDEX=ADDRESS pytest -m real_index"""

import os

import pytest

from support.account import Account


@pytest.mark.real_index
def test_scientific_packages_are_got_and_verified(account: Account) -> None:
    address = os.environ.get("USH_TEST_INDEX", "")
    assert address, "set USH_TEST_INDEX to the address of an index"
    account.ush("index", "add", "field", address, "--yes")
    account.new_environment("lab")
    account.ush("package", "get", "numpy", "pandas", "-e", "lab", "--yes")
    findings = account.ush("verify", "lab", "--json").json()["targets"][0]["findings"]
    assert {"import numpy", "import pandas"} <= {one["question"] for one in findings}
    assert all(one["verdict"] == "passed" for one in findings)
    told = account.ush(
        "environment", "run", "lab", "--", "python", "-c", "import pandas; print(pandas.Series([40, 2]).sum())"
    )
    assert told.out == "42\n"
