"""Fitted models that strangers send: what can't be run safely or at all is refused in a sentence."""

import numpy as np
import pytest
from onnx import TensorProto, helper

from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.fitted_model import Graph
from brookfall.core.recipe.onnx_graph import graph_of
from brookfall.core.submission.schema import Artifact
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.table import Column
from brookfall.sandbox import fitted_models, sandbox
from brookfall.sandbox.fitted_models import ConfinedModel
from brookfall.sandbox.limits import limits_for
from brookfall.sandbox.link import begin, end
from tests.conftest import files_of
from tests.onnx_models import endless, graph, huge_in_memory, of_one_input, weighted_sum, with_weights_elsewhere

PATH = "model/fitted.onnx"
X = np.linspace(-2, 2, 50)[:, None]


def numbers(*names: str) -> list[Column]:
    return [Column(name, "number", np.empty(0), ()) for name in names]


def opened(data: bytes, features: list[Column] | None = None, outcome: Outcome = "binary") -> ConfinedModel:
    return ConfinedModel(lambda: data, Artifact(path=PATH, graph=graph_of(data, PATH)))


def asked(
    data: bytes, raw: np.ndarray = X, features: list[Column] | None = None, classes: tuple[str, ...] = ("no", "yes")
) -> np.ndarray:
    """Its scores of raw rows of these features, x alone unless others are named."""
    outcome: Outcome = {0: "number", 2: "binary"}.get(len(classes), "multiclass")  # type: ignore[assignment]
    with opened(data)(features or numbers("x"), outcome, classes) as answers:
        return answers(raw)


BINARY = {"": 17}
SCORE = {"probabilities": (TensorProto.FLOAT, (None, 1))}
ONE = {"x": (TensorProto.FLOAT, (None, 1))}
NOT_READ = {
    "cut off": (weighted_sum({"x": 1.0})[:40], "can't be read as ONNX"),
    "noise": (bytes(range(256)) * 20, "can't be read as ONNX"),
    "empty graph": (graph([], {}, {}), "there is no graph in it"),
    "another format": (b"\x80\x04\x95pickled", "can't be read as ONNX"),
    "its own operators": (of_one_input("Launch", domain="com.example"), "operators that are no standard ones"),
    "drawn at random": (
        graph([helper.make_node("RandomUniformLike", ["x"], ["probabilities"])], ONE, SCORE),
        "It draws at random",
    ),
    "weights elsewhere": (with_weights_elsewhere(), "kept in another file"),
}


@pytest.mark.parametrize("name", NOT_READ)
def test_what_can_not_be_run_is_refused_at_the_door(name: str) -> None:
    data, words = NOT_READ[name]
    files = {**files_of(artifact={"path": PATH}, claims=[]), PATH: data}
    with pytest.raises(UserError, match=words) as refused:
        sandbox.read_package(files, 10_000_000)
    assert refused.value.file == PATH


def test_operators_hidden_in_an_inner_graph_are_found() -> None:
    inner = helper.make_graph(
        [helper.make_node("RandomNormalLike", ["x"], ["there"])],
        "inner",
        [],
        [helper.make_tensor_value_info("there", TensorProto.FLOAT, None)],
    )
    held = [helper.make_tensor("on", TensorProto.BOOL, [], [True])]
    node = helper.make_node("If", ["on"], ["probabilities"], then_branch=inner, else_branch=inner)
    with pytest.raises(UserError, match="It draws at random"):
        graph_of(graph([node], ONE, SCORE, held), PATH)


def test_a_column_that_the_data_lack_is_named_at_the_door() -> None:
    files = {**files_of(artifact={"path": PATH}, claims=[]), PATH: weighted_sum({"x": 1.0, "pressure": 2.0})}
    with pytest.raises(UserError, match="an input 'pressure', and the data have no column of that name"):
        sandbox.read_package(files, 10_000_000)


def test_what_an_owner_writes_of_the_graph_is_not_looked_at() -> None:
    told = graph_of(weighted_sum({"x": 1.0}), PATH).model_copy(update={"producer": "a better one"})
    files = {
        **files_of(artifact={"path": PATH, "graph": told.model_dump(mode="json")}, claims=[]),
        PATH: weighted_sum({"x": 1.0}),
    }
    read = sandbox.read_package(files, 10_000_000).submission.artifact
    assert read is not None
    assert isinstance(read.graph, Graph)
    assert read.graph.producer == ""
    assert dict(read.graph.lines)["operators"] == "3 nodes: Sigmoid, Sum, Mul"
    assert read.graph.parameters == 1


