"""The solver: its answer is that of exhaustive search, and what it calls impossible is."""

import itertools
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from packaging.requirements import Requirement
from packaging.tags import Tag
from packaging.utils import canonicalize_name
from packaging.version import Version

from unified_shell.core.distributions.file_names import FileName
from unified_shell.core.errors import NoSolution
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.indexes.registered import Index
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.questions import AskVersions, Candidate, Listing, Requirements, Solution
from unified_shell.core.resolution.solver import solve
from unified_shell.core.resolution.target import Rules, Target
from unified_shell.core.transfers.fetching import Fetcher, Reply
from unified_shell.views.next_step_text import next_step_text

# project → version → requirement texts
Universe = Mapping[str, Mapping[str, tuple[str, ...]]]
NO_CACHE = "/proc/no-cache"
MARKERS = {"python_version": "3.11", "sys_platform": "linux"}


def run(
    universe: Universe,
    requests: list[str],
    *,
    present: Mapping[str, str] | None = None,
    yanked: frozenset[tuple[str, str]] = frozenset(),
    rules: Rules | None = None,
) -> Solution:
    """Drive the solver with a universe in memory."""
    asking = solve([Requirement(text) for text in requests], MARKERS, rules)
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
                            name=FileName(""),
                            address="",
                            yanked="yes" if (question.project, version) in yanked else "",
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


def is_possible(universe: Universe, requests: list[str], within: Callable[[Mapping[str, str]], bool]) -> bool:
    names = list(universe)
    every = itertools.product(*[[None, *universe[name]] for name in names])
    choices = ({name: version for name, version in zip(names, one, strict=True) if version} for one in every)
    return any(within(choice) and is_right(universe, requests, choice) for choice in choices)


NAMES = ("comb", "hive", "hum", "swarm")
requirement = st.builds(
    lambda name, extra, specifier, marker: f"{name}{extra}{specifier}{marker}",
    st.sampled_from(NAMES),
    st.sampled_from(["", "", "[plots]"]),
    st.sampled_from(["", "==1.0", "==2.0", ">=2", "<2", "<3", ">2", "!=2.0", ">=3.0rc1"]),
    st.sampled_from(["", "", "", "; extra == 'plots'", "; python_version < '3'"]),
)
plain = requirement.filter(lambda text: ";" not in text)


@dataclass(frozen=True)
class Release:
    """A version as an index lists it."""

    requires: tuple[str, ...] = ()
    yanked: bool = False
    requires_python: str = ""


releases = st.builds(
    Release,
    st.lists(requirement, max_size=2).map(tuple),
    st.sampled_from([False, False, False, True]),
    st.sampled_from(["", "", ">=3.8", ">=3.12"]),
)
indexes = st.lists(
    st.dictionaries(
        st.sampled_from(NAMES),
        st.dictionaries(st.sampled_from(["1.0", "2.0", "3.0rc1", "3.0"]), releases, min_size=1),
    ),
    min_size=1,
    max_size=2,
)


class _Pages(Fetcher):
    """Answers as servers of those indexes would."""

    def __init__(self, tables: Sequence[Mapping[str, Mapping[str, Release]]]) -> None:
        self.tables = tables
        self.offline = False

    def get(self, address: str, **_: object) -> Reply:
        number, _dot, rest = address.removeprefix("https://").partition(".example/")
        table = self.tables[int(number)]
        if rest.endswith(".metadata"):
            project, version = rest.split("-")[:2]
            needs = [f"Requires-Dist: {text}" for text in table[project][version].requires]
            first = [f"Name: {project}", f"Version: {version}", "Provides-Extra: plots"]
            return Reply(status=200, content="\n".join([*first, *needs]).encode(), content_type="", address=address)
        project = rest.strip("/")
        if project not in table:
            return Reply(status=404, content=b"", content_type="", address=address)
        files: list[dict[str, object]] = [
            {
                "filename": f"{project}-{version}-py3-none-any.whl",
                "url": f"../{project}-{version}-py3-none-any.whl",
                "hashes": {"sha256": f"{abs(hash((number, project, version))):064x}"},
                "requires-python": release.requires_python,
                "yanked": release.yanked,
                "core-metadata": True,
            }
            for version, release in table[project].items()
        ]
        page = json.dumps({"files": files}).encode()
        return Reply(status=200, content=page, content_type="application/json", address=address)


def first_of(tables: Sequence[Mapping[str, Mapping[str, Release]]]) -> dict[str, Mapping[str, Release]]:
    """A project comes from the first index that has it, whatever a later one offers."""
    found: dict[str, Mapping[str, Release]] = {}
    for table in tables:
        for name, versions in table.items():
            found.setdefault(name, versions)
    return found


