"""Fitted models in ONNX, for tests: scikit-learn's as skl2onnx writes them, and small graphs made by hand."""

from collections.abc import Mapping, Sequence
from typing import Any

import onnx
import pandas as pd
from onnx import TensorProto, helper
from skl2onnx import to_onnx
from skl2onnx.common.data_types import FloatTensorType, StringTensorType
from sklearn.compose import make_column_transformer
from sklearn.impute import SimpleImputer
from sklearn.pipeline import Pipeline, make_pipeline
from sklearn.preprocessing import OneHotEncoder, StandardScaler


def pipeline(model: Any, numbers: Sequence[str], texts: Sequence[str] = ()) -> Pipeline:
    """A model behind a median for gaps, scaled numbers and one column a level."""
    steps = [(make_pipeline(SimpleImputer(strategy="median"), StandardScaler()), list(numbers))]
    return make_pipeline(
        make_column_transformer(*steps, *([(OneHotEncoder(handle_unknown="ignore"), list(texts))] if texts else [])),
        model,
    )


def by_column(fitted: Pipeline, rows: pd.DataFrame, features: Sequence[str], **options: Any) -> bytes:
    """A fitted pipeline as ONNX, with an input a column."""
    types = [
        (name, FloatTensorType([None, 1]) if pd.api.types.is_numeric_dtype(rows[name]) else StringTensorType([None, 1]))
        for name in features
    ]
    return to_onnx(fitted, initial_types=types, options=options or None).SerializeToString()


def of_tensor(fitted: Any, columns: int, **options: Any) -> bytes:
    """A fitted estimator as ONNX, with one float tensor of all columns."""
    types = [("features", FloatTensorType([None, columns]))]
    return to_onnx(fitted, initial_types=types, options=options or None).SerializeToString()


def graph(
    nodes: Sequence[onnx.NodeProto],
    inputs: Mapping[str, tuple[int, Sequence[Any]]],
    outputs: Mapping[str, tuple[int, Sequence[Any]]],
    initializers: Sequence[onnx.TensorProto] = (),
    opsets: Mapping[str, int] | None = None,
) -> bytes:
    """A graph made by hand: names of inputs and outputs with their types and shapes."""
    given, made = (
        [helper.make_tensor_value_info(name, kind, list(shape)) for name, (kind, shape) in side.items()]
        for side in (inputs, outputs)
    )
    whole = helper.make_graph(list(nodes), "made by hand", given, made, initializer=list(initializers))
    sets = {"": 17, "ai.onnx.ml": 3} if opsets is None else opsets
    model = helper.make_model(whole, opset_imports=[helper.make_opsetid(name, at) for name, at in sets.items()])
    model.ir_version = 8
    return model.SerializeToString()


def weighted_sum(
    weights: Mapping[str, float], *, kind: int = TensorProto.FLOAT, shape: Sequence[Any] = (None, 1)
) -> bytes:
    """The logistic of a weighted sum of columns, an input each; the score has the name probabilities."""
    nodes, terms, held = [], [], []
    for name, weight in weights.items():
        held.append(helper.make_tensor(f"weight of {name}", TensorProto.FLOAT, [1], [weight]))
        as_float = name
        if kind != TensorProto.FLOAT:
            as_float = f"{name} as float"
            nodes.append(helper.make_node("Cast", [name], [as_float], to=TensorProto.FLOAT))
        nodes.append(helper.make_node("Mul", [as_float, f"weight of {name}"], [f"term of {name}"]))
        terms.append(f"term of {name}")
    nodes += [helper.make_node("Sum", terms, ["sum"]), helper.make_node("Sigmoid", ["sum"], ["probabilities"])]
    return graph(nodes, dict.fromkeys(weights, (kind, shape)), {"probabilities": (TensorProto.FLOAT, shape)}, held)


def of_one_input(op: str, name: str = "x", output: str = "probabilities", domain: str = "", **attributes: Any) -> bytes:
    """A graph of one node, from one column to the score."""
    node = helper.make_node(op, [name], [output], domain=domain, **attributes)
    sets = {"": 17, **({domain: 1} if domain else {})}
    shape = (None, 1)
    return graph([node], {name: (TensorProto.FLOAT, shape)}, {output: (TensorProto.FLOAT, shape)}, opsets=sets)


def endless() -> bytes:
    """A loop that goes round so often that nobody sees its end."""
    body = helper.make_graph(
        [
            helper.make_node("Identity", ["on"], ["still on"]),
            helper.make_node("Sin", ["value"], ["next value"]),
        ],
        "body",
        [
            helper.make_tensor_value_info("round", TensorProto.INT64, []),
            helper.make_tensor_value_info("on", TensorProto.BOOL, []),
            helper.make_tensor_value_info("value", TensorProto.FLOAT, None),
        ],
        [
            helper.make_tensor_value_info("still on", TensorProto.BOOL, []),
            helper.make_tensor_value_info("next value", TensorProto.FLOAT, None),
        ],
    )
    held = [
        helper.make_tensor("times", TensorProto.INT64, [], [2**60]),
        helper.make_tensor("begin", TensorProto.BOOL, [], [True]),
    ]
    node = helper.make_node("Loop", ["times", "begin", "x"], ["probabilities"], body=body)
    shape = (None, 1)
    return graph([node], {"x": (TensorProto.FLOAT, shape)}, {"probabilities": (TensorProto.FLOAT, shape)}, held)


def huge_in_memory() -> bytes:
    """A few bytes that would fill 80 GB."""
    held = [helper.make_tensor("sizes", TensorProto.INT64, [2], [100_000, 100_000])]
    ones = helper.make_tensor("one", TensorProto.DOUBLE, [1], [1.0])
    nodes = [
        helper.make_node("ConstantOfShape", ["sizes"], ["filled"], value=ones),
        helper.make_node("ReduceSum", ["filled"], ["sum"], keepdims=0),
        helper.make_node("Cast", ["sum"], ["as float"], to=TensorProto.FLOAT),
        helper.make_node("Mul", ["x", "as float"], ["probabilities"]),
    ]
    shape = (None, 1)
    return graph(nodes, {"x": (TensorProto.FLOAT, shape)}, {"probabilities": (TensorProto.FLOAT, shape)}, held)


def with_weights_elsewhere() -> bytes:
    """A graph whose weights would be read from another file."""
    model = onnx.load_model_from_string(weighted_sum({"x": 1.0}))
    held = model.graph.initializer[0]
    held.ClearField("float_data")
    held.data_location = TensorProto.EXTERNAL
    entry = held.external_data.add()
    entry.key, entry.value = "location", "/etc/passwd"
    return bytes(model.SerializeToString())