NOT_RUN = {
    "no score": (
        graph([helper.make_node("Greater", ["x", "x"], ["label"])], ONE, {"label": (TensorProto.BOOL, (None, 1))}),
        "None of its outputs can be told to be the scores",
    ),
    "three scores for two classes": (
        graph(
            [helper.make_node("Concat", ["x", "x", "x"], ["probabilities"], axis=1)],
            ONE,
            {"probabilities": (TensorProto.FLOAT, (None, 3))},
        ),
        "It gives 3 scores a row, and the data have 2 classes",
    ),
    "one score for all rows": (
        graph(
            [helper.make_node("ReduceMean", ["x"], ["probabilities"], keepdims=0)],
            ONE,
            {"probabilities": (TensorProto.FLOAT, ())},
        ),
        "For 50 rows it gives an output of the shape",
    ),
    "a fixed number of rows": (weighted_sum({"x": 1.0}, shape=(7, 1)), "It takes 7 rows at once"),
    "more features than there are": (
        graph(
            [helper.make_node("ReduceSum", ["features"], ["probabilities"], keepdims=1)],
            {"features": (TensorProto.FLOAT, (None, 9))},
            SCORE,
        ),
        "has the shape None × 9, and there are 1 feature",
    ),
    "an operator without its arguments": (of_one_input("Gemm"), "It can't be run"),
}


@pytest.mark.parametrize("name", NOT_RUN)
def test_what_takes_or_gives_other_things_is_told(name: str) -> None:
    data, words = NOT_RUN[name]
    with pytest.raises(UserError, match=words):
        asked(data)


def test_whole_numbers_take_no_gaps_and_no_fractions() -> None:
    model = weighted_sum({"x": 1.0}, kind=TensorProto.INT64)
    with pytest.raises(UserError, match="x has fractions"):
        asked(model)
    gap = np.array([[1.0], [np.nan]])
    with pytest.raises(UserError, match="x has gaps"):
        asked(model, gap)
    assert asked(model, np.array([[2.0]])) == pytest.approx(1 / (1 + np.exp(-2.0)), abs=1e-6)


def test_texts_reach_it_as_they_are_and_where_they_are_numbers_as_numbers() -> None:
    ints = Column("x", "category", np.empty(0, np.int32), ("0", "1"))
    assert asked(weighted_sum({"x": 1.0}), np.array([[0.0], [1.0]]), [ints])[0] == pytest.approx(0.5)
    words = Column("x", "category", np.empty(0, np.int32), ("low", "high"))
    with pytest.raises(UserError, match="It takes numbers for x, and 'low' is none"):
        asked(weighted_sum({"x": 1.0}), np.array([[0.0]]), [words])


def test_an_endless_one_is_stopped_and_others_go_on(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(fitted_models, "_SECONDS_AT_ONCE", 3.0)
    with pytest.raises(UserError, match="takes more than 3 s over at most"):
        asked(endless())
    assert len(asked(weighted_sum({"x": 1.0}))) == len(X)


def test_one_that_fills_the_memory_is_stopped() -> None:
    with pytest.raises(UserError, match=r"bad_alloc|fails on these rows|more than 1\.5 GB of memory"):
        asked(huge_in_memory())


def test_many_rows_go_in_pieces_and_none_in_none() -> None:
    many = np.linspace(-1, 1, 45_000)[:, None]
    assert asked(weighted_sum({"x": 1.0}), many) == pytest.approx(1 / (1 + np.exp(-many[:, 0])), abs=1e-6)
    assert asked(weighted_sum({"x": 1.0}), np.empty((0, 1))).shape == (0,)


def test_it_can_not_reach_the_disk_or_the_network() -> None:
    """It runs where everything strangers send is read: the child says what it could not give up."""
    link, hello = begin(limits_for(0), ("onnxruntime",))
    end(link, hello["pid"])
    assert hello["missing"] == []