@settings(max_examples=400, deadline=None)
@given(indexes, st.lists(plain, min_size=1, max_size=3), st.lists(plain, max_size=1), st.lists(plain, max_size=1))
def test_the_answer_is_that_of_exhaustive_search(
    tables: list[dict[str, dict[str, Release]]], requests: list[str], bounds: list[str], overrides: list[str]
) -> None:
    """Over several indexes, with yanked and pre-released versions, needed Pythons, extras, constraints, overrides."""
    releases = first_of(tables)
    instead = {Requirement(text).name: Requirement(text) for text in overrides}

    def meant(text: str) -> str:
        one = Requirement(text)
        if one.name in instead:
            one.specifier, one.extras = instead[one.name].specifier, one.extras | instead[one.name].extras
        return str(one)

    wanted = [meant(text) for text in requests]
    every = [
        *wanted,
        *bounds,
        *(meant(text) for each in releases.values() for one in each.values() for text in one.requires),
    ]
    every_requirement = [Requirement(text) for text in every]

    def admitted(name: str, version: str) -> bool:
        """The rule at its widest: somebody pins the project, somebody names a pre-release of it, or it has no other."""
        one = releases[name][version]
        specifiers = [each.specifier for each in every_requirement if each.name == name]
        usable = [key for key, each in releases[name].items() if each.requires_python != ">=3.12"]
        return (
            one.requires_python != ">=3.12"
            and (not one.yanked or any("==" in str(each) for each in specifiers))
            and (
                not Version(version).is_prerelease
                or any(each.prereleases for each in specifiers)
                or all(Version(each).is_prerelease for each in usable)
            )
        )

    def surely_admitted(name: str, version: str) -> bool:
        """The rule at its narrowest: nobody's word is needed."""
        return admitted(name, version) and not releases[name][version].yanked and not Version(version).is_prerelease

    limits = [Requirement(text) for text in bounds]

    def within(choice: Mapping[str, str]) -> bool:
        return all(one.specifier.contains(choice[one.name], prereleases=True) for one in limits if one.name in choice)

    universe = {
        name: {version: tuple(map(meant, one.requires)) for version, one in each.items()}
        for name, each in releases.items()
    }
    target = Target(
        markers=MARKERS,
        tags=(Tag("py3", "none", "any"),),
        python="3.11",
        rules=Rules(constraints=tuple(limits), overrides=tuple(instead.values())),
    )
    client = IndexClient(
        [Index(name=str(n), address=f"https://{n}.example/") for n in range(len(tables))], _Pages(tables)
    )
    found: dict[str, str] | None = None
    why = ""
    try:
        found = chosen(run_solver([Requirement(text) for text in requests], target, client, {}, NO_CACHE))
    except NoSolution as error:
        why = error.message
    if found is None:
        assert "gave up" not in why
        sure = {
            name: {key: one for key, one in each.items() if surely_admitted(name, key)}
            for name, each in universe.items()
        }
        assert not is_possible(sure, wanted, within), f"{why} is wrong"
        return
    assert is_right(universe, wanted, found)
    assert within(found)
    assert all(admitted(name, version) for name, version in found.items())


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
        ({"hive": {"1.0": ()}}, ["hive>=2"], "you requested hive>=2, but apiary has 1.0"),
        ({"hive": {"1.0": ("gone",)}}, ["hive"], "hive 1.0 requires gone, but no index has gone (asked: apiary)"),
        ({"a": {"1": ("c<2",)}, "b": {"1": ("c>=2",)}, "c": {"1": (), "2": ()}}, ["a", "b"], "b 1 requires c>=2"),
        (
            {"hive": {"1.0": ("comb @ https://a.example/comb-1-py3-none-any.whl",)}},
            ["hive"],
            "only you may request that",
        ),
        ({}, ["hive @ https://a.example/h.whl", "hive @ https://b.example/h.whl"], "from two addresses"),
    ],
)
def test_why_there_is_no_solution(universe: Universe, requests: list[str], said: str) -> None:
    with pytest.raises(NoSolution) as caught:
        run(universe, requests)
    assert said in caught.value.message
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
    assert caught.value.message == (
        "no set of versions fits: you requested swarm, you requested hum>=2 and every version of swarm requires hum<2"
    )
    assert "hum>=2" in next_step_text(caught.value.next_step)
    with pytest.raises(NoSolution) as caught:
        run(universe, ["swarm==1"])
    assert "comb 1 requires hum>=2" in caught.value.message
    assert "swarm 1 requires comb" in caught.value.message
    assert "swarm 1 requires hum<2" in caught.value.message
    assert "alone" not in caught.value.message


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


def test_constraints_bound_and_overrides_replace_and_a_proof_says_so() -> None:
    universe: Universe = {
        "hive": {"1": ("comb<2",), "2": ("comb>=2", "hum")},
        "comb": {"1": (), "2": (), "3": ()},
        "hum": {"1": ()},
    }
    bounds = Rules(constraints=(Requirement("comb<3"), Requirement("hum<1")))
    assert chosen(run(universe, ["hive"], rules=bounds)) == {"hive": "1", "comb": "1"}
    assert chosen(run(universe, ["comb"], rules=bounds)) == {"comb": "2"}, "a constraint asks for nothing"
    with pytest.raises(NoSolution, match="a limit says hum<1"):
        run(universe, ["hive>=2"], rules=bounds)
    instead = Rules(overrides=(Requirement("comb==3"),))
    solution = run(universe, ["hive==1"], rules=instead)
    assert chosen(solution) == {"hive": "1", "comb": "3"}
    assert solution.asked_by[canonicalize_name("comb")] == (
        "hive 1 requires comb==3 (your replacement, from comb<2)",
    )
    with pytest.raises(NoSolution, match="requires comb<2, by your replacement comb==4"):
        run(universe, ["hive==1"], rules=Rules(overrides=(Requirement("comb==4"),)))
