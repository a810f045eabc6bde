"""Futures that every option lives through alike: bands, how often each is best, and what it varies with."""

from dataclasses import replace

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import WeatherFile
from calm_relay.job.uncertainty import Uncertainty
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.studies.cash_flow import cash_flow_of
from calm_relay.planning.studies.futures import future_of, futures_of, uncertain_inputs
from tests.plans import plan

CERTAIN = {"light": 0.0, "losses": 0.0, "demand": 0.0, "price_rise": 0.0, "fade": 0.0, "outlay": 0.0}
ONE_YEAR = CERTAIN | {"years": 1}


def futures(job, key="ac-addon", **stated):
    made = plan(job.with_(uncertainty=Uncertainty(draws=100, **stated)))
    return made, futures_of(made, made.option(key))


def made_key(job):
    return plan(job).choice.key


@pytest.fixture(scope="module")
def tried(demo):
    return futures(demo)


def test_without_uncertainty_every_future_is_the_plan(demo):
    made, found = futures(demo, **ONE_YEAR)
    for future in found.options:
        money = future.option.outcome.money
        assert future.saving == pytest.approx(money.saving, abs=1e-6)
        assert future.npv == pytest.approx(cash_flow_of(made, future.option).npv, abs=1e-3)
        assert future.indices.tolist() == [0.0] * 7
        assert future.backup_h == pytest.approx(future.option.outcome.backup.hours, rel=1e-9)
    assert found.options[0].best == 1.0
    assert found.sentence.endswith("in 100.")


def test_bands_hold_the_plan_and_shares_add_up(tried):
    made, found = tried
    assert sum(future.best for future in found.options) == pytest.approx(1.0)
    assert [future.best for future in found.options] == sorted((f.best for f in found.options), reverse=True)
    for future in found.options:
        low, middle, high = future.band(future.npv)
        assert low < middle < high
        assert low < cash_flow_of(made, future.option).npv < high
        assert future.regret >= 0.0
    assert all(0.0 <= index <= 1.0 for future in found.options for index in future.indices)


def test_the_same_futures_for_all_and_again(tried):
    made, found = tried
    first = found.options[0]
    again = future_of(made, cash_flow_of(made, first.option))
    assert np.array_equal(again.npv, first.npv)
    assert np.array_equal(again.backup_h, first.backup_h)


@pytest.mark.parametrize("key", [*CERTAIN, "year"])
def test_a_single_uncertainty_explains_everything(demo, key):
    stated = CERTAIN if key == "year" else {**ONE_YEAR, key: 0.05}
    made = plan(demo.with_(uncertainty=Uncertainty(draws=100, **stated)))
    future = future_of(made, cash_flow_of(made, made.option("ac-addon")))
    assert future.npv.std() > 0.0
    names = [item.key for item in uncertain_inputs(made)]
    assert future.indices[names.index(key)] > 0.85
    others = np.delete(future.indices, names.index(key))
    assert (others < 0.12).all()


def test_ranges_follow_how_a_figure_is_known(demo, greensboro):
    def off(job, key):
        return next(item.off for item in uncertain_inputs(plan(job)) if item.key == key)

    assert off(demo, "light") > off(greensboro, "light")
    assert off(demo, "demand") == 0.25
    from calm_relay.job.survey import Bill

    bills = (Bill(first="2025-01-01", last="2025-12-31", kwh=9000.0),)
    assert off(demo.with_(demand=demo.demand.with_(bills=bills)), "demand") == 0.10


def test_below_six_in_ten_it_is_too_close_to_call(tried):
    _, found = tried
    first, *others = found.options
    for best, close in ((0.59, True), (0.61, False)):
        assert replace(found, options=(replace(first, best=best), *others)).is_close == close


def test_a_dear_battery_that_saves_more_hangs_on_the_prices(demo):
    """How much more the larger saver is worth moves with the price rise alone when nothing else is uncertain."""
    _, found = futures(demo, **{**ONE_YEAR, "price_rise": 0.08})
    saver = max(found.options, key=lambda future: future.saving.mean())
    other = min(found.options, key=lambda future: future.saving.mean())
    rise = found.draws[:, 3]
    assert np.all(np.diff((saver.npv - other.npv)[np.argsort(rise)]) > 0.0)


def test_nothing_of_an_option_that_cannot_be_built(demo_plan):
    refused = next(option for option in demo_plan.options if option not in demo_plan.live)
    assert futures_of(demo_plan, refused) is None


def test_it_is_said_in_how_many_futures_it_pays(demo, tried):
    rising = demo.with_(costs=demo.costs.with_(price_rise=0.12))
    _, found = futures(rising)
    first = found.options[0]
    assert first.pays > 0.0
    assert first.pays == pytest.approx(np.mean(first.npv > 0.0))
    assert f"pays for itself in {round(100 * first.pays)}" in found.sentence
    _, never = tried
    assert not any(option.pays for option in never.options)
    assert "No option pays for itself" in never.sentence


