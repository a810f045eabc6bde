"""Snow of a site: where it is counted, asked for and left behind."""

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.survey import Rectangle, Snow
from calm_relay.planning.site.move import NewPlace, belongings, move
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.survey import entries_of
from calm_relay.planning.views.figures import figures_of
from calm_relay.planning.views.tables import assumptions_of
from tests.plans import plan

WINTER = Snow(fall_cm=(40, 35, 30, 10, 0, 0, 0, 0, 0, 2, 15, 35), days=(6, 5, 5, 2, 0, 0, 0, 0, 0, 1, 3, 5))
DUNEDIN = NewPlace("Dunedin, New Zealand", "Dunedin", "New Zealand", -45.87, 170.5, "Pacific/Auckland")


def under(job, snow):
    return job.with_(site=job.site.with_(snow=snow))


@pytest.fixture(scope="module")
def ulm():
    """A job whose January freezes."""
    return under(demo_job("two-homes"), None)


@pytest.fixture(scope="module")
def bare(ulm):
    return plan(ulm)


@pytest.fixture(scope="module")
def snowy(ulm):
    return plan(under(ulm, WINTER))


def check_of(made):
    return [finding.sentence for finding in made.as_is.findings if finding.check == "snow"]


def test_it_takes_from_winter_and_leaves_summer(bare, snowy):
    for before, after in zip(bare.faces, snowy.faces, strict=True):
        month = bare.site.calendar.month
        winter, summer = np.isin(month, (12, 1, 2)), np.isin(month, (6, 7, 8, 9))
        assert after.made.dc_kw[winter].sum() < before.made.dc_kw[winter].sum()
        np.testing.assert_array_equal(after.made.dc_kw[summer], before.made.dc_kw[summer])
        lost = sum(before.made.losses_kwh.values()) - sum(after.made.losses_kwh.values())
        assert before.yearly_kwh - after.yearly_kwh == pytest.approx(-lost)
        assert after.made.losses_kwh["snow"] > 0.0 == before.made.losses_kwh["snow"]


def test_every_run_of_the_plan_reads_it(bare, snowy):
    for option in bare.live:
        other = snowy.option(option.key).outcome
        assert other.figures.pv_dc_kwh < option.outcome.figures.pv_dc_kwh
        assert other.figures.import_kwh > option.outcome.figures.import_kwh


def test_a_longer_roof_lies_under_it_longer(ulm, snowy):
    face = ulm.faces[0].with_(rectangle=Rectangle(width_m=12.0, height_m=9.0))
    longer = plan(under(ulm, WINTER).with_(faces=(face, *ulm.faces[1:])))
    assert longer.faces[0].made.losses_kwh["snow"] > snowy.faces[0].made.losses_kwh["snow"]


def test_a_winter_that_freezes_asks_for_it_until_it_is_stated(bare, snowy):
    assert check_of(bare) == [
        "January is below freezing on average and the snow is not stated: none is counted on the modules, and "
        "midwinter may give less than shown."
    ]
    assert check_of(snowy) == []
    none = WINTER.with_(fall_cm=(0.0,) * 12)
    assert check_of(plan(under(bare.job, none))) == []


def test_months_of_a_winter_are_told_from_its_first_to_its_last():
    hut = under(demo_job("hut"), None)
    assert check_of(plan(hut))[0].startswith("November to March are below freezing")


def test_where_it_never_freezes_nobody_is_asked(demo_plan):
    assert check_of(demo_plan) == []
    assert "snow" not in {entry.key for entry in entries_of(demo_plan)}


def test_the_survey_tries_both_ends_of_what_nobody_stated(bare, snowy):
    entry = next(entry for entry in entries_of(bare) if entry.key == "snow")
    assert (entry.status, entry.between) == ("assumed", "none to 30 cm a month that freezes")
    none, much = (end(bare.job).site.snow for end in entry.ends)
    assert none is None
    assert (much.fall_cm[0], sum(much.fall_cm)) == (30.0, 30.0)
    stated = next(entry for entry in entries_of(snowy) if entry.key == "snow")
    assert (stated.status, stated.now, stated.ends) == ("measured", "167 cm a year, on 27 days", ())


def test_papers_and_sky_say_what_was_stated(bare, snowy):
    option = snowy.live[0]
    assert ["Roof", "Snow on the modules", "167 cm a year, on 27 days", "the job's survey"] in assumptions_of(
        snowy
    )
    assert "Fresh snow" in {figure.label for figure in figures_of(snowy, option, "Site")}
    assert "Fresh snow" not in {figure.label for figure in figures_of(bare, bare.live[0], "Site")}


def test_it_stays_behind_where_a_job_moves_away(ulm):
    found = [item for item in belongings(under(ulm, WINTER), DUNEDIN, library()) if item.key == "snow"]
    assert [(item.old, item.new) for item in found] == [("167 cm a year, on 27 days", "not stated")]
    assert move(under(ulm, WINTER), DUNEDIN, tuple(found)).site.snow is None
    assert "snow" not in {item.key for item in belongings(ulm, DUNEDIN, library())}


def test_snow_without_a_day_on_which_it_falls_is_refused():
    with pytest.raises(ValidationError, match="the snow of February needs a day on which it falls"):
        WINTER.with_(days=(6, 0, *WINTER.days[2:]))
    assert WINTER.with_(fall_cm=(0.0,) * 12, days=(0.0,) * 12).summary(in_feet=False) == "none falls"
    little = WINTER.with_(fall_cm=(9.0, *(0.0,) * 11), days=(1.0, *(0.0,) * 11))
    assert little.summary(in_feet=False) == "9 cm a year, on 1 day"
    assert little.summary(in_feet=True) == "4 in a year, on 1 day"


def test_an_outage_under_snow_runs_from_the_battery_alone():
    """What is left in the battery then is less, and what it gave is all that was served."""
    made = plan(demo_job("pottery"))
    option, first = made.option("ac-addon"), made.site.longest_night
    open_sky, under_snow = (
        rehearse(made, option, first, 30.0, events=False, covered=covered) for covered in (False, True)
    )
    assert under_snow.covered and not open_sky.covered
    assert under_snow.run.bus_kwh("home") < open_sky.run.bus_kwh("home")
    assert under_snow.run.kwh("pv_dc") == 0.0 < open_sky.run.kwh("pv_dc")
    assert abs(under_snow.run.year_residual_kwh()) < 1e-6
