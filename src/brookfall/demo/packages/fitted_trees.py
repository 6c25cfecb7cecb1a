"""Boosted trees of a recipe, fitted and written as ONNX: the fitted model that an owner sends beside the recipe."""

from typing import Any

import numpy as np
from sklearn.compose import ColumnTransformer

from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.execute import fit_model
from brookfall.core.fit.fitted import Fitted
from brookfall.core.recipe.family.family import TreeSum
from brookfall.core.recipe.fitted_model import input_name
from brookfall.core.resample.parts import given_parts
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.core.table.table import Table
from brookfall.demo.packages.write import Files


def as_onnx(files: Files, where: str, equals: float, more: float) -> bytes:
    """The recipe of a package of one yes/no, fitted on its training part; with an input a column.

    Where the column ``where`` equals a value, its log odds are ``more`` than the recipe's: a rule that somebody added
    by hand, and that the recipe does not tell.
    """
    subject = subject_of(package_from_files(files))
    if subject.recipe is None or subject.roles.part is None:
        raise ValueError("only a recipe with a training part is fitted")
    train = np.intersect1d(given_parts(subject.table, subject.roles.part)["training"], subject.rows)
    fitted = fit_model(fit_request(subject, subject.recipe, train), subject)
    return _written(fitted, where, equals, more)


def _written(fitted: Fitted, where: str, equals: float, more: float) -> bytes:
    # Loaded when it is needed: it takes longer than all else that starts the demo.
    import onnx
    from onnx import TensorProto, helper

    steps, family = fitted.prepared.steps, fitted.family
    told = None if family.tree_sum is None else family.tree_sum(fitted.made, fitted.estimator)
    if steps is None or told is None:
        raise ValueError("only prepared columns and trees are written")
    used = sorted({int(one) for grown, _ in told.trees for one in grown.column} - {-1})
    nodes: list[Any] = []
    inputs: dict[str, int] = {}
    parts: list[str] = []
    for column in used:
        feature, median, level = _prepared(fitted.features, steps, column)
        named = input_name(feature)
        if median is not None:
            inputs[named] = TensorProto.FLOAT
            filled = helper.make_node(
                "Imputer", [named], [f"{named} filled"], domain="ai.onnx.ml",
                replaced_value_float=float("nan"), imputed_value_floats=[median],
            )  # fmt: skip
            nodes.append(filled)
            parts.append(f"{named} filled")
        else:
            inputs[named], held_as = TensorProto.STRING, f"{named} {level}"
            nodes += [
                helper.make_node(
                    "OneHotEncoder", [named], [f"{held_as}, deep"], domain="ai.onnx.ml", cats_strings=[level]
                ),
                helper.make_node("Flatten", [f"{held_as}, deep"], [held_as]),
            ]
            parts.append(held_as)
    inputs[input_name(where)] = TensorProto.FLOAT
    held = [
        helper.make_tensor("value", TensorProto.FLOAT, [1], [equals]),
        helper.make_tensor("more", TensorProto.FLOAT, [1], [more]),
    ]
    nodes += [
        helper.make_node("Concat", parts, ["prepared"], axis=1),
        helper.make_node(
            "TreeEnsembleRegressor", ["prepared"], ["trees"], domain="ai.onnx.ml", **_attributes(told, used)
        ),
        helper.make_node("Equal", [input_name(where), "value"], ["there"]),
        helper.make_node("Cast", ["there"], ["there as number"], to=TensorProto.FLOAT),
        helper.make_node("Mul", ["there as number", "more"], ["added"]),
        helper.make_node("Add", ["trees", "added"], ["log odds"]),
        helper.make_node("Sigmoid", ["log odds"], ["probabilities"]),
    ]
    given = [helper.make_tensor_value_info(name, kind, [None, 1]) for name, kind in inputs.items()]
    output = helper.make_tensor_value_info("probabilities", TensorProto.FLOAT, [None, 1])
    made = helper.make_graph(nodes, "false alarm filter", given, [output], initializer=held)
    sets = [helper.make_opsetid("", 17), helper.make_opsetid("ai.onnx.ml", 3)]
    model = helper.make_model(made, opset_imports=sets, producer_name="control room")
    model.ir_version = 8
    onnx.checker.check_model(model)
    return bytes(model.SerializeToString())


def _prepared(features: Table, steps: ColumnTransformer, column: int) -> tuple[str, float | None, str]:
    """What a prepared column is made of: its feature, and the median that fills it, or else the level that it tells."""
    numbers = [one.name for one in features.columns if one.kind == "number"]
    if column < len(numbers):
        return numbers[column], float(steps.transformers_[0][1][0].statistics_[column]), ""
    column -= len(numbers)
    others = [one for one in features.columns if one.kind != "number"]
    for one, levels in zip(others, steps.transformers_[1][1][-1].categories_, strict=True):
        if column < len(levels):
            return one.name, None, one.levels[int(levels[column])]
        column -= len(levels)
    raise ValueError("more columns than levels")


def _attributes(told: TreeSum, used: list[int]) -> dict[str, Any]:
    """The trees as the operator takes them: a line a node, and a weight a leaf."""
    found: dict[str, list[Any]] = {name: [] for name in ("tree", "node", "column", "at", "mode", "left", "right")}
    leaves: dict[str, list[Any]] = {name: [] for name in ("tree", "node", "weight")}
    for number, (grown, values) in enumerate(told.trees):
        for node, column in enumerate(grown.column):
            leaf = grown.left[node] < 0
            found["tree"].append(number)
            found["node"].append(node)
            found["column"].append(0 if leaf else used.index(int(column)))
            found["at"].append(0.0 if leaf else float(grown.threshold[node]))
            found["mode"].append("LEAF" if leaf else "BRANCH_LEQ")
            found["left"].append(0 if leaf else int(grown.left[node]))
            found["right"].append(0 if leaf else int(grown.right[node]))
            if leaf:
                leaves["tree"].append(number)
                leaves["node"].append(node)
                leaves["weight"].append(float(values[node, 0]))
    return {
        "n_targets": 1,
        "base_values": [float(told.base[0])],
        "nodes_treeids": found["tree"],
        "nodes_nodeids": found["node"],
        "nodes_featureids": found["column"],
        "nodes_values": found["at"],
        "nodes_modes": found["mode"],
        "nodes_truenodeids": found["left"],
        "nodes_falsenodeids": found["right"],
        "nodes_hitrates": [1.0] * len(found["node"]),
        "nodes_missing_value_tracks_true": [0] * len(found["node"]),
        "target_treeids": leaves["tree"],
        "target_nodeids": leaves["node"],
        "target_ids": [0] * len(leaves["node"]),
        "target_weights": leaves["weight"],
    }