def test_an_option_alone_is_not_called_the_best():
    made = plan(demo_job("two-homes").with_(uncertainty=Uncertainty(draws=100)))
    made = replace(made, options=tuple(o for o in made.options if o.key in ("as-is", "hybrid-swap")))
    found = futures_of(made, made.option("hybrid-swap"))
    assert len(found.options) == 1
    assert "alone" in found.sentence and "worth most" not in found.sentence
    assert not found.is_close


def test_the_offer_and_the_window_are_as_sure(tried):
    """One option alone comes to the very bands that it has among the others."""
    made, found = tried
    option = made.option("ac-addon")
    window = next(item for item in found.options if item.option.key == option.key)
    alone = future_of(made, cash_flow_of(made, option))
    assert alone.npv == pytest.approx(window.npv)
    assert alone.saving == pytest.approx(window.saving)
    assert alone.pays == window.pays


def test_years_of_other_days_are_plans_of_other_seeds(demo):
    """What a future of another year comes to is what the plan of that year's weather and use saves."""
    made, found = futures(demo, **CERTAIN, **{"years": 2})
    other = found.draws[:, -1] == 1.0
    assert 0.4 < other.mean() < 0.6
    weather, use = demo.site.weather, demo.demand
    there = plan(
        demo.with_(
            site=demo.site.with_(weather=weather.with_(seed=weather.seed + 1009)),
            demand=use.with_(seed=use.seed + 1009),
        )
    )
    future = next(item for item in found.options if item.option.key == "ac-addon")
    option = there.option("ac-addon").outcome
    assert future.saving[other] == pytest.approx(option.money.saving, abs=1e-6)
    assert future.backup_h[other] == pytest.approx(option.backup.hours)
    assert future.saving[~other] == pytest.approx(made.option("ac-addon").outcome.money.saving, abs=1e-6)
    assert "2 years of other days of weather and use" in found.weather


def test_a_files_days_stay_as_they_are(greensboro):
    """Its weather is the file's in every future; the days of use are others."""
    _, found = futures(greensboro, made_key(greensboro), **CERTAIN, **{"years": 3})
    assert "weather file" in found.weather
    assert set(found.draws[:, -1]) == {0.0, 1.0, 2.0}
    first = found.options[0]
    assert len({round(float(value), 6) for value in first.saving}) == 3


def test_other_years_are_not_kept_on_disk(demo, tmp_path, monkeypatch):
    made = plan(demo.with_(uncertainty=Uncertainty(draws=100, years=3)))
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path))
    futures_of(made, made.option("ac-addon"))
    assert not list((tmp_path / "arrays").glob("*.npz"))


@pytest.fixture
def three_years(greensboro, tmp_path, pvlib_data):
    """Its weather file's year three times over: as it is, a dim one and a bright one."""
    lines = (pvlib_data / "723170TYA.CSV").read_text().splitlines()
    rows = []
    for sun in (1.0, 0.7, 1.2):
        for line in lines[2:]:
            fields = line.split(",")
            for column in (4, 7, 10):
                fields[column] = str(round(float(fields[column]) * sun))
            rows.append(",".join(fields))
    (tmp_path / "three.csv").write_text("\n".join([*lines[:2], *rows]) + "\n")
    return greensboro.with_(site=greensboro.site.with_(weather=WeatherFile(path=str(tmp_path / "three.csv"))))


def test_futures_fall_on_the_years_of_a_weather_file(three_years):
    made, found = futures(three_years, **CERTAIN)
    assert (made.site.file_year, made.site.file_years) == (1, 3)
    assert made.site.source == "weather file three.csv, year 1 of 3"
    assert "the 3 years of the weather file" in found.weather
    future = found.options[0]
    lived = [
        plan(three_years.with_(site=three_years.site.with_(weather=three_years.site.weather.with_(year=year))))
        for year in (1, 2, 3)
    ]
    ghi = [one.site.weather.ghi.sum() for one in lived]
    assert ghi[1] < ghi[0] < ghi[2]
    # The days of use are others in each, and so the saving is of three kinds, the least of them in the dim year.
    kinds = sorted(set(np.round(future.saving, 6)))
    assert len(kinds) == 3
    number = found.draws[:, -1]
    assert {float(n) for n in number} == {0.0, 1.0, 2.0}
    assert np.unique(np.round(future.saving[number == 0], 6)).size == 1


def test_a_year_that_the_file_does_not_hold_is_named(three_years):
    job = three_years.with_(site=three_years.site.with_(weather=three_years.site.weather.with_(year=4)))
    with pytest.raises(PlanError, match=r"site.weather.year: is 4; three.csv holds 3 years"):
        plan(job)
