"""Seeds the demo once, through the same doors as any person."""

from datetime import timedelta

from sqlalchemy import select

from brookfall.demo import packages
from brookfall.demo.people import PASSWORD, PEOPLE
from brookfall.desk import docket, new_rows, submit
from brookfall.desk.people import add_person, person_of
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.people import Person

__all__ = ["PASSWORD", "PEOPLE", "seed", "sign_ins"]


def seed() -> None:
    """People and the eight cases: one in review, the others waiting; and a file of new rows to be scored in one of
    them. Does nothing when there are people already."""
    with transaction() as session:
        if session.scalar(select(Person.id).limit(1)) is not None:
            return
        ids = {login: add_person(session, login, name, PASSWORD, roles).id for login, name, roles in PEOPLE}
        for login, person_id in ids.items():
            person_of(session, person_id).mail = f"{login}@hollinmoor.example"
        owner, reviewer = person_of(session, ids["nell"]), person_of(session, ids["iris"])
        today = now().date()
        first = submit.submit(session, owner, packages.home_visit_1(), today + timedelta(days=11))
        submit.submit(session, owner, packages.home_visit_2(), today + timedelta(days=25))
        offers = submit.submit(session, owner, packages.smoke_alarm(), today + timedelta(days=18))
        for files, days in (
            (packages.turnout_time(), 30),
            (packages.cause_triage(), 37),
            (packages.pump_failure(), 44),
            (packages.false_alarm_filter(), 21),
            (packages.visit_slot(), 51),
        ):
            submit.submit(session, owner, files, today + timedelta(days=days))
        docket.take(session, reviewer, first.id)
        later = {"offers of the autumn.csv": packages.later_offers()}
        new_rows.ask(session, owner, offers.id, {"models": ["recipe", "tree"]}, later)


def sign_ins() -> list[str]:
    """A line for each of the demo's people."""
    return [f"{login:<6} {PASSWORD}   {name}, {', '.join(roles)}" for login, name, roles in PEOPLE]
