"""What an ONNX file is made of: read, refused where it could do more than compute, and told in words.

Operators are those of the standard domains (ONNX, onnx.ai). What is in the file is a stranger's: it is read in a child
process that can do nothing else.
"""

from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
import onnx
from google.protobuf.message import DecodeError

from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.fitted_model import LONGEST_NAME, MOST_BYTES, Graph, Port, shortened

_DOMAINS = ("", "ai.onnx", "ai.onnx.ml")
_AT_RANDOM = ("RandomNormal", "RandomNormalLike", "RandomUniform", "RandomUniformLike", "Multinomial", "Bernoulli")
_MOST_PORTS, _MOST_NODES = 5_000, 200_000
_LEAVE = "Export it again from the library that fitted it, with standard operators, or leave it out."


def graph_of(data: bytes, file: str) -> Graph:
    """What a model is made of, in plain words and numbers.

    Parameters
    ----------
    data : bytes
        The bytes of the file.
    file : str
        Its name in messages.

    Returns
    -------
    Graph
        Its inputs, outputs, operators and size.

    Raises
    ------
    UserError
        It is no ONNX, is too large, keeps its weights elsewhere, or has operators that are not run here.

    Examples
    --------
    >>> from onnx import TensorProto, helper
    >>> x, y = (helper.make_tensor_value_info(name, TensorProto.FLOAT, [None, 1]) for name in ("x", "y"))
    >>> whole = helper.make_graph([helper.make_node("Sigmoid", ["x"], ["y"])], "g", [x], [y])
    >>> graph_of(helper.make_model(whole).SerializeToString(), "m.onnx").operators
    {'Sigmoid': 1}
    """
    if len(data) > MOST_BYTES:
        raise UserError(
            f"The fitted model has {len(data) / 1e6:.0f} MB, and at most {MOST_BYTES / 1e6:.0f} MB are read.",
            todo="Send a smaller one, or leave it out.",
            file=file,
        )
    try:
        model = onnx.load_model_from_string(data)
    except (DecodeError, ValueError) as problem:
        raise UserError(
            "It can't be read as ONNX: the file is damaged, or of another format.", todo=_LEAVE, file=file
        ) from problem
    nodes = list(_nodes(model))
    if not nodes or not model.graph.output:
        raise UserError("It can't be read as ONNX: there is no graph in it.", todo=_LEAVE, file=file)
    _refuse_operators(model, nodes, file)
    weights = {one.name for one in model.graph.initializer} | {
        one.values.name for one in model.graph.sparse_initializer
    }
    if any(one.data_location == onnx.TensorProto.EXTERNAL for one in model.graph.initializer):
        raise UserError(
            "Its weights are kept in another file, which is not read.", todo="Save it as one file.", file=file
        )
    parameters = sum(int(np.prod(one.dims)) for one in model.graph.initializer) + _in_attributes(nodes)
    return Graph(
        bytes=len(data),
        opset=", ".join(f"{one.domain or 'ai.onnx'} {one.version}" for one in model.opset_import)[:200],
        producer=f"{model.producer_name} {model.producer_version}".strip()[:LONGEST_NAME],
        nodes=len(nodes),
        operators=dict(Counter(node.op_type[:LONGEST_NAME] for node in nodes).most_common(40)),
        parameters=parameters,
        inputs=tuple(_port(one) for one in model.graph.input if one.name not in weights),
        outputs=tuple(_port(one) for one in model.graph.output),
        classes=_classes(nodes),
    )


def _nodes(model: Any) -> Iterator[Any]:
    """Every node, those of inner graphs and of functions too."""
    waiting = [*model.graph.node, *(node for one in model.functions for node in one.node)]
    while waiting:
        node = waiting.pop()
        yield node
        for attribute in node.attribute:
            inner = [attribute.g] if attribute.HasField("g") else []
            waiting.extend(node for graph in (*inner, *attribute.graphs) for node in graph.node)


def _refuse_operators(model: Any, nodes: list[Any], file: str) -> None:
    own = {one.domain for one in model.functions}
    others = sorted({f"{node.domain}.{node.op_type}" for node in nodes if node.domain not in (*_DOMAINS, *own)})
    if others:
        raise UserError(
            f"It has operators that are no standard ones: {wording.listed(shortened(others[:5]))}.",
            todo=_LEAVE,
            file=file,
        )
    drawn = sorted({node.op_type for node in nodes if node.op_type in _AT_RANDOM})
    if drawn:
        raise UserError(
            f"It draws at random ({wording.listed(drawn)}), so that a row would never have the same score twice.",
            todo="Export it as it is used to score, not as it was trained.",
            file=file,
        )
    if len(nodes) > _MOST_NODES or len(model.graph.input) > _MOST_PORTS or len(model.graph.output) > _MOST_PORTS:
        raise UserError(
            f"It has {wording.count(len(nodes))} nodes; at most {wording.count(_MOST_NODES)} are run.",
            todo="Send a smaller model, or leave it out.",
            file=file,
        )


def _in_attributes(nodes: list[Any]) -> int:
    """Numbers that nodes hold themselves, as those of trees and of weighted sums do."""
    return sum(len(attribute.floats) for node in nodes for attribute in node.attribute)


def _port(value: Any) -> Port:
    """An input or an output: what it is called, what it holds, and in what shape."""
    held = value.type
    if held.HasField("tensor_type"):
        tensor = held.tensor_type
        name = onnx.TensorProto.DataType.Name(tensor.elem_type).lower()
        kind = {"float": "float32", "double": "float64", "string": "text"}.get(name, name)
        shape = tuple(str(one.dim_value) if one.HasField("dim_value") else "any" for one in tensor.shape.dim)
        return Port(name=value.name[:LONGEST_NAME], kind=kind, shape=shape[:8])
    kind = "scores by class" if held.HasField("sequence_type") else "something else"
    return Port(name=value.name[:LONGEST_NAME], kind=kind, shape=())


def _classes(nodes: list[Any]) -> tuple[str, ...]:
    """The classes that the last classifier among the nodes names, in the order of its scores; none where none does."""
    found: tuple[str, ...] = ()
    for node in nodes:
        for attribute in node.attribute:
            if attribute.name == "classlabels_strings" and attribute.strings:
                found = tuple(one.decode("utf-8", "replace")[:LONGEST_NAME] for one in attribute.strings)
            elif attribute.name in ("classlabels_ints", "classlabels_int64s") and attribute.ints:
                found = found or tuple(str(one) for one in attribute.ints)
    return found
