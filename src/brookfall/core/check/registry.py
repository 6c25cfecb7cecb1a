"""Every check by name, in the order of the seven questions. Others are added by entry points."""

from functools import cache

from brookfall.core.check.check import Check
from brookfall.core.check.claims.claims import Claims
from brookfall.core.check.data.association import WithTarget
from brookfall.core.check.data.duplicates import Repeats
from brookfall.core.check.data.labels import LabelCheck
from brookfall.core.check.data.leaks import Leaks
from brookfall.core.check.data.profile import Profile
from brookfall.core.check.data.shift import PartShift
from brookfall.core.check.data.without_leaks import WithoutLeaks
from brookfall.core.check.fairness.direct_use import DirectUse
from brookfall.core.check.fairness.group_by_group import ByGroup
from brookfall.core.check.fairness.group_combinations import Combined
from brookfall.core.check.fairness.group_thresholds import ByThreshold
from brookfall.core.check.fairness.group_versions import OverVersions
from brookfall.core.check.fairness.leaving_out import LeavingOut
from brookfall.core.check.fairness.not_collected import NotCollected
from brookfall.core.check.fairness.proxies import Proxies
from brookfall.core.check.memory.complexity_curve import Complexity
from brookfall.core.check.memory.gap import Gap
from brookfall.core.check.memory.leaked_preprocessing import Preparation
from brookfall.core.check.memory.learning_curve import Learning
from brookfall.core.check.memory.optimism import Optimism
from brookfall.core.check.memory.shuffled_target import Shuffled
from brookfall.core.check.memory.surrogate_gap import SurrogateGap
from brookfall.core.check.memory.trees import Trees
from brookfall.core.check.sense.assumptions import Assumptions
from brookfall.core.check.sense.choice_model import Choice
from brookfall.core.check.sense.coefficients import CoefficientCheck
from brookfall.core.check.sense.partial_dependence import Shape
from brookfall.core.check.sense.permutation_importance import Influence
from brookfall.core.check.sense.sensitivity import Sensitivity
from brookfall.core.check.sense.substitution import Substitution
from brookfall.core.check.sense.surrogate import Surrogate
from brookfall.core.check.simpler.baseline import Baseline
from brookfall.core.check.simpler.challengers import Challengers
from brookfall.core.check.simpler.version_in_use import AgainstInUse
from brookfall.core.check.unseen.calibration import Calibration
from brookfall.core.check.unseen.cross_validation import CrossValidation
from brookfall.core.check.unseen.holdout import Holdout
from brookfall.core.check.unseen.luck_of_the_split import Luck
from brookfall.core.check.unseen.not_observed import NotObserved
from brookfall.core.check.unseen.over_time import OverTime
from brookfall.core.check.unseen.segments import Segments
from brookfall.core.check.unseen.stability import Stability
from brookfall.core.check.unseen.threshold import Threshold
from brookfall.core.check.unseen.use import Use
from brookfall.core.foundation.plugins import with_plugins
from brookfall.core.foundation.wording import capital
from brookfall.core.plan.revisions import FORMER_CHECKS

GROUP = "brookfall.checks"
"""Entry points of this group are checks of other packages, as classes or made."""

BUILT_IN: tuple[Check, ...] = (
    Profile(),
    WithTarget(),
    Leaks(),
    WithoutLeaks(),
    Repeats(),
    PartShift(),
    LabelCheck(),
    Claims(),
    Holdout(),
    CrossValidation(),
    Calibration(),
    Threshold(),
    Use(),
    Luck(),
    Segments(),
    OverTime(),
    Stability(),
    NotObserved(),
    Gap(),
    SurrogateGap(),
    Shuffled(),
    Complexity(),
    Learning(),
    Preparation(),
    Optimism(),
    Trees(),
    Baseline(),
    Challengers(),
    AgainstInUse(),
    ByGroup(),
    Combined(),
    DirectUse(),
    Proxies(),
    LeavingOut(),
    NotCollected(),
    ByThreshold(),
    OverVersions(),
    CoefficientCheck(),
    Assumptions(),
    Influence(),
    Surrogate(),
    Shape(),
    Sensitivity(),
    Choice(),
    Substitution(),
)

_FORMER_TITLES = {
    "selection": "Selection",
    "selection_pairs": "Selection, pairs",
    "errors": "Errors",
    "errors_pairs": "Errors, pairs",
}
"""Checks of question 6 that runs of an earlier program may hold."""


@cache
def checks() -> dict[str, Check]:
    """Every check by name: question by question our own, then those of other packages.

    Raises
    ------
    ValueError
        A package brings a check of a name that is taken.

    Examples
    --------
    >>> list(checks())[:2]
    ['profile', 'association']
    """
    found = with_plugins(BUILT_IN, GROUP, Check)  # type: ignore[type-abstract]
    return dict(sorted(found.items(), key=lambda pair: pair[1].question))


def checks_of(outcome: str) -> tuple[str, ...]:
    """The names of the checks that there are for an outcome.

    >>> checks_of("choice")[-2:], "choice" in checks_of("binary")
    (('choice', 'substitution'), False)
    """
    return tuple(name for name, check in checks().items() if outcome in check.outcomes)


def called_now(name: str) -> str:
    """The name by which a check goes now.

    >>> called_now("errors"), called_now("gap")
    ('groups', 'gap')
    """
    return FORMER_CHECKS.get(name, name)


def title_of(name: str) -> tuple[str, int]:
    """A check's title and question, of one that is no longer made or not installed too.

    >>> title_of("gap"), title_of("errors"), title_of("of_another_package")
    (('Gap', 4), ('Errors', 6), ('Of another package', 7))
    """
    check = checks().get(name)
    if check is not None:
        return check.title, check.question
    return (_FORMER_TITLES[name], 6) if name in _FORMER_TITLES else (capital(name.replace("_", " ")), 7)
