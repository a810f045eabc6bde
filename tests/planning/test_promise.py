"""Promise and fact: a dim summer is excused, a dead string and a fading battery are not."""

import numpy as np
import pytest

from calm_relay.exchange.logbook import Series, read_logbook
from calm_relay.exchange.plant_flows import PlantFlows
from calm_relay.exchange.shipped import demo_logbook
from calm_relay.job.logbook import CapacityTest, Handover, MeterCounters, MonthFacts, YearOfWeather
from calm_relay.job.model import WeatherFile
from calm_relay.planning.commissioning.facts import merged, months_of_flows, months_of_readings
from calm_relay.planning.commissioning.promise import YearAgain, monthly_facts, promise_of, weather_years
from tests.exchange.test_weather_file import epw_lines
from tests.plans import plan

BEGUN = Handover(on="2025-01-01", by="A")


@pytest.fixture(scope="module")
def built(demo_plan):
    return demo_plan, demo_plan.option(demo_plan.choice.key)


def lived(built, light=1.0, made=1.0, demand=1.0, lit=True):
    """A year of facts: what meters show in a light, with an array that gives a share of what it should."""
    again = YearAgain(*built, np.zeros(0))
    sky = [MonthFacts(year=2025, month=m, light_kwh_m2=float(again.ghi[m - 1] * light)) for m in range(1, 13)]
    flows = again.year(sky, 0.0)
    return [
        fact.with_(
            production_kwh=float(flows["production_kwh"][fact.month - 1] * made),
            import_kwh=float(flows["import_kwh"][fact.month - 1] * demand),
            export_kwh=float(flows["export_kwh"][fact.month - 1]),
            light_kwh_m2=fact.light_kwh_m2 if lit else None,
        )
        for fact in sky
    ]


def test_an_ordinary_year_is_as_promised(built):
    promise = promise_of(*built, [BEGUN, *lived(built)])
    assert [year.short for year in promise.years] == [False]
    assert "as promised" in promise.years[0].sentence
    for held in promise.years[0].flows[:3]:
        assert abs(held.fact - held.expected) < held.off
    assert len(promise.months) == 12
    for _, _, flows in promise.months:
        assert not any(held.is_short for held in flows.values())
        assert flows["import_kwh"].fact is not None and flows["throughput_kwh"].fact is None


@pytest.mark.parametrize("key", ["ac-addon", "hybrid-swap"])
def test_a_year_that_went_by_the_plan_is_expected_as_planned(demo_plan, key):
    """Whatever share of a month is lost on the way: what a battery loses is another share in summer."""
    again = YearAgain(demo_plan, demo_plan.option(key), np.zeros(0))
    facts = [
        MonthFacts(
            year=2025, month=m, **{flow: max(float(kwh[m - 1]), 0.0) for flow, kwh in again.planned.items()}
        )
        for m in range(1, 13)
    ]
    for flow, kwh in again.year(facts, 0.0).items():
        assert kwh == pytest.approx(again.planned[flow], abs=1e-3), flow


def test_a_dim_year_is_excused_by_its_light(built):
    """A fifth less light: the array made a fifth less, and does what it should."""
    promise = promise_of(*built, [BEGUN, *lived(built, light=0.8)])
    year = promise.years[0]
    assert not year.short
    assert "The summer was dim" in year.sentence and "the light explains it" in year.sentence
    assert year.light == pytest.approx(0.8, abs=0.01)


def test_the_same_figures_in_ordinary_light_are_not(built):
    dim = lived(built, light=0.8)
    again = YearAgain(*built, np.zeros(0))
    bright = [fact.with_(light_kwh_m2=float(again.ghi[fact.month - 1])) for fact in dim]
    promise = promise_of(*built, [BEGUN, *bright])
    assert promise.years[0].short
    assert "less than promised in 2025" in promise.sentence


def test_half_an_array_is_found_whatever_the_light(built):
    assert promise_of(*built, [BEGUN, *lived(built, light=0.85, made=0.5)]).years[0].short


