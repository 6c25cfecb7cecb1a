"""Numbers, several classes and supplied scores as a reviewer meets them: the plan's sentences, the exhibits."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.e2e.conftest import MANY_FITS, Open, planned
from tests.e2e.test_walks import RUN_MS, go


def taken(page: Page, model: str) -> None:
    page.get_by_role("link", name=model).first.click()
    go(page, "Brief")
    page.get_by_role("button", name="Take this case").click()
    page.get_by_role("button", name="Take this case").wait_for(state="detached")
    go(page, "Plan")


def run(page: Page) -> None:
    planned(page, without=MANY_FITS)
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Holdout"))).to_be_enabled(timeout=RUN_MS)
    expect(page.get_by_role("status")).to_have_count(0, timeout=RUN_MS)


def opened(page: Page, name: str) -> Locator:
    page.get_by_role("button", name=re.compile(rf"^\d+ {name}\b(?!,)")).click()
    return page.get_by_role("article")


def test_a_number_is_planned_with_random_splits_and_judged_by_r2(open_as: Open) -> None:
    page = open_as("iris")
    taken(page, "Turnout time 1.3")
    expect(page.get_by_text("Only a binary outcome is decided by a threshold").first).to_be_visible()
    expect(page.get_by_label("Main measure")).to_have_value("r2")
    expect(page.get_by_label("Limit on the gap in R²")).to_have_value("0.1")
    expect(page.get_by_label("Rows are split")).to_have_value("time")  # the rows have a time
    page.get_by_label("Kind of cross-validation").select_option("random_splits")
    page.get_by_label("Folds", exact=True).fill("4")
    page.get_by_label("Folds", exact=True).press("Enter")
    page.get_by_label("Share held out").fill("25")
    page.get_by_label("Share held out").press("Enter")
    expect(page.get_by_label("Stratified split")).to_have_count(0)
    run(page)
    expect(opened(page, "Cross-validation")).to_contain_text("Over 4 random holdouts")
    gap = opened(page, "Gap")
    expect(gap).to_contain_text("R² is")
    expect(gap.get_by_role("img", name=re.compile("Training and unseen rows"))).to_have_count(2)
    expect(opened(page, "Group by group")).to_contain_text("The mean error of station area Hill farms is")


def test_several_classes_have_a_matrix_of_their_own(open_as: Open) -> None:
    page = open_as("iris")
    taken(page, "Cause triage 0.9")
    expect(page.get_by_label("Rows are split")).to_have_value("groups")
    expect(page.get_by_text("Intervals take rows of one station together")).to_be_visible()
    page.get_by_label("Folds", exact=True).fill("3")
    page.get_by_label("Folds", exact=True).press("Enter")
    run(page)
    holdout = opened(page, "Holdout")
    matrix = holdout.get_by_role("table", name=re.compile("Confusion matrix"))
    for cause in ("cooking", "deliberate", "electrical", "heating", "smoking materials"):
        expect(matrix.get_by_role("columnheader", name=cause)).to_be_visible()
        expect(matrix.get_by_role("rowheader", name=cause)).to_be_visible()
    expect(holdout.get_by_role("table", name=re.compile("Class by class"))).to_be_visible()


def test_supplied_scores_are_tested_without_a_recipe(open_as: Open) -> None:
    page = open_as("iris")
    taken(page, "Pump failure 3.0")
    expect(page.get_by_text("needs a recipe to refit").first).to_be_visible()
    expect(page.get_by_text("The supplied scores (1000 training · 490 test · 10 new pumps)")).to_be_visible()
    run(page)
    claims = opened(page, "Claims")
    expect(claims).to_contain_text("2 not reproduced and 1 can't be checked")
    expect(opened(page, "Holdout")).to_contain_text("By the supplied scores of 490 rows (test)")
    expect(opened(page, "Gap")).to_contain_text("beyond the limit")


def test_every_check_of_the_data_stands_in_the_plan_with_its_limit(open_as: Open) -> None:
    page = open_as("iris")
    page.get_by_role("link", name="False alarm filter 1.3").first.click()
    go(page, "Plan")
    fit = page.get_by_role("region", name="1 Is the data fit for use?")
    for name in ("profile", "association", "leaks", "without leaks", "repeats", "shift", "labels"):
        expect(fit.get_by_label(f"Run {name}")).to_be_checked()
    expect(page.get_by_label("Limit on what one column tells alone")).to_have_value("0.95")
    expect(page.get_by_label("Limit on the population stability index")).to_have_value("0.25")


def test_a_choice_is_asked_all_seven_questions_by_occasion(open_as: Open) -> None:
    page = open_as("iris")
    taken(page, "Visit slot choice 1.0")
    expect(page.get_by_label("Main measure")).to_have_value("mean_chosen_probability")
    expect(page.get_by_text("by whole occasions").first).to_be_visible()
    expect(page.get_by_label("Kind of cross-validation").locator("option")).to_have_count(3)  # no resampled occasions
    page.get_by_label("Folds", exact=True).fill("4")
    page.get_by_label("Folds", exact=True).press("Enter")
    run(page)
    expect(opened(page, "Claims")).to_contain_text("The one claim is compatible")
    expect(opened(page, "Holdout")).to_contain_text("On 450 occasions it has not seen")
    expect(opened(page, "Cross-validation")).to_contain_text("Over 4 held-out folds of 1 050 occasions")
    expect(opened(page, "Gap")).to_contain_text("on training occasions")
    expect(opened(page, "Baseline")).to_contain_text("It beats the observed shares")
    expect(opened(page, "Group by group")).to_contain_text("class Saturday")
    substitution = opened(page, "Substitution")
    expect(substitution).to_contain_text("off the share of weekday morning")
    expect(substitution.get_by_role("table", name=re.compile("Refitted without one alternative"))).to_be_visible()
    choice = opened(page, "Choice")
    expect(choice.get_by_role("table", name=re.compile("The first 40 of 450 test occasions"))).to_be_visible()
    # The occasions behind a cell say what each alternative was given, and one choice drawn from it.
    choice.get_by_role("table", name=re.compile("Chosen down")).get_by_role("link").first.click()
    expect(page.get_by_role("columnheader", name="score of Saturday")).to_be_visible()
    expect(page.get_by_role("columnheader", name="simulated")).to_be_visible()
