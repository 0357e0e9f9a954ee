"""What cannot hold together, and why: taken from outside, or derived from two others."""

from collections.abc import Mapping

from msgspec import Struct
from packaging.requirements import Requirement

from unified_shell.core.distributions.names import NormalizedName

from .spaces import Node

__all__ = ["Fact", "Incompatibility", "resolvent"]


class Fact(Struct, frozen=True, kw_only=True):
    """Something that is so. Somebody asks (`by` empty: the person, else a project and `version`) for a `requirement`;
    or a project's version cannot be used, for a reason; or not all versions of a project are admitted.

    A requirement that the person's override stands in place of is the override's, and `said` is what was required;
    with `bound` it is a constraint, which asks for nothing.
    """

    project: NormalizedName
    by: str = ""
    version: str = ""
    requirement: Requirement | None = None
    unusable: str = ""
    admission: bool = False
    said: str = ""
    bound: bool = False


class Incompatibility(Struct, frozen=True, eq=False):
    """Sets of states by node, not all of which can hold; none at all means that there is no solution.

    `fact` is set for one from outside, `parents` for one that was derived.
    """

    terms: Mapping[Node, int]
    fact: Fact | None = None
    parents: "tuple[Incompatibility, Incompatibility] | None" = None

    def facts(self) -> tuple[Fact, ...]:
        """Return all facts that it rests on, each once, in the order in which the proof uses them."""
        found: dict[Fact, None] = {}
        done: set[int] = set()
        todo: list[Incompatibility] = [self]
        while todo:
            one = todo.pop()
            if id(one) in done:
                continue
            done.add(id(one))
            if one.fact is not None:
                found[one.fact] = None
            if one.parents is not None:
                todo += reversed(one.parents)
        return tuple(found)


def resolvent(one: Incompatibility, other: Incompatibility, node: Node, full: int) -> Incompatibility:
    """Return what follows from two incompatibilities that both speak of a node.

    Whatever state the node is in, one of them applies if it is in either of their sets; so with both others' terms,
    it cannot be in their union.
    """
    terms = dict(one.terms)
    for key, mask in other.terms.items():
        if key != node:
            terms[key] = terms[key] & mask if key in terms else mask
    union = one.terms[node] | other.terms[node]
    if union == full:
        del terms[node]
    else:
        terms[node] = union
    return Incompatibility(terms=terms, parents=(one, other))
