"""Requests for fits of a subject: what a fit can see is in its key, and nothing else is."""

from brookfall.core.fit.request import FitRequest, Rows, Tuning
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject


def fit_request(
    subject: Subject,
    recipe: Recipe,
    train: Rows,
    features: tuple[str, ...] | None = None,
    tuning: Tuning | None = None,
) -> FitRequest:
    """The request to fit a recipe on rows of a subject.

    Parameters
    ----------
    subject
        Whose rows, roles and outcome.
    recipe
        What is fitted.
    train
        Sorted positions of the rows that it learns from, a row as often as it counts.
    features
        The columns that it learns from; None for the subject's own.
    tuning
        Settings that are chosen inside the training rows.
    """
    chosen = subject.features if features is None else features
    return FitRequest(
        recipe=recipe,
        table=subject.seen_by(chosen),
        features=chosen,
        target=subject.roles.target,
        outcome=subject.outcome,
        classes=subject.target.classes,
        weight=subject.roles.weight,
        train=train,
        beside=subject.beside,
        tuning=tuning,
    )
