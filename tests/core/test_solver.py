"""The solver: its answer is that of exhaustive search, and what it calls impossible is."""

import itertools
from collections.abc import Mapping

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name
from packaging.version import Version

from unified_shell.core.errors import NoSolution
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.resolution.questions import AskVersions, Candidate, Listing, Requirements, Solution
from unified_shell.core.resolution.solver import solve

# project → version → requirement texts
Universe = Mapping[str, Mapping[str, tuple[str, ...]]]
MARKERS = {"python_version": "3.11", "sys_platform": "linux"}


def run(
    universe: Universe,
    requests: list[str],
    *,
    present: Mapping[str, str] | None = None,
    yanked: frozenset[tuple[str, str]] = frozenset(),
) -> Solution:
    """Drive the solver with a universe in memory."""
    asking = solve([Requirement(text) for text in requests], MARKERS)
    question = next(asking)
    try:
        while True:
            if isinstance(question, AskVersions):
                versions = universe.get(question.project, {})
                candidates = tuple(
                    Candidate(
                        project=question.project,
                        version=version,
                        index="apiary",
                        file=IndexFile(
                            name="", address="", yanked="yes" if (question.project, version) in yanked else ""
                        ),
                        present=(present or {}).get(question.project) == version,
                    )
                    for version in sorted(versions, key=Version, reverse=True)
                )
                question = asking.send(
                    Listing(candidates=candidates, index="apiary" if versions else "", asked=("apiary",))
                )
            else:
                one = question.candidate
                texts = universe[one.project][one.version]
                question = asking.send(Requirements(requires=tuple(Requirement(text) for text in texts)))
    except StopIteration as stop:
        solution: Solution = stop.value
        return solution


def chosen(solution: Solution) -> dict[str, str]:
    return {str(name): one.version for name, one in solution.chosen.items()}


def is_right(universe: Universe, requests: list[str], choice: Mapping[str, str]) -> bool:
    """Check a choice against every requirement that applies, with extras, from the requests on."""
    todo = [Requirement(text) for text in requests]
    done = set()
    while todo:
        one = todo.pop()
        name = canonicalize_name(one.name)
        if name not in choice or not one.specifier.contains(choice[name], prereleases=True):
            return False
        for extra in ("", *one.extras):
            if (name, extra) in done:
                continue
            done.add((name, extra))
            for text in universe[name][choice[name]]:
                needed = Requirement(text)
                if needed.marker is None or needed.marker.evaluate({**MARKERS, "extra": extra}):
                    todo.append(needed)
    return True


def is_possible(universe: Universe, requests: list[str]) -> bool:
    names = list(universe)
    every = itertools.product(*[[None, *universe[name]] for name in names])
    return any(
        is_right(universe, requests, {name: version for name, version in zip(names, choice, strict=True) if version})
        for choice in every
    )


NAMES = ("comb", "hive", "hum", "swarm")
VERSIONS = ("1.0", "2.0", "3.0")
requirement = st.builds(
    lambda name, extra, specifier, marker: f"{name}{extra}{specifier}{marker}",
    st.sampled_from(NAMES),
    st.sampled_from(["", "", "[plots]"]),
    st.sampled_from(["", "==1.0", "==2.0", ">=2", "<2", "<3", ">2", "!=2.0"]),
    st.sampled_from(["", "", "", "; extra == 'plots'", "; python_version < '3'"]),
)
universes = st.dictionaries(
    st.sampled_from(NAMES),
    st.dictionaries(st.sampled_from(VERSIONS), st.lists(requirement, max_size=2).map(tuple), min_size=1),
    min_size=2,
)


@settings(max_examples=300, deadline=None)
@given(universes, st.lists(requirement.filter(lambda text: ";" not in text), min_size=1, max_size=3))
def test_the_answer_is_that_of_exhaustive_search(universe: Universe, requests: list[str]) -> None:
    words = ""
    try:
        solution: Solution | None = run(universe, requests)
    except NoSolution as error:
        solution, words = None, error.what
    if solution is None:
        assert "gave up" not in words
        assert not is_possible(universe, requests), f"{words} is wrong"
        return
    assert is_right(universe, requests, chosen(solution))
    assert all(solution.asked_by[name] for name in solution.chosen), "someone asked for each"


def test_newest_present_and_pre_releases() -> None:
    universe = {"hive": {"1.0": (), "2.0": (), "3.0rc1": ()}, "comb": {"1.0b1": (), "1.0b2": ()}}
    assert chosen(run(universe, ["hive"])) == {"hive": "2.0"}
    assert chosen(run(universe, ["hive"], present={"hive": "1.0"})) == {"hive": "1.0"}, "what is there stays"
    assert chosen(run(universe, ["hive>=2"], present={"hive": "1.0"})) == {"hive": "2.0"}
    assert chosen(run(universe, ["hive>=3rc1"])) == {"hive": "3.0rc1"}, "a pre-release that is named"
    assert chosen(run(universe, ["comb"])) == {"comb": "1.0b2"}, "where there is nothing else"