def test_without_light_the_promise_is_wider(built):
    lit = promise_of(*built, [BEGUN, *lived(built)]).years[0].flow("production_kwh")
    dark = promise_of(*built, [BEGUN, *lived(built, lit=False)]).years[0].flow("production_kwh")
    assert dark.off > 1.2 * lit.off


def test_demand_as_measured_moves_what_is_expected_of_the_meter(built):
    usual = promise_of(*built, [BEGUN, *lived(built)]).years[0].flow("import_kwh")
    more = promise_of(*built, [BEGUN, *lived(built, demand=1.3)]).years[0].flow("import_kwh")
    assert more.expected > usual.expected * 1.1
    assert not more.is_over


@pytest.mark.parametrize(
    "year, kwh, claim, said",
    [
        (2028, 12.5, False, "ages as planned"),
        (2028, 10.2, True, "Tell the maker"),
        (2028, 8.5, True, "Claim now"),
        (2033, 10.0, False, "Test again"),
    ],
)
def test_a_battery_is_judged_by_its_tests(built, year, kwh, claim, said):
    held = promise_of(*built, [BEGUN, CapacityTest(on=f"{year}-01-01", kwh=kwh)]).battery
    assert (held.claim, said in held.sentence) == (claim, True)


def test_after_the_warranty_nothing_is_claimed(built):
    held = promise_of(*built, [BEGUN, CapacityTest(on="2037-01-01", kwh=4.5)]).battery
    assert not held.claim
    assert "used up" in held.sentence
    assert held.years_used > 1.0


def test_the_demo_excuses_a_summer_and_accuses_a_battery(built):
    book = read_logbook(demo_logbook(built[0].job))
    promise = promise_of(*built, book.entries)
    assert not any(year.short for year in promise.years)
    assert "The summer was dim" in next(year.sentence for year in promise.years if year.year == 2025)
    assert promise.battery.claim
    assert promise.sentence == "Array: as promised. Battery: fades faster than planned."


def test_counters_become_months():
    """Read at the ends of each month: 300 kWh in January, 200 in February."""
    entries = [
        MeterCounters(on="2026-01-01", import_kwh=1000.0),
        MeterCounters(on="2026-02-01", import_kwh=1300.0),
        MeterCounters(on="2026-03-01", import_kwh=1500.0),
    ]
    months = {fact.month: fact.import_kwh for fact in monthly_facts(entries)}
    assert months == {1: pytest.approx(300.0), 2: pytest.approx(200.0)}


def test_a_counter_that_was_exchanged_or_read_once_a_year_makes_no_month():
    days = ("2026-01-01", "2026-02-01")
    assert (
        monthly_facts([MeterCounters(on=day, import_kwh=kwh) for day, kwh in zip(days, (9.0, 1.0), strict=True)])
        == ()
    )
    yearly = [MeterCounters(on="2025-01-15", import_kwh=0.0), MeterCounters(on="2026-01-15", import_kwh=3650.0)]
    assert all((fact.year, fact.month) != (2026, 1) for fact in monthly_facts(yearly))


def test_a_later_entry_of_a_month_stands_for_the_earlier():
    facts = monthly_facts([MonthFacts(year=2026, month=3, import_kwh=kwh) for kwh in (1.0, 2.0)])
    assert [fact.import_kwh for fact in facts] == [2.0]


def test_months_of_a_meter_are_local_and_whole():
    """A quarter of an hour of 0.25 kWh through June in Auckland; May and July are only touched."""
    starts = np.arange("2026-05-31T00", "2026-07-02T00", dtype="datetime64[15m]").astype("datetime64[s]")
    kwh = {"in": np.full(starts.size, 0.25), "out": np.full(starts.size, 0.05)}
    flows = PlantFlows((), {}, starts, np.full(starts.size, 0.25), kwh, "intervals of 15 min")
    months = months_of_flows(flows, "Pacific/Auckland")
    assert [(fact.year, fact.month) for fact in months] == [(2026, 6)]
    assert months[0].import_kwh == pytest.approx(30 * 24.0)
    assert months[0].export_kwh == pytest.approx(30 * 4.8)


