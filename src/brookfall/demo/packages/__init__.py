"""Submission packages of the demo, generated from a seed, with faults planted for a reviewer to find."""

from brookfall.demo.packages.alarms import later_offers, smoke_alarm
from brookfall.demo.packages.filter import false_alarm_filter
from brookfall.demo.packages.homes import home_visit_1, home_visit_2
from brookfall.demo.packages.pumps import pump_failure
from brookfall.demo.packages.slots import visit_slot
from brookfall.demo.packages.triage import cause_triage
from brookfall.demo.packages.turnout import turnout_time

__all__ = [
    "cause_triage",
    "false_alarm_filter",
    "home_visit_1",
    "home_visit_2",
    "later_offers",
    "pump_failure",
    "smoke_alarm",
    "turnout_time",
    "visit_slot",
]
