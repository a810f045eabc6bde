"""Charging that waits for midday: what the plan says of it, offers, refuses, searches and hands over."""

import json
from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.control import DelayWindow, GridCharge
from calm_relay.job.model import Job
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.settings_sheet import settings_of
from calm_relay.planning.operation.controls import control_of, open_in
from calm_relay.planning.operation.delayed_charging import (
    delayed_until,
    turned_away_kwh,
    waiting_of,
    with_delay,
    worth_a_window,
)
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.studies.delayed_charging import delay_sweep
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


def test_a_battery_that_is_full_before_midday_is_told_with_what_a_delay_may_save(held, planned):
    told = 0
    for option in planned.live:
        notes = found(option)
        if not notes:
            continue
        (note,) = notes
        (mend,) = note.mends
        told += 1
        assert note.severity is Severity.CHECK and mend.label == "Delay charging to 12:00"
        assert note.measured == pytest.approx(turned_away_kwh(option.outcome.year))
        job = mend.apply(held)
        assert job.control.delay_windows == (MORNING.with_(end="12:00"),)
        after = plan(job).option(option.key)
        (said,) = found(after)
        assert said.severity is Severity.OK and "05:00 to 12:00, Apr to Sep" in said.sentence
        saved = turned_away_kwh(option.outcome.year) - turned_away_kwh(after.outcome.year)
        waiting = waiting_of(option.design, held, planned.site, option.outcome.year)
        assert 0.5 * waiting.saved_kwh < saved < 1.3 * waiting.saved_kwh
        assert f"about {waiting.saved_kwh:,.0f} kWh" in note.sentence
        assert after.outcome.money.saving > option.outcome.money.saving
    assert told >= 4


def test_where_the_delay_would_cost_more_than_it_saves_none_is_offered():
    job = demo_job("dairy")
    made = plan(job)
    sweeps = 0
    for option in made.live:
        sweep = delay_sweep(made, option)
        if sweep is None or turned_away_kwh(option.outcome.year) < 50.0:
            continue
        sweeps += 1
        waiting = waiting_of(option.design, job, made.site, option.outcome.year)
        assert waiting.lost_kwh > 50.0 and waiting.worth < worth_a_window(job)
        assert sweep.gained[list(sweep.hours).index(12.0)] < 0.0 and sweep.best == 0
        assert not found(option)
    assert sweeps >= 3


def test_where_little_is_turned_away_nothing_is_said():
    for option in plan(demo_job("pottery")).live:
        assert turned_away_kwh(option.outcome.year) < 50.0
        assert not found(option)


def test_a_battery_that_is_not_full_by_then_has_nothing_to_wait_for(held, planned):
    option = planned.option("ac-addon")
    year = option.outcome.year
    # Full in the evenings alone, when nothing is turned away.
    evening = planned.site.calendar.wall_minute >= 20 * 60
    late = replace(year, stored=np.where(evening, year.stored.max(axis=1)[:, None], 0.1))
    assert waiting_of(option.design, held, planned.site, late).saved_kwh == 0.0
    assert waiting_of(planned.as_is.design, held, planned.site, planned.as_is.outcome.year) is None


def test_the_sweep_is_what_runs_of_their_own_come_to(held, planned):
    option = planned.option("ac-addon")
    sweep = delay_sweep(planned, option)
    assert np.isnan(sweep.hours[0]) and list(sweep.hours[1:]) == list(range(8, 18))
    assert sweep.place == 0 and sweep.gained[0] == 0.0
    assert sweep.turned_kwh[0] == pytest.approx(turned_away_kwh(option.outcome.year))
    # The longer it waits the less is turned away, and past some hour it is not filled any more.
    assert np.all(np.diff(sweep.turned_kwh) < 1.0)
    assert 0 < sweep.best < sweep.gained.size - 1
    for place in (4, sweep.best):
        after = plan(with_delay(held, sweep.windows[place])).option("ac-addon")
        gained = after.outcome.money.saving - option.outcome.money.saving
        assert sweep.gained[place] == pytest.approx(gained, abs=1e-6)
        assert sweep.turned_kwh[place] == pytest.approx(turned_away_kwh(after.outcome.year))


def test_a_sweep_knows_what_the_job_states_and_windows_of_its_own(held, planned):
    known = plan(with_delay(held, delayed_until(held, "13:00")))
    sweep = delay_sweep(known, known.option("ac-addon"))
    assert sweep.hours[sweep.place] == 13.0 and sweep.stated_gained == pytest.approx(sweep.gained[sweep.place])
    long = plan(with_delay(held, [DelayWindow(start="04:00", end="20:00")]))
    own = delay_sweep(long, long.option("ac-addon"))
    assert own.place is None and own.stated_gained < own.gained.max()
    assert own.stated_turned_kwh < own.turned_kwh.min()
    assert delay_sweep(planned, planned.as_is) is None
    hut = plan(demo_job("hut"))
    assert delay_sweep(hut, hut.live[1]) is None


def test_the_delay_begins_where_charging_from_the_grid_ends_and_never_meets_it(held):
    job = held.with_(battery=held.battery.with_(charge_windows=(GridCharge(start="02:00", end="06:30"),)))
    (window,) = delayed_until(job, "12:00")
    assert window == DelayWindow(start="06:30", end="12:00", months=MORNING.months)
    all_day = job.with_(battery=job.battery.with_(charge_windows=(GridCharge(start="06:00", end="18:00"),)))
    assert delayed_until(all_day, "12:00") == ()
    assert delayed_until(demo_job("pottery"), "12:00")[0].months == (1, 2, 3, 10, 11, 12)


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
    series = planned.demand.kw, np.zeros((0, calendar.steps))
    control = control_of(planned.option("ac-addon").design, with_windows(held, MORNING), calendar, *series)
    assert np.array_equal(control.delayed, steps)
    # Today's plant has no new battery to be delayed.
    assert not control_of(planned.as_is.design, with_windows(held, MORNING), calendar, *series).delayed.any()


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
