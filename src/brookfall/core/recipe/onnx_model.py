"""A fitted model in ONNX, asked for scores by onnxruntime, in a child process that can do nothing else."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import onnxruntime
from numpy.typing import NDArray

from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.fitted_model import LONGEST_NAME, input_name, shortened
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.table import Column

Values = NDArray[np.float64]

_KINDS = {
    "tensor(float)": "float32",
    "tensor(double)": "float64",
    "tensor(int64)": "int64",
    "tensor(int32)": "int32",
    "tensor(bool)": "bool",
    "tensor(string)": "text",
}
_NUMBERS = ("float32", "float64", "int64", "int32", "bool")
_LEAVE = "Export it again from the library that fitted it, with standard operators, or leave it out."


@dataclass(frozen=True)
class _Fed:
    """How one input is made of the raw matrix: of which columns, as what, with the texts of a column's levels."""

    name: str
    kind: str
    places: tuple[int, ...]
    flat: bool


class OnnxModel:
    """A model opened to be asked about rows of these features.

    Parameters
    ----------
    data
        The bytes of the file, whose graph was found usable.
    file
        Its name in messages.
    features
        The columns of the raw rows, in order.
    outcome, classes
        What it scores; the classes of the data, the negative one first of a yes/no.
    named
        The classes that its graph names, in the order of its scores; empty where it names none.

    Raises
    ------
    UserError
        It can't be run, or it takes or gives other things than these; says which.
    """

    def __init__(
        self,
        data: bytes,
        file: str,
        features: Sequence[Column],
        outcome: Outcome,
        classes: Sequence[str],
        named: Sequence[str] = (),
    ) -> None:
        self._file, self._features, self._outcome, self._classes = file, list(features), outcome, tuple(classes)
        self._named = tuple(named)
        self._session = _session(data, file)
        self._texts = [np.array([*one.levels, ""], dtype=object) for one in self._features]
        self._numbers: dict[int, Values] = {}
        self._fed, self._one_by_one = self._inputs()
        self._output, self._order = self._scores_of()

    # What goes in.

    def _inputs(self) -> tuple[list[_Fed], bool]:
        ports = self._session.get_inputs()
        by_name = {input_name(one.name): place for place, one in enumerate(self._features)}
        if len(ports) == 1 and ports[0].name not in by_name:
            fed = [self._whole(ports[0])]
        else:
            fed = [self._column(port, by_name) for port in ports]
        sizes = {port.shape[0] for port in ports if port.shape and isinstance(port.shape[0], int)}
        if sizes - {1}:
            raise self._unusable(f"It takes {sizes.pop()} rows at once and no other number of them")
        return fed, bool(sizes)

    def _whole(self, port: Any) -> _Fed:
        kind, width = self._kind(port), port.shape[-1] if len(port.shape) == 2 else None
        if len(port.shape) != 2 or (isinstance(width, int) and width != len(self._features)):
            shape = " × ".join(str(one) for one in port.shape)[:LONGEST_NAME]
            columns = wording.counted(len(self._features), "feature")
            name = port.name[:LONGEST_NAME]
            raise self._unusable(
                f"Its input '{name}' has the shape {shape or 'of one number'}, and there are {columns}"
            )
        for place in range(len(self._features)):
            self._refuse_text(place, kind)
        return _Fed(port.name, kind, tuple(range(len(self._features))), flat=False)

    def _column(self, port: Any, by_name: dict[str, int]) -> _Fed:
        name = port.name[:LONGEST_NAME]
        if port.name not in by_name:
            raise self._unusable(f"It has an input '{name}', and no column is called so")
        if len(port.shape) > 2 or (
            len(port.shape) == 2 and port.shape[1] not in (1, None) and isinstance(port.shape[1], int)
        ):
            raise self._unusable(f"Its input '{name}' takes more than one value a row")
        kind, place = self._kind(port), by_name[port.name]
        self._refuse_text(place, kind)
        return _Fed(port.name, kind, (place,), flat=len(port.shape) == 1)

    def _kind(self, port: Any) -> str:
        kind = _KINDS.get(port.type)
        if kind is None:
            raise self._unusable(
                f"Its input '{port.name[:LONGEST_NAME]}' is of the kind {port.type[:40]}, which no column is"
            )
        return kind

    def _refuse_text(self, place: int, kind: str) -> None:
        """UserError where an input takes numbers and its column holds other words; else their numbers are kept."""
        column = self._features[place]
        if kind not in _NUMBERS or column.kind == "number":
            return
        found = [_number(level) for level in column.levels]
        for level, number in zip(column.levels, found, strict=True):
            if number is None:
                raise self._unusable(
                    f"It takes numbers for {column.name}, and '{level[:40]}' is none",
                    f"Export it with {column.name} as text.",
                )
        self._numbers[place] = np.array([*(np.nan if one is None else one for one in found), np.nan])

    def _cells(self, fed: _Fed, raw: Values) -> NDArray[Any]:
        columns = [self._cell(fed.kind, place, raw[:, place]) for place in fed.places]
        found = np.column_stack(columns) if columns else np.empty((len(raw), 0))
        return found[:, 0] if fed.flat else found

    def _cell(self, kind: str, place: int, values: Values) -> NDArray[Any]:
        column = self._features[place]
        if kind == "text":
            if column.kind == "number":
                return np.array(["" if np.isnan(one) else f"{one:.15g}" for one in values], dtype=object)
            return self._texts[place][values.astype(np.int64)]
        found = values if column.kind == "number" else self._numbers[place][values.astype(np.int64)]
        if kind in ("float32", "float64"):
            return found.astype(np.float32 if kind == "float32" else np.float64)
        if np.isnan(found).any():
            raise self._unusable(
                f"{column.name} has gaps, and it takes whole numbers there",
                "Export it with real numbers, or fill the gaps.",
            )
        if (found != np.round(found)).any():
            raise self._unusable(
                f"{column.name} has fractions, and it takes whole numbers there", "Export it with real numbers."
            )
        return found.astype({"int64": np.int64, "int32": np.int32, "bool": np.bool_}[kind])

    # What comes out.

    def _scores_of(self) -> tuple[str, list[int] | None]:
        """The output that holds scores, and for each class of the data where it stands in it."""
        outputs = self._session.get_outputs()
        scores = [
            one for one in outputs if one.type in ("tensor(float)", "tensor(double)") or one.type.startswith("seq(map(")
        ]
        likely = [one for one in scores if one.name.lower().startswith(("prob", "output_prob"))]
        chosen = scores if len(scores) == 1 else likely
        if not chosen:
            told = wording.listed(shortened([f"{one.name} ({one.type})" for one in outputs][:5]))
            raise self._unusable(
                f"None of its outputs can be told to be the scores: {told}", "Give that output the name probabilities."
            )
        return chosen[0].name, None if self._outcome == "number" else self._class_order(self._named)

    def _class_order(self, theirs: tuple[str, ...]) -> list[int] | None:
        """The place of each class of the data among the model's; None where the model names none."""
        if not theirs:
            return None
        if set(self._classes) <= set(theirs):
            return [theirs.index(one) for one in self._classes]
        if theirs == tuple(str(place) for place in range(len(self._classes))):
            # Whole numbers stand for classes: of a yes/no 1 for the positive one, of several in the alphabet's order.
            if self._outcome == "binary":
                return [0, 1]
            return [sorted(self._classes).index(one) for one in self._classes]
        named, ours = (wording.listed(shortened(names[:6])) for names in (theirs, self._classes))
        raise self._unusable(f"Its classes are {named}, and those of the data {ours}")

    def scores(self, raw: Values) -> Values:
        """The scores of raw rows (m, p): shape (m,), or (m, classes) of several classes.

        Raises
        ------
        UserError
            A value is none that the model takes, or it fails on them, with the reason.
        """
        if not len(raw):
            return np.empty((0, len(self._classes)) if self._outcome == "multiclass" else 0)
        pieces = [raw[place : place + 1] for place in range(len(raw))] if self._one_by_one else [raw]
        return np.concatenate([self._asked(piece) for piece in pieces])

    def _asked(self, raw: Values) -> Values:
        given = {fed.name: self._cells(fed, raw) for fed in self._fed}
        try:
            (found,) = self._session.run([self._output], given)
        except Exception as problem:  # onnxruntime has a class of its own for every fault, below RuntimeError or not
            raise self._unusable(f"It fails on these rows: {_first_line(problem)}") from problem
        return self._spread(found, len(raw))

    def _spread(self, found: Any, m: int) -> Values:
        if isinstance(found, list):
            # A map a row, all of them with the same classes in the same order.
            named = tuple(str(name) for name in found[0])
            values = np.fromiter((value for one in found for value in one.values()), np.float64)
            scores = values.reshape(m, -1)[:, self._class_order(named) or slice(None)]
            return scores[:, 1] if self._outcome == "binary" else scores
        scores = np.asarray(found, dtype=np.float64)
        if scores.shape[:1] != (m,):
            raise self._unusable(f"For {wording.rows(m)} it gives an output of the shape {scores.shape}")
        scores = scores.reshape(m, -1)
        wide, k = scores.shape[1], len(self._classes)
        if self._outcome == "number" or (self._outcome == "binary" and wide == 1):
            if wide != 1:
                raise self._unusable(f"It gives {wide} numbers a row, and one is expected")
            return scores[:, 0]
        order = self._order or list(range(k))
        if wide != max(k, len(self._named)):
            raise self._unusable(f"It gives {wide} scores a row, and the data have {k} classes")
        return scores[:, order[1]] if self._outcome == "binary" else scores[:, order]

    def _unusable(self, what: str, todo: str = _LEAVE) -> UserError:
        return UserError(f"{what}.", todo=todo, file=self._file)


def _session(data: bytes, file: str) -> Any:
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.enable_cpu_mem_arena = False
    options.log_severity_level = 4
    try:
        return onnxruntime.InferenceSession(data, options, providers=["CPUExecutionProvider"])
    except Exception as problem:  # onnxruntime has a class of its own for every fault
        raise UserError(f"It can't be run: {_first_line(problem)}.", todo=_LEAVE, file=file) from problem


def _first_line(problem: BaseException) -> str:
    """What a library says, without its code numbers: it names nodes of the graph, at most."""
    line = (str(problem).strip().splitlines() or [type(problem).__name__])[0]
    return line.rpartition(" : ")[2].strip().rstrip(".")[:200] or type(problem).__name__


def _number(level: str) -> float | None:
    try:
        return float(level)
    except ValueError:
        return None