def test_months_of_readings_are_energy():
    at = np.arange(0, 32 * 86400, 300.0) + 1767225600.0
    series = Series(at, {"pv kw": np.full(at.size, 2.0, dtype=np.float32)})
    months = months_of_readings(series, "UTC")
    assert [(fact.month, fact.production_kwh) for fact in months] == [(1, pytest.approx(2.0 * 744, rel=1e-3))]


def test_what_a_file_does_not_say_stays_as_it_was():
    known = [MonthFacts(year=2026, month=1, import_kwh=5.0, light_kwh_m2=30.0)]
    new = merged([MonthFacts(year=2026, month=1, import_kwh=6.0)], known)
    assert new == (MonthFacts(year=2026, month=1, import_kwh=6.0, light_kwh_m2=30.0),)
    assert merged(known, known) == ()


@pytest.fixture
def hours(tmp_path):
    """A weather file of a year, with the same sun every day, cut to two thirds on every other."""
    lines = epw_lines()
    for at in range(8, len(lines)):
        if (at - 8) // 24 % 2:
            lines[at] = lines[at].replace(",600,300,300,", ",400,20,380,")
    (tmp_path / "station.epw").write_text("\n".join(lines) + "\n")
    return tmp_path


def test_a_year_of_weather_is_run_by_its_hours(built, hours):
    """What is expected is what the whole plan makes of that file."""
    made, option = built
    weather, unread = weather_years(made, [YearOfWeather(year=2025, path="station.epw")], hours)
    assert unread == () and list(weather) == [2025]
    again = YearAgain(made, option, np.zeros(0), weather)
    blank = [MonthFacts(year=2025, month=month) for month in range(1, 13)]
    flows = again.year(blank, 0.0)
    site = made.job.site.with_(weather=WeatherFile(path="station.epw"))
    there = plan(made.job.with_(site=site), hours).option(option.key).outcome
    assert flows["production_kwh"].sum() == pytest.approx(there.year.kwh("pv_dc"), rel=0.02)
    assert flows["import_kwh"].sum() == pytest.approx(there.year.bus_kwh("import"), rel=0.03)
    other = again.year([fact.with_(year=2026) for fact in blank], 0.0)
    assert abs(flows["production_kwh"] - other["production_kwh"]).max() > 10.0


def test_light_measured_beside_a_weather_file_scales_its_hours(built, hours):
    made, option = built
    weather, _ = weather_years(made, [YearOfWeather(year=2025, path="station.epw")], hours)
    again = YearAgain(made, option, np.zeros(0), weather)
    blank = [MonthFacts(year=2025, month=month) for month in range(1, 13)]
    ghi = again._by_month(weather[2025].weather.ghi) / 1000.0
    lit = [fact.with_(light_kwh_m2=0.5 * float(ghi[fact.month - 1])) for fact in blank]
    whole, half = (again.year(facts, 0.0)["production_kwh"] for facts in (blank, lit))
    assert half == pytest.approx(0.5 * whole, rel=0.03)


def test_a_weather_file_that_is_not_there_is_told(built, tmp_path):
    facts = lived(built)
    gone = YearOfWeather(year=2025, path="gone.epw")
    promise = promise_of(*built, [BEGUN, *facts, gone], folder=tmp_path)
    assert "gone.epw" in promise.sentence and "months of light stand" in promise.sentence
    plain = promise_of(*built, [BEGUN, *facts])
    assert promise.years[0].flow("import_kwh").expected == plain.years[0].flow("import_kwh").expected


def test_light_measured_each_hour_becomes_months():
    at = np.arange(0, 40 * 86400, 3600, dtype=float) + np.datetime64("2025-01-01", "s").astype("int64")
    series = Series(at, {"light kw/m2": np.full(at.size, 0.1)})
    (january,) = months_of_readings(series, "UTC")
    assert january.light_kwh_m2 == pytest.approx(74.4)
