"""Charging that waits for midday: what the plan says of it, offers, refuses, searches and hands over."""

import json
from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.control import DelayWindow, GridCharge
from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import run_inputs
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.settings_sheet import settings_of
from calm_relay.planning.operation.controls import control_of, open_in
from calm_relay.planning.operation.delayed_charging import best_delay, turned_away_kwh
from calm_relay.planning.operation.finance import bill_kinds, bill_of_kinds
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.studies.search import control_profiles_of, search
from tests.plans import plan

MORNING = DelayWindow(start="05:00", end="13:00", months=(4, 5, 6, 7, 8, 9))


@pytest.fixture(scope="module")
def held():
    """Two homes in Germany of whose array the limit turns much away."""
    job = demo_job("two-homes")
    return job.with_(tariff=job.tariff.with_(export_limit_kw=6.0))


@pytest.fixture(scope="module")
def planned(held):
    return plan(held)


def found(option):
    return [item for item in option.findings if item.check == "delayed charging"]


def with_windows(job, *windows):
    return job.with_(control=job.control.with_(delay_windows=windows))


def test_a_battery_that_is_full_before_midday_is_offered_the_delay_that_lowers_the_bill_most(held, planned):
    option = planned.option("ac-addon")
    (note,) = found(option)
    assert note.severity is Severity.CHECK
    assert note.measured == pytest.approx(turned_away_kwh(option.outcome.year))
    (mend,) = note.mends
    job = mend.apply(held)
    (window,) = job.control.delay_windows
    assert window.months == MORNING.months and window.summary in note.sentence
    after = plan(job).option("ac-addon")
    assert after.outcome.figures.curtailed_kwh < option.outcome.figures.curtailed_kwh - 300.0
    gained = after.outcome.money.saving - option.outcome.money.saving
    assert gained > 10.0 and f"{gained:,.0f} a year lower" in note.sentence
    # No other end of the delay does better, by runs of their own.
    bills = {}
    for hour in range(9, 17):
        ends = window.with_(end=f"{hour:02d}:00")
        year = run_inputs(inputs_of(option.design, with_windows(held, ends), planned.site, planned.demand))
        bills[ends.end] = bill_of_kinds(bill_kinds(year, held, planned.site))
    assert min(bills, key=bills.get) == window.end
    (said,) = found(after)
    assert said.severity is Severity.OK and "lower than without" in said.sentence and not said.mends


def test_a_delay_that_costs_money_is_told_with_the_way_back(planned):
    job = with_windows(demo_job("pottery"), DelayWindow(start="05:00", end="16:00"))
    option = plan(job).option("ac-addon")
    (note,) = found(option)
    assert note.severity is Severity.CHECK and "higher than without" in note.sentence
    assert "no less is turned away" in note.sentence
    assert note.mends[0].apply(job).control.delay_windows == ()


def test_where_little_is_turned_away_nothing_is_said(planned):
    for option in plan(demo_job("pottery")).live:
        assert turned_away_kwh(option.outcome.year) < 50.0
        assert not found(option)


def test_the_delay_begins_where_charging_from_the_grid_ends_and_never_meets_it(held):
    job = held.with_(battery=held.battery.with_(charge_windows=(GridCharge(start="02:00", end="06:30"),)))
    made = plan(job)
    (window,) = best_delay(made.option("ac-addon").design, job, made.site, made.demand).windows
    assert window.start == "06:30"
    all_day = job.with_(battery=job.battery.with_(charge_windows=(GridCharge(start="06:00", end="18:00"),)))
    design = made.option("ac-addon").design
    assert best_delay(design, all_day, made.site, made.demand) is None


def test_windows_of_seasons_apart_may_share_hours_and_others_may_not(held):
    winter = DelayWindow(start="06:00", end="10:00", months=(11, 12, 1))
    assert not winter.meets(MORNING) and not MORNING.meets(winter)
    assert MORNING.meets(winter.with_(months=(9, 10))) and winter.with_(months=()).meets(MORNING)
    assert with_windows(held, MORNING, winter).control.delay_windows == (MORNING, winter)
    with pytest.raises(ValidationError, match=r"delay_windows: .* overlap"):
        with_windows(held, MORNING, winter.with_(months=(9,)))
    document = json.loads(with_windows(held, MORNING).model_dump_json())
    document["battery"]["charge_windows"] = [{"start": "04:00", "end": "06:00"}]
    with pytest.raises(ValidationError, match=r"delay_windows: .* overlaps the charge window"):
        Job.model_validate(document)


def test_a_season_is_kept_by_local_clock(held, planned):
    calendar = planned.site.calendar
    steps = open_in(calendar, MORNING)
    assert set(calendar.month[steps]) == set(MORNING.months)
    assert steps.sum() == 183 * 8 * 4
    control = control_of(planned.option("ac-addon").design, with_windows(held, MORNING), calendar)
    assert np.array_equal(control.delayed, steps)
    # Today's plant has no new battery to be delayed.
    assert not control_of(planned.as_is.design, with_windows(held, MORNING), calendar).delayed.any()


def test_the_search_tries_it_where_power_is_turned_away_and_not_elsewhere(held, planned):
    assert not any("delayed" in item.name for item in control_profiles_of(held))
    tried = search(planned, most=60)
    late = [plant for plant in tried.plants if "delayed" in plant.profile]
    assert late and {plant.profile for plant in late} == {"charging delayed to 12:00"}
    for plant in late[:3]:
        assert plant.job.control.delay_windows[0].end == "12:00"
        own = next(
            item for item in tried.plants if item.design is plant.design and item.profile == "as the job says"
        )
        assert plant.brief.money.bill != pytest.approx(own.brief.money.bill, abs=0.01)


def test_the_settings_sheet_says_it(held):
    job = with_windows(held, MORNING)
    said = [item for item in settings_of(plan(job).option("ac-addon")) if item.name == "Delay charging"]
    assert [item.value for item in said] == ["05:00 to 13:00, Apr to Sep"]


def test_off_grid_no_window_delays_anything():
    job = demo_job("hut")
    late = with_windows(job, DelayWindow(start="00:00", end="23:59"))
    for option, other in zip(plan(job).live, plan(late).live, strict=True):
        assert option.outcome.figures == other.outcome.figures
        assert not found(other)


def test_delayed_or_not_is_part_of_what_a_year_is_known_by(held, planned):
    option = planned.option("ac-addon")
    inputs = inputs_of(option.design, held, planned.site, planned.demand)
    late = replace(inputs, control=replace(inputs.control, delayed=~inputs.control.delayed))
    assert late.digest != inputs.digest
