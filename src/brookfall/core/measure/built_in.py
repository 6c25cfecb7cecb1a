"""Every measure that Brookfall brings, one object each; the order is that in which they are listed."""

from collections.abc import Callable
from functools import partial
from typing import Any, TypedDict, Unpack

import numpy as np

from brookfall.core.measure import binary, calibration, choice, multiclass, number
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import Linear
from brookfall.core.measure.measure import Better, Form, Measure, Shown
from brookfall.core.measure.rank_measures import value_if_any
from brookfall.core.measure.ranking import auc, auc_linear
from brookfall.core.measure.scored import Needs, Numbers, Outcomes, ScoredClasses, ScoredNumbers

_WILSON = "Wilson 1927; Newcombe 1998 (Stat. Med. 17:857)"
_JEFFREYS = "draws of the cells under Jeffreys' prior, after Brown, Cai & DasGupta 2001"
_HALL = "Hall 1992 (J. R. Stat. Soc. B 54:221) on influence values"
_BOOTSTRAP = "Efron & Tibshirani 1993; Boyd, Eng & Page 2013 (from memory)"


def _half(shares: Numbers) -> float:  # noqa: ARG001 - a guess is right half the time whatever the shares
    return 0.5


def _none(shares: Numbers) -> float:  # noqa: ARG001 - no agreement, whatever the shares
    return 0.0


def _largest(shares: Numbers) -> float:
    return float(shares.max())


def _even(shares: Numbers) -> float:
    return 1 / len(shares)


class _Some(TypedDict, total=False):
    """Fields of a form that a few measures have."""

    hits: Callable[[Any], Outcomes]
    losses: Callable[[Any], Numbers]
    chance_loss: Callable[[Any], float]
    chance: Callable[[Numbers], float]
    standard: bool


class _Rest(_Some, total=False):
    few: Callable[[Any], bool]
    needs: Needs


class _All(_Rest, total=False):
    influence: Callable[[Any], Linear | None]


def _form(figure: Callable[[Any], Figure], *shown: Shown, **rest: Unpack[_All]) -> Form:
    return Form(figure, shown=frozenset(shown), **rest)


def _smooth(
    of: Callable[[ScoredClasses], Linear | None], low: float, high: float, *shown: Shown, **rest: Unpack[_Rest]
) -> Form:
    """Of several classes: a smooth measure with Hall's interval inside its range."""
    return _form(partial(multiclass.of_linear, of, low, high), *shown, influence=of, **rest)


def _numbers(
    of: Callable[[ScoredNumbers], Linear | None], low: float, high: float, *shown: Shown, **rest: Unpack[_Rest]
) -> Form:
    return _form(partial(number.of_linear, of, low, high), *shown, influence=of, **rest)


def _matrix(name: str, *shown: Shown) -> Form:
    return _form(
        partial(multiclass.of_matrix, name),
        *shown,
        influence=partial(multiclass.of_matrix_linear, name),
        few=multiclass.few_of_a_class,
        needs="decision",
        chance=_none,
    )


def _macro(name: str, *shown: Shown, **rest: Unpack[_Some]) -> Form:
    return _form(
        partial(multiclass.macro_share, name),
        *shown,
        influence=partial(multiclass.macro_share_linear, name),
        few=multiclass.few_of_a_class,
        needs="decision",
        **rest,
    )


_RATE_FORMULAS: tuple[tuple[str, Better, str], ...] = (
    ("true_positive_rate", "higher", "TP / (TP + FN)"),
    ("false_negative_rate", "lower", "FN / (TP + FN)"),
    ("true_negative_rate", "higher", "TN / (TN + FP)"),
    ("false_positive_rate", "lower", "FP / (TN + FP)"),
    ("positive_predictive_value", "higher", "TP / (TP + FP)"),
)
_RATES = tuple(
    Measure(
        name,
        name.replace("_", " "),
        {"binary": binary.share_form(name)},
        better=better,
        of_a_class=True,
        formula=formula,
        source=_WILSON,
    )
    for name, better, formula in _RATE_FORMULAS
)

