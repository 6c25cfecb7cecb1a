"""What befalls a thing of a case, as a table: of each act by whom, from which states of the thing and of the case."""

from collections.abc import Iterable, Iterator, Mapping, Set
from dataclasses import dataclass
from typing import Generic, Literal, TypeVar, get_args

Part = Literal["reviewer", "owner", "countersigner"]
"""Of the people of a case: who reviews it, who belongs to its model, and who may countersign it."""
PARTS: tuple[Part, ...] = get_args(Part)

State = TypeVar("State", bound=str)
Act = TypeVar("Act", bound=str)


@dataclass(frozen=True)
class Step(Generic[State]):
    """An act: ``to`` is None where it changes no state, ``cases`` are the states of the case in which it may be;
    ``reasoned`` where it takes words."""

    by: frozenset[Part]
    of: frozenset[State]
    to: State | None
    cases: frozenset[str]
    reasoned: bool = True


def step(
    by: Iterable[Part], of: Iterable[State], to: State | None, cases: Iterable[str], *, reasoned: bool = True
) -> Step[State]:
    """A step of a life's table."""
    return Step(frozenset(by), frozenset(of), to, frozenset(cases), reasoned)


@dataclass(frozen=True)
class Life(Mapping[Act, Step[State]], Generic[Act, State]):
    """The table itself, from act to step."""

    steps: Mapping[Act, Step[State]]

    def __getitem__(self, act: Act) -> Step[State]:
        return self.steps[act]

    def __iter__(self) -> Iterator[Act]:
        return iter(self.steps)

    def __len__(self) -> int:
        return len(self.steps)

    def may(self, act: Act, state: State, parts: Set[Part], case: str) -> bool:
        """Whether somebody with these parts in a case of that state may do this to a thing that stands so."""
        return bool(self[act].by & parts) and state in self[act].of and case in self[act].cases

    def acts_of(self, state: State, parts: Set[Part], case: str) -> tuple[Act, ...]:
        """Everything that they may do, in the table's order."""
        return tuple(act for act in self if self.may(act, state, parts, case))

    def after(self, act: Act, state: State) -> State:
        """The state that an act leads to."""
        return self[act].to or state
