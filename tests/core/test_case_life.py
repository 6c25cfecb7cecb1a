"""What befalls a case beside its review, act by act, against what the words of the product say."""

from itertools import product

from brookfall.core.evidence.words import CASE_STATES
from brookfall.core.judge.case_life import ACTS, LIFE, PRIORITIES, STATES, CaseAct, CaseState
from brookfall.core.judge.life import PARTS, Part

ALLOWED: dict[Part, dict[CaseState, set[CaseAct]]] = {
    "reviewer": {
        "waiting": {"reschedule", "prioritise"},
        "in_review": {"release", "hand_over", "reschedule", "prioritise"},
        "proposed": {"reschedule", "prioritise", "take_back"},
        "decided": {"hand_over"},
    },
    "countersigner": {
        "waiting": {"reschedule", "prioritise"},
        "in_review": {"hand_over", "reschedule", "prioritise"},
        "proposed": {"reschedule", "prioritise"},
        "decided": {"hand_over"},
    },
    "owner": {"waiting": {"withdraw"}, "in_review": {"withdraw"}},
}


def test_every_act_is_of_those_whose_it_is_and_of_nobody_else() -> None:
    for part, state, act in product(PARTS, STATES, ACTS):
        assert LIFE.may(act, state, {part}, state) == (act in ALLOWED[part].get(state, set())), (part, state, act)
        assert not LIFE.may(act, state, set(), state)
    assert not LIFE.acts_of("withdrawn", set(PARTS), "withdrawn"), "what was withdrawn stays so"


def test_acts_lead_where_they_say_and_all_have_words() -> None:
    assert LIFE.after("release", "in_review") == "waiting"
    assert LIFE.after("take_back", "proposed") == "in_review"
    assert LIFE.after("withdraw", "waiting") == LIFE.after("withdraw", "in_review") == "withdrawn"
    assert LIFE.after("hand_over", "decided") == "decided"
    assert set(CASE_STATES) == set(STATES)
    assert set(LIFE) == set(ACTS)
    assert all(LIFE[act].reasoned for act in ACTS)
    assert PRIORITIES == ("high", "normal", "low")
