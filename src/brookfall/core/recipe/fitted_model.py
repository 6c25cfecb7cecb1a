"""A fitted model that came with a submission: what its graph is made of, and how it is asked about rows."""

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from brookfall.core.foundation import wording
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.table import Column

MOST_BYTES = 500_000_000
LONGEST_NAME = 80
"""Characters of a name in a graph that are shown."""


def shortened(names: Sequence[str]) -> list[str]:
    """Names out of a stranger's file, as long as they can be shown.

    Parameters
    ----------
    names : Sequence[str]
        As they stand in the file.

    Returns
    -------
    list of str
        Of at most 80 characters each.

    Examples
    --------
    >>> [len(name) for name in shortened(["x" * 1000, "y"])]
    [80, 1]
    """
    return [name[:LONGEST_NAME] for name in names]


class Port(BaseModel):
    """An input or an output: what it holds, and its sizes, ``any`` where one is free."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    kind: str
    shape: tuple[str, ...]

    @property
    def words(self) -> str:
        """
        >>> Port(name="income", kind="float32", shape=("any", "1")).words
        'income (float32, any × 1)'
        """
        return f"{self.name} ({', '.join(part for part in (self.kind, ' × '.join(self.shape)) if part)})"


class Graph(BaseModel):
    """What a fitted model is made of. ``classes`` are those that it names, in the order of its scores."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    bytes: int
    opset: str
    producer: str
    nodes: int
    operators: dict[str, int]
    parameters: int
    inputs: tuple[Port, ...]
    outputs: tuple[Port, ...]
    classes: tuple[str, ...] = ()

    @property
    def is_single(self) -> bool:
        """Whether it reads numbers in single precision, to about seven digits."""
        return any(one.kind == "float32" for one in self.inputs)

    @property
    def lines(self) -> tuple[tuple[str, str], ...]:
        """Each of it in words, under a name."""
        steps = [f"{name} ×{count}" if count > 1 else name for name, count in self.operators.items()]
        return (
            ("size", f"{_size(self.bytes)}, {wording.counted(self.parameters, 'number')} learned"),
            ("operators", f"{wording.counted(self.nodes, 'node')}: {', '.join(steps)}"),
            ("operator sets", self.opset),
            ("written by", self.producer or "not said"),
            ("inputs", _ports(self.inputs) + ("; numbers are read to about seven digits" if self.is_single else "")),
            ("outputs", _ports(self.outputs)),
            *((("classes", ", ".join(self.classes)),) if self.classes else ()),
        )


_MOST_PORTS = 30


def _size(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{count / 1e3:.1f} kB"


def _ports(ports: Sequence[Port]) -> str:
    more = f" and {len(ports) - _MOST_PORTS} more" if len(ports) > _MOST_PORTS else ""
    return ", ".join(one.words for one in ports[:_MOST_PORTS]) + more


Answers = Callable[[NDArray[np.float64]], NDArray[np.float64]]
"""The scores of raw rows (m, p): shape (m,), or (m, classes) of several classes; UserError where it fails on them."""


class Opener(Protocol):
    """Opens a fitted model to be asked about rows of these features, for as long as it is needed."""

    def __call__(
        self, features: Sequence[Column], outcome: Outcome, classes: Sequence[str]
    ) -> AbstractContextManager[Answers]: ...


def input_name(column: str) -> str:
    """What the input of a column is called.

    Parameters
    ----------
    column : str
        The name of the column.

    Returns
    -------
    str
        Slashes and blanks as underscores.

    Examples
    --------
    >>> input_name("flow rate/min")
    'flow_rate_min'
    """
    return column.replace("/", "_").replace(" ", "_")


@dataclass(frozen=True)
class FittedModelFile:
    """The file of a fitted model, under review: where it stands in the package, its hash, what it is made of, and how
    it is opened.

    ``opened`` is None where nothing can run it.
    """

    path: str
    sha256: str
    graph: Graph | None = None
    opened: Opener | None = None

    def reads(self, columns: Sequence[str], features: Sequence[str]) -> tuple[str, ...]:
        """The columns that it reads, in order: those of its inputs where it has one a column, else the features.

        >>> one = Port(name="flow_rate", kind="float32", shape=("any", "1"))
        >>> rest = {"bytes": 1, "opset": "", "producer": "", "nodes": 1, "operators": {}, "parameters": 0}
        >>> graph = Graph.model_validate({"inputs": (one,), "outputs": (), **rest})
        >>> FittedModelFile("m.onnx", "", graph).reads(["flow rate", "sex"], ["sex"])
        ('flow rate',)
        """
        by_name = {input_name(name): name for name in columns}
        inputs = [] if self.graph is None else [one.name for one in self.graph.inputs]
        if not inputs or (len(inputs) == 1 and inputs[0] not in by_name):
            return tuple(features)
        return tuple(by_name[name] for name in inputs if name in by_name)
