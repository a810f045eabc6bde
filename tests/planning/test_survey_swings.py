"""What is measured, assumed and missing of a job, and what each assumed thing could change."""

import pytest

from calm_relay.exchange.shipped import DEMOS, demo_job, library
from calm_relay.planning.common.progress import Cancelled
from calm_relay.planning.studies.survey import entries_of, swings_of
from tests.planning.test_new_job import begun
from tests.plans import plan


@pytest.fixture(scope="module")
def new():
    return plan(begun("tralee"))


def test_a_new_jobs_survey_says_what_is_assumed_and_sorts_it_by_what_it_could_change(new, tmp_path):
    result = swings_of(new, tmp_path)
    keys = [swing.entry.key for swing in result.swings]
    assert {"climate", "demand", "horizon", "soiling", "fuse", "price", "feed_in", "place", "elevation"} == set(
        keys
    )
    order = [(not swing.changes_choice, -swing.saving, -swing.hours) for swing in result.swings]
    assert order == sorted(order)
    by_key = {swing.entry.key: swing for swing in result.swings}
    # Price and demand weigh more than two hundred metres of height.
    assert by_key["price"].saving > by_key["elevation"].saving
    assert by_key["demand"].saving > 1.0
    assert all(len(swing.ends) == 2 for swing in result.swings)
    missing = {entry.key for entry in result.rest if entry.status == "missing"}
    assert {"board", "busbar", "limit", "size-0"} <= missing


def test_the_swing_of_a_price_is_what_the_plan_at_both_ends_says(new, tmp_path):
    swing = next(one for one in swings_of(new, tmp_path).swings if one.entry.key == "price")
    key = new.choice.key
    for end, factor in zip(swing.ends, (0.8, 1.2), strict=True):
        job = new.job.with_(tariff=new.job.tariff.with_(price=round(new.job.tariff.price * factor, 6)))
        there = plan(job)
        assert end.saving == pytest.approx(there.option(key).outcome.money.saving)
        assert end.choice == there.option(there.choice.key).title


def test_what_is_confirmed_or_measured_no_longer_swings(new, tmp_path):
    confirmed = plan(new.job.with_(assumed=()))
    keys = {swing.entry.key for swing in swings_of(confirmed, tmp_path).swings}
    assert keys.isdisjoint({"price", "feed_in", "fuse", "place", "elevation"})
    drawn = new.job.with_(losses=new.job.losses.with_(soiling=0.03))
    assert "soiling" not in {entry.key for entry in entries_of(plan(drawn)) if entry.ends}


@pytest.mark.parametrize("name", DEMOS)
def test_every_demo_has_its_survey(name, tmp_path):
    made = plan(demo_job(name))
    entries = entries_of(made)
    assert len({entry.key for entry in entries}) == len(entries)
    assert {entry.status for entry in entries} >= {"measured", "assumed"}
    for entry in entries:
        assert bool(entry.ends) == (entry.status == "assumed" and bool(entry.between))
        for turn in entry.ends:
            assert turn(made.job).name == made.job.name


def test_a_battery_without_an_array_has_no_roof_to_measure(tmp_path):
    entries = entries_of(plan(begun("tralee", modules=0)))
    assert not [entry for entry in entries if entry.station == "Roof" or entry.key == "horizon"]


def test_it_can_be_called_off(new, tmp_path):
    def off(done, what):
        raise Cancelled

    with pytest.raises(Cancelled):
        swings_of(new, tmp_path, off)
    assert library().costs is None