MEASURES: tuple[Measure, ...] = (
    Measure(
        "auc",
        "AUC",
        {
            "binary": Form(
                auc,
                auc_linear,
                few=binary.few_events,
                chance=_half,
                shown=frozenset({"plan", "parts", "strip", "brief", "class"}),
                standard=True,
            ),
            "multiclass": _smooth(
                multiclass.hand_till, 0.0, 1.0, "plan", "parts", "strip", few=multiclass.few_of_a_class, chance=_half
            ),
        },
        of_a_class=True,
        formula="the share of pairs of a positive and a negative row in which the positive one has the higher score, "
        "ties counted half; of several classes the mean over pairs of classes",
        source="DeLong, DeLong & Clarke-Pearson 1988; Sun & Xu 2014; Newcombe 2006 (few events); Hand & Till 2001",
    ),
    Measure(
        "auc_ovr",
        "AUC, one against the rest",
        {"multiclass": _smooth(multiclass.one_against_rest, 0.0, 1.0, "parts", few=multiclass.few_of_a_class)},
        formula="the mean over classes of the AUC of a class's score against all other rows",
        source=_HALL,
    ),
    Measure(
        "gini",
        "Gini coefficient",
        {"binary": Form(binary.gini, binary.gini_linear, few=binary.few_events)},
        range=(-1.0, 1.0),
        of_a_class=True,
        formula="2 · AUC − 1",
        source="as AUC",
    ),
    Measure(
        "accuracy",
        "accuracy",
        {
            "binary": binary.share_form(
                "accuracy", "plan", "parts", "strip", "brief", hits=binary.right, chance=_largest
            ),
            "multiclass": _form(
                multiclass.accuracy,
                "plan",
                "parts",
                "strip",
                "brief",
                influence=multiclass.accuracy_linear,
                needs="decision",
                hits=multiclass.right,
                chance=_largest,
            ),
        },
        of_a_class=True,
        formula="rows decided as they are / all rows",
        source=_WILSON,
    ),
    Measure(
        "balanced_accuracy",
        "balanced accuracy",
        {
            "binary": binary.function_form("balanced_accuracy", "plan", "parts", chance=_half),
            "multiclass": _macro("recall", "plan", "parts", "strip", "brief", standard=True, chance=_even),
        },
        of_a_class=True,
        formula="the mean over classes of the share of the class that is found",
        source=f"{_JEFFREYS}; of several classes Zou & Donner 2008",
    ),
    Measure(
        "recall",
        "recall",
        {"binary": binary.share_form("recall", "parts", "strip", "class"), "multiclass": _macro("recall")},
        of_a_class=True,
        formula="TP / (TP + FN)",
        source=_WILSON,
    ),
    Measure(
        "specificity",
        "specificity",
        {
            "binary": binary.share_form("specificity", "parts"),
            "multiclass": _smooth(
                partial(multiclass.macro_share_linear, "specificity"),
                *(0.0, 1.0, "parts"),
                few=multiclass.few_of_a_class,
                needs="decision",
            ),
        },
        of_a_class=True,
        formula="TN / (TN + FP)",
        source=_WILSON,
    ),
    Measure(
        "precision",
        "precision",
        {
            "binary": binary.share_form("precision", "parts", "strip", "class"),
            "multiclass": _macro("precision", "parts"),
        },
        of_a_class=True,
        formula="TP / (TP + FP)",
        source=_WILSON,
    ),
    Measure(
        "negative_predictive_value",
        "negative predictive value",
        {"binary": binary.share_form("negative_predictive_value", "parts")},
        of_a_class=True,
        formula="TN / (TN + FN)",
        source=_WILSON,
    ),
    Measure(
        "selection_rate",
        "selection rate",
        {"binary": binary.share_form("selection_rate", "parts", "class", hits=binary.selected)},
        better=None,
        of_a_class=True,
        gap=False,
        formula="rows decided positive / all rows",
        source=_WILSON,
    ),
    Measure(
        "base_rate",
        "base rate",
        {"binary": binary.share_form("base_rate", "parts", "class")},
        better=None,
        of_a_class=True,
        gap=False,
        formula="rows truly positive / all rows",
        source=_WILSON,
    ),
    Measure(
        "f1",
        "F1",
        {
            "binary": binary.function_form("f1", "plan", "parts", "class"),
            "multiclass": _smooth(
                partial(multiclass.macro_function_linear, "f1"),
                *(0.0, 1.0, "plan", "parts", "strip"),
                few=multiclass.few_of_a_class,
                needs="decision",
            ),
        },
        of_a_class=True,
        formula="2 · TP / (2 · TP + FP + FN)",
        source=_JEFFREYS,
    ),
    Measure(
        "mcc",
        "Matthews correlation",
        {
            "binary": binary.function_form("mcc", "plan", "parts", chance=_none),
            "multiclass": _matrix("mcc", "plan", "parts"),
        },
        range=(-1.0, 1.0),
        of_a_class=True,
        formula="(TP · TN − FP · FN) / √((TP + FP)(TP + FN)(TN + FP)(TN + FN))",
        source=f"Matthews 1975; Gorodkin 2004; {_JEFFREYS}",
    ),
    Measure(
        "kappa",
        "kappa",
        {
            "binary": binary.function_form("kappa", "plan", "parts", chance=_none),
            "multiclass": _matrix("kappa", "plan", "parts", "strip"),
        },
        range=(-1.0, 1.0),
        of_a_class=True,
        formula="(agreement − agreement by chance) / (1 − agreement by chance)",
        source=f"Cohen 1960; {_JEFFREYS}",
    ),
    Measure(
        "average_precision",
        "average precision",
        {"binary": binary.rank_form("average_precision", "parts", "class")},
        of_a_class=True,
        formula="precision at each positive row's score, averaged over the positive rows",
        source=_BOOTSTRAP,
    ),
    Measure(
        "ks",
        "KS distance",
        {
            "binary": Form(
                binary.ks, value=partial(value_if_any, "ks"), few=binary.few_events, shown=frozenset({"parts"})
            )
        },
        of_a_class=True,
        formula="the largest distance between the cumulated scores of positive and of negative rows",
        source=_BOOTSTRAP,
    ),
    Measure(
        "gain_at_20",
        "gain at 20 %",
        {"binary": binary.rank_form("gain_at_20")},
        of_a_class=True,
        formula="the share of positive rows among the fifth with the highest scores",
        source=_BOOTSTRAP,
    ),
    Measure(
        "lift_at_20",
        "lift at 20 %",
        {"binary": Form(binary.lift, value=binary.lift_value, few=binary.few_events, shown=frozenset({"parts"}))},
        range=(0.0, 5.0),
        of_a_class=True,
        formula="gain at 20 % / 0.2",
        source=_BOOTSTRAP,
    ),
    Measure(
        "brier",
        "Brier score",
        {
            "binary": Form(
                binary.brier,
                binary.brier_linear,
                few=binary.few_events,
                needs="probability",
                losses=binary.brier_losses,
                chance_loss=binary.brier_by_chance,
                shown=frozenset({"plan", "parts", "strip", "brief", "dial"}),
            ),
            "multiclass": _smooth(multiclass.brier, 0.0, 2.0, "plan", "parts", "dial", needs="probability"),
        },
        better="lower",
        range=(0.0, 2.0),
        of_a_class=True,
        formula="the mean of (probability − outcome)²; of several classes summed over them",
        source=f"Brier 1950; {_HALL}",
    ),
    Measure(
        "log_loss",
        "log loss",
        {
            "binary": Form(
                binary.log_loss,
                binary.log_loss_linear,
                few=binary.few_events,
                needs="probability",
                shown=frozenset({"plan", "parts"}),
            ),
            "multiclass": _smooth(multiclass.log_loss, 0.0, np.inf, "plan", "parts", "brief", needs="probability"),
        },
        better="lower",
        range=(0.0, None),
        of_a_class=True,
        formula="the mean of −ln of the probability of what happened, clipped at 1e-15",
        source=_HALL,
    ),
    Measure(
        "calibration_slope",
        "calibration slope",
        {
            "binary": Form(
                calibration.slope,
                calibration.slope_linear,
                few=binary.few_to_calibrate,
                needs="probability",
                shown=frozenset({"parts"}),
            ),
            "number": _numbers(number.calibration_slope, -np.inf, np.inf, "parts"),
        },
        better=1.0,
        range=(None, None),
        gap=False,
        formula="slope of the logistic regression of the outcome on the logit of the probability; of a number that of "
        "the least-squares line of the outcome on the prediction",
        source=f"Cox 1958; {_HALL}",
    ),
    Measure(
        "observed_over_expected",
        "observed over expected",
        {
            "binary": Form(
                calibration.observed_over_expected,
                calibration.observed_over_expected_linear,
                few=binary.few_events,
                needs="probability",
                shown=frozenset({"parts"}),
            )
        },
        better=1.0,
        range=(0.0, None),
        gap=False,
        formula="the share of positive rows over the mean probability",
        source=f"Steyerberg 2019, ch. 15 (from memory); {_HALL}, on the log scale",
    ),
    Measure(
        "mean_error_in_sd",
        "mean error in SDs of the outcome",
        {"number": _numbers(number.mean_error_in_sd, -np.inf, np.inf, "parts")},
        better=0.0,
        range=(None, None),
        gap=False,
        formula="mean of prediction minus outcome, over the standard deviation of the outcome",
        source=_HALL,
    ),
    Measure(
        "scaled_brier",
        "scaled Brier score",
        {
            "binary": Form(
                calibration.scaled_brier,
                calibration.scaled_brier_linear,
                few=binary.few_events,
                needs="probability",
                chance=_none,
                shown=frozenset({"parts"}),
            )
        },
        range=(None, 1.0),
        formula="1 less the Brier score over that of the base rate",
        source=f"Steyerberg et al. 2010 (from memory); {_HALL}",
    ),
    Measure(
        "calibration_intercept",
        "calibration intercept",
        {
            "binary": Form(
                calibration.intercept,
                calibration.intercept_linear,
                few=binary.few_to_calibrate,
                needs="probability",
                shown=frozenset({"parts"}),
            )
        },
        better=0.0,
        range=(None, None),
        gap=False,
        formula="intercept of that regression with the slope fixed at 1",
        source=f"Cox 1958; {_HALL}",
    ),
    Measure(
        "expected_calibration_error",
        "expected calibration error",
        {
            "binary": Form(
                calibration.expected_error, few=binary.few_events, needs="probability", shown=frozenset({"parts"})
            ),
            "multiclass": _form(multiclass.expected_calibration_error, "parts", needs="probability"),
        },
        better="lower",
        of_a_class=True,
        gap=False,
        formula="the mean over ten equal-count bins of |mean probability − share of positives|",
        source="common practice; shown with its value by chance",
    ),
    Measure(
        "error_rate",
        "error rate",
        {
            "binary": binary.share_form(
                "error_rate",
                "dial",
                hits=binary.not_right,
                losses=binary.wrong,
                chance_loss=binary.error_by_chance,
            ),
            "multiclass": _form(
                multiclass.error_rate,
                "dial",
                influence=multiclass.error_linear,
                needs="decision",
                hits=multiclass.not_right,
                losses=multiclass.wrong,
                chance_loss=multiclass.error_by_chance,
            ),
        },
        better="lower",
        of_a_class=True,
        formula="rows decided otherwise than they are / all rows",
        source=_WILSON,
    ),
    *_RATES,
    Measure(
        "r2",
        "R²",
        {"number": _numbers(number.r2, -np.inf, 1.0, "plan", "parts", "strip", "brief", standard=True, chance=_none)},
        range=(None, 1.0),
        formula="1 − Σ(outcome − prediction)² / Σ(outcome − mean)²",
        source=_HALL,
    ),
    Measure(
        "rmse",
        "RMSE",
        {"number": _form(number.rmse_figure, "plan", "parts", "strip", "brief", influence=number.rmse)},
        better="lower",
        range=(0.0, None),
        scale="unit",
        formula="√ of the mean of (prediction − outcome)²",
        source=_HALL,
    ),
    Measure(
        "mae",
        "mean absolute error",
        {
            "number": _numbers(
                number.mae,
                *(0.0, np.inf, "plan", "parts", "strip", "brief"),
                losses=number.absolute_errors,
                chance_loss=number.distance_by_chance,
            )
        },
        better="lower",
        range=(0.0, None),
        scale="unit",
        formula="the mean of |prediction − outcome|",
        source=_HALL,
    ),
    Measure(
        "mse",
        "mean squared error",
        {
            "number": _numbers(
                number.mse,
                *(0.0, np.inf, "plan", "parts", "dial"),
                losses=number.squared_errors,
                chance_loss=number.square_by_chance,
            )
        },
        better="lower",
        range=(0.0, None),
        scale="square",
        formula="the mean of (prediction − outcome)²",
        source=_HALL,
    ),
    Measure(
        "bias",
        "bias",
        {"number": _numbers(number.bias, -np.inf, np.inf, "parts")},
        better=0.0,
        range=(None, None),
        scale="unit",
        gap=False,
        formula="the mean of prediction − outcome",
        source=_HALL,
    ),
    Measure(
        "mean_score",
        "mean score",
        {
            "binary": Form(binary.mean_score, binary.mean_score_linear, shown=frozenset({"parts"})),
            "number": _numbers(number.mean_prediction, -np.inf, np.inf, "parts"),
        },
        range=(None, None),
        scale="unit",
        better=None,
        of_a_class=True,
        gap=False,
        formula="the mean of the scores, or of the predictions",
        source=_HALL,
    ),
    Measure(
        "mean_chosen_probability",
        "mean probability of the chosen",
        {
            "choice": _form(
                choice.mean_chosen_probability,
                *("plan", "parts", "strip", "brief"),
                influence=choice.mean_chosen_probability_linear,
                standard=True,
            )
        },
        formula="the mean over occasions of the probability of the alternative that was chosen",
        source=_HALL,
    ),
    Measure(
        "hit_rate",
        "hit rate",
        {"choice": _form(choice.hit_rate, "plan", "parts", "strip", "brief", influence=choice.hit_rate_linear)},
        formula="occasions on which the likeliest alternative was chosen / all occasions",
        source=_WILSON,
    ),
    Measure(
        "rho_squared",
        "ρ²",
        {"choice": _form(choice.rho_squared, "plan", "parts", "strip", "brief", influence=choice.rho_squared_linear)},
        range=(None, 1.0),
        formula="1 − log-likelihood / log-likelihood of guessing evenly",
        source=f"McFadden 1974; {_HALL}",
    ),
    Measure(
        "log_likelihood",
        "log-likelihood",
        {"choice": _form(choice.log_likelihood, "parts", influence=choice.log_likelihood_linear)},
        range=(None, 0.0),
        gap=False,
        formula="the sum over occasions of the log of the probability of the chosen",
        source=f"McFadden 1974; {_HALL}",
    ),
    # Quantities that a check computes and that have no form of their own.
    Measure("ici", "ICI, mean distance of curve and score", better="lower", gap=False),
    Measure("e90", "E90, distance of curve and score in nine of ten rows", better="lower", gap=False),
    Measure("spiegelhalter_z", "Spiegelhalter's z", better=0.0, range=(None, None), gap=False),
    Measure("hosmer_lemeshow", "Hosmer and Lemeshow's chi-square", better="lower", range=(0.0, None), gap=False),
    Measure("mean_outcome", "mean outcome", range=(None, None), scale="unit", better=None, gap=False),
    Measure(
        "score_movement",
        "mean movement of a score",
        better="lower",
        range=(0.0, None),
        scale="unit",
        gap=False,
        formula="the mean over rows and refits of the distance to the submitted model's score; of classes half the sum",
        source=f"Riley & Collins 2023 (from memory); {_HALL}",
    ),
    Measure(
        "decisions_turned",
        "share of decisions that turn",
        better="lower",
        gap=False,
        formula="the mean over rows of the share of refits that decide otherwise",
        source=f"Riley & Collins 2023 (from memory); {_HALL}",
    ),
    Measure("rank_agreement", "agreement of ranks, Kendall's W", gap=False, source="Kendall & Babington Smith 1939"),
    Measure(
        "share_of_wrong_labels_at_most",
        "share of wrong labels, at most",
        better="lower",
        gap=False,
        formula="the upper limit of contradictions among the rows surest of each class",
        source=_WILSON,
    ),
    Measure("share_of_wrong_labels_at_least", "share of wrong labels, at least", better="lower", gap=False),
    Measure("reset", "RESET's F", better=None, range=(0.0, None), gap=False, source="Ramsey 1969"),
    Measure("link_test", "z of the link test", better=0.0, range=(None, None), gap=False, source="Pregibon 1980"),
    Measure("breusch_pagan", "Breusch–Pagan", better=None, range=(0.0, None), gap=False, source="Koenker 1981"),
    Measure("robust_error_ratio", "robust over usual standard error", better=1.0, range=(0.0, None), gap=False),
    Measure("cooks_distance", "Cook's distance", better="lower", range=(0.0, None), gap=False, source="Cook 1977"),
    Measure("split_gain", "gain of a split", range=(None, None), better=None, gap=False),
    Measure("unseen_split_gain", "gain of a split, unseen", range=(None, None), better=None, gap=False),
    Measure(
        "looked_at_auc",
        "AUC of the score for being looked at",
        better=0.5,
        gap=False,
        formula="the AUC of the score for whether a row's outcome was looked at; 0.5 where that took no regard to it",
        source="DeLong et al. 1988",
    ),
    Measure(
        "elasticity",
        "elasticity",
        range=(None, None),
        better=None,
        scale="unit",
        gap=False,
        formula="by how many per cent 1 % more of a feature of one alternative changes an expected share",
        source="Train 2009 (from memory); delta method",
    ),
    Measure(
        "hausman_mcfadden",
        "Hausman and McFadden's chi-square",
        better=None,
        range=(0.0, None),
        gap=False,
        source="Hausman & McFadden 1984",
    ),
    Measure("net_benefit", "net benefit", range=(None, 1.0), gap=False),
    Measure("net_benefit_of_all", "net benefit of acting on all", range=(None, 1.0), gap=False),
    Measure("net_benefit_over_all", "net benefit over acting on all", range=(None, None), gap=False),
    Measure(
        "selected_over_capacity", "share selected, over the capacity", better="lower", range=(0.0, None), gap=False
    ),
    Measure("recall_at_capacity", "recall at the capacity", gap=False),
    Measure("precision_at_capacity", "precision at the capacity", gap=False),
    Measure("lift_at_capacity", "lift at the capacity", range=(0.0, None), gap=False),
    Measure("fold_sd_ratio", "SD over folds, against sampling alone", better=1.0, range=(0.0, None), gap=False),
)
"""A measure of a name that is here already can't be brought by another package."""