def test_yanked_versions_need_an_exact_pin() -> None:
    universe = {"hive": {"1.0": (), "2.0": ()}}
    yanked = frozenset({("hive", "2.0")})
    assert chosen(run(universe, ["hive"], yanked=yanked)) == {"hive": "1.0"}
    assert chosen(run(universe, ["hive==2.0"], yanked=yanked)) == {"hive": "2.0"}
    with pytest.raises(NoSolution):
        run(universe, ["hive>=2"], yanked=yanked)


@pytest.mark.parametrize(
    ("universe", "requests", "said"),
    [
        ({"hive": {"1.0": ()}}, ["hive>=2"], "you ask for hive>=2, but apiary has 1.0"),
        ({"hive": {"1.0": ("gone",)}}, ["hive"], "hive 1.0 requires gone, but no index has gone (asked: apiary)"),
        ({"a": {"1": ("c<2",)}, "b": {"1": ("c>=2",)}, "c": {"1": (), "2": ()}}, ["a", "b"], "b 1 requires c>=2"),
        ({"hive": {"1.0": ()}}, ["hive @ https://apiary.example/hive.whl"], "from indexes only"),
    ],
)
def test_why_there_is_no_solution(universe: Universe, requests: list[str], said: str) -> None:
    with pytest.raises(NoSolution) as caught:
        run(universe, requests)
    assert said in caught.value.what
    assert caught.value.next_step


def test_deep_backtracking_goes_straight_to_the_culprit() -> None:
    """Forty projects without a say stand between the choice that is wrong and where it shows."""
    universe: dict[str, dict[str, tuple[str, ...]]] = {
        "top": {str(n): ("low==1",) if n == 1 else ("low==2",) for n in range(1, 20)},
        "last": {"1": ("low==1",)},
        "low": {"1": (), "2": ()},
        **{f"between{n}": {str(v): () for v in range(1, 6)} for n in range(40)},
    }
    requests = ["top", *(f"between{n}" for n in range(40)), "last"]
    assert chosen(run(universe, requests))["top"] == "1"


def test_a_proof_names_the_persons_requests_and_all_that_stands_between() -> None:
    universe: Universe = {
        "swarm": {"1": ("hum<2", "comb"), "2": ("hum<2",), "3": ("hum<2",)},
        "hum": {"1": (), "2": (), "3": ()},
        "comb": {"1": ("hum>=2",)},
        "alone": {"1": ()},
    }
    with pytest.raises(NoSolution) as caught:
        run(universe, ["alone", "swarm", "hum>=2"])
    assert caught.value.what == (
        "no set of versions fits: you ask for swarm, you ask for hum>=2 and every version of swarm requires hum<2"
    )
    assert "hum>=2" in caught.value.next_step
    with pytest.raises(NoSolution) as caught:
        run(universe, ["swarm==1"])
    assert "comb 1 requires hum>=2" in caught.value.what
    assert "swarm 1 requires comb" in caught.value.what
    assert "swarm 1 requires hum<2" in caught.value.what
    assert "alone" not in caught.value.what


def test_a_pre_release_that_a_dependency_names_is_admitted() -> None:
    universe: Universe = {"hive": {"1": ("comb>=2.0b1",)}, "comb": {"1.0": (), "2.0b2": ()}, "hum": {"1": ("comb",)}}
    assert chosen(run(universe, ["hum", "hive"]))["comb"] == "2.0b2"
    assert chosen(run(universe, ["hum"]))["comb"] == "1.0"


def test_an_extra_follows_the_version_of_its_project() -> None:
    universe: Universe = {
        "hive": {"1": ("wax; extra == 'plots'",), "2": ("ink; extra == 'plots'",)},
        "old": {"1": ("hive<2",)},
        "wax": {"1": ()},
        "ink": {"1": ()},
    }
    assert set(chosen(run(universe, ["hive[plots]"]))) == {"hive", "ink"}
    assert set(chosen(run(universe, ["hive[plots]", "old"]))) == {"hive", "wax", "old"}


def test_a_long_chain_of_versions_is_solved_without_trying_all_together() -> None:
    """Each of thirty projects fits one version of the next only; trying them blindly would never end."""
    links: dict[str, dict[str, tuple[str, ...]]] = {
        f"p{n}": {str(v): (f"p{n + 1}=={v}",) if n < 29 else () for v in range(1, 30)} for n in range(30)
    }
    links["p29"] = {"7": ()}
    assert set(chosen(run(links, ["p0"])).values()) == {"7"}
