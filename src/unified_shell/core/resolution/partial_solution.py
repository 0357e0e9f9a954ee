"""What is decided and what follows from it, in order, so that it can be taken back to an earlier decision."""

from msgspec import Struct, field

from .incompatibilities import Incompatibility
from .spaces import Node

__all__ = ["Assignment", "PartialSolution"]


class Assignment(Struct, frozen=True):
    """A node is in one of the states of `mask`; `after` is what is left of it then. A decision has no `cause`."""

    node: Node
    mask: int
    after: int
    level: int
    cause: Incompatibility | None


class PartialSolution(Struct):
    """The assignments, with what each node may still be. `full` holds all states of each node that is known."""

    full: dict[Node, int] = field(default_factory=dict)
    assignments: list[Assignment] = field(default_factory=list)
    allowed: dict[Node, int] = field(default_factory=dict)
    decided: dict[Node, int] = field(default_factory=dict)
    level: int = 0
    places: dict[Node, list[int]] = field(default_factory=dict)

    def know(self, node: Node, full: int) -> None:
        """Make a node known, in any of its states."""
        if node not in self.full:
            self.full[node] = self.allowed[node] = full
            self.places[node] = []

    def decide(self, node: Node, bit: int) -> None:
        """Choose a state; what follows from it is on the next level."""
        self.level += 1
        self.decided[node] = bit
        self._assign(node, bit, None)

    def derive(self, node: Node, mask: int, cause: Incompatibility) -> None:
        """Note what follows from an incompatibility."""
        if self.allowed[node] & ~mask:
            self._assign(node, mask, cause)

    def undecided(self) -> list[Node]:
        """Return the nodes that must be chosen and are not yet, in the order in which they came up."""
        return [node for node, left in self.allowed.items() if not left & 1 and node not in self.decided]

    def back_to(self, level: int) -> None:
        """Take back everything above a level."""
        while self.assignments and self.assignments[-1].level > level:
            gone = self.assignments.pop()
            places = self.places[gone.node]
            places.pop()
            self.allowed[gone.node] = self.assignments[places[-1]].after if places else self.full[gone.node]
            if gone.cause is None:
                del self.decided[gone.node]
        self.level = level

    def unsatisfied(self, one: Incompatibility) -> Node | bool | None:
        """Return True where all its terms hold, the one node whose term may or may not, None where nothing follows."""
        found: Node | None = None
        for node, mask in one.terms.items():
            left = self.allowed[node]
            if not left & ~mask:
                continue
            if not left & mask or found is not None:
                return None
            found = node
        return True if found is None else found

    def satisfier(self, one: Incompatibility) -> tuple[Assignment, int]:
        """Return the assignment with which all terms of an incompatibility began to hold, and the level of the one
        with which all others, or the rest of its own node's, did.
        """
        since = {node: self._since(node, mask) for node, mask in one.terms.items()}
        node, place = max(since.items(), key=lambda item: item[1])
        last = self.assignments[place]
        earlier = [at for other, at in since.items() if other != node]
        earlier.append(self._since(node, one.terms[node], assuming=last.mask, before=place))
        previous = max(earlier)
        return last, self.assignments[previous].level if previous >= 0 else 0

    def _since(self, node: Node, mask: int, *, assuming: int = -1, before: int = -1) -> int:
        """Return the place of the first assignment after which the node is inside `mask`; -1 where it always was."""
        if not self.full[node] & assuming & ~mask:
            return -1
        for place in self.places[node]:
            if before >= 0 and place >= before:
                break
            if not self.assignments[place].after & assuming & ~mask:
                return place
        return -1

    def _assign(self, node: Node, mask: int, cause: Incompatibility | None) -> None:
        after = self.allowed[node] & mask
        self.places[node].append(len(self.assignments))
        self.assignments.append(Assignment(node, mask, after, self.level, cause))
        self.allowed[node] = after
