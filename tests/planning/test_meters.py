"""Metered demand: gross and net meters, short files, bills, and what is said of each."""

import numpy as np
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import Car, MeteredDemand, ScheduledLoad, ShapedDemand
from calm_relay.job.survey import Bill, ExistingBattery, MeterReading
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.demand import DAYS
from calm_relay.planning.site.metered import as_its_file_says
from tests.plans import plan


def write(path, columns, days=365):
    stamps = np.datetime64("2025-01-01T00:00") + np.arange(48 * days) * np.timedelta64(30, "m")
    head = "time," + ",".join(columns)
    rows = zip(*(np.asarray(values)[: stamps.size] for values in columns.values()), strict=True)
    lines = [f"{t}," + ",".join(f"{v:.5f}" for v in row) for t, row in zip(stamps, rows, strict=True)]
    path.write_text("\n".join([head, *lines]))


def result(made, check):
    return next((item for item in made.options[0].findings if item.check == check), None)


@pytest.fixture(scope="module")
def as_is(demo_plan):
    """Import and export of the demo as it is, as a meter in standard time would have counted them [kWh]."""
    year = demo_plan.option("as-is").outcome.year
    return {
        name: year.at_bus(flow).reshape(-1, 2).sum(axis=1) * 0.25
        for name, flow in (("import kWh", "import"), ("export kWh", "export"))
    }


def test_a_net_meter_is_rebuilt_to_the_house_behind_it(demo, demo_plan, as_is, tmp_path):
    # The meter saw the demo's own simulated year: what comes back must be the demo's own demand.
    write(tmp_path / "net.csv", as_is)
    demand = MeteredDemand(path="net.csv", counts="net", reading={"clock": "standard"})
    job = demo.with_(demand=demand)
    made = plan(job, tmp_path)
    house = demo_plan.demand
    assert made.demand.yearly_kwh == pytest.approx(house.yearly_kwh, rel=0.02)
    error = made.demand.metered.model_error_kwh
    finding = result(made, "net meter")
    assert f"{error:,.0f} kWh a year" in finding.sentence
    assert "rebuilt with the modelled yield" in made.demand.source


def test_measured_production_needs_no_model(demo, demo_plan, as_is, tmp_path):
    write(tmp_path / "net.csv", as_is)
    produced = np.maximum(demo_plan.option("as-is").outcome.year.of("ac"), 0).reshape(-1, 2).sum(axis=1) * 0.25
    write(tmp_path / "made.csv", {"kwh": produced})
    standard = {"clock": "standard"}
    demand = MeteredDemand(
        path="net.csv", counts="net", production_path="made.csv", reading=standard, production_reading=standard
    )
    made = plan(demo.with_(demand=demand), tmp_path)
    assert made.demand.metered.model_error_kwh is None
    # Standby of the sleeping inverter is all that stands between them.
    assert made.demand.yearly_kwh == pytest.approx(demo_plan.demand.yearly_kwh, rel=0.01)
    assert made.demand.kw.mean() == pytest.approx(demo_plan.demand.kw.mean(), rel=0.01)
    assert result(made, "net meter") is None


def test_of_import_alone_the_house_is_estimated_and_that_is_said(demo, demo_plan, as_is, tmp_path):
    write(tmp_path / "in.csv", {"kwh": as_is["import kWh"]})
    demand = MeteredDemand(path="in.csv", counts="net", reading={"clock": "standard"})
    made = plan(demo.with_(demand=demand), tmp_path)
    house = demo_plan.demand
    assert made.demand.yearly_kwh == pytest.approx(house.yearly_kwh, rel=0.04)
    assert "of import alone, rebuilt with the modelled yield" in made.demand.source
    finding = result(made, "import alone")
    assert finding.severity is Severity.CHECK and finding.measured == pytest.approx(14.0, abs=3.0)
    # Other days of weather than those of the meter leave it near.
    other = demo.site.with_(weather=demo.site.weather.with_(seed=77))
    again = plan(demo.with_(demand=demand, site=other), tmp_path)
    assert again.demand.yearly_kwh == pytest.approx(house.yearly_kwh, rel=0.04)
    produced = np.maximum(demo_plan.option("as-is").outcome.year.of("ac"), 0).reshape(-1, 2).sum(axis=1) * 0.25
    write(tmp_path / "made.csv", {"kwh": produced})
    measured = demand.with_(production_path="made.csv", production_reading={"clock": "standard"})
    made = plan(demo.with_(demand=measured), tmp_path)
    assert made.demand.source.endswith("of import alone, rebuilt with measured production")
    assert made.demand.yearly_kwh == pytest.approx(house.yearly_kwh, rel=0.04)


def test_beside_a_battery_import_alone_tells_no_house(tmp_path):
    write(tmp_path / "in.csv", {"kwh": np.full(48 * 365, 0.2)})
    with pytest.raises(InputError, match="holds no export, and a battery stands there"):
        plan(demo_job("dairy").with_(demand=MeteredDemand(path="in.csv", counts="net")), tmp_path)
    write(tmp_path / "both.csv", {"import kWh": np.full(48 * 365, 0.2), "export kWh": np.full(48 * 365, 0.1)})
    made = plan(demo_job("dairy").with_(demand=MeteredDemand(path="both.csv", counts="net")), tmp_path)
    assert "moved energy between hours" in result(made, "net meter").sentence
    measured = MeteredDemand(path="both.csv", counts="net", production_path="in.csv")
    made = plan(demo_job("dairy").with_(demand=measured), tmp_path)
    assert "A column of what the house uses" in result(made, "net meter").sentence


def test_a_meter_beside_an_array_that_is_read_as_the_house_s_own_is_found(demo, demo_plan, as_is, tmp_path):
    write(tmp_path / "net.csv", as_is)
    write(tmp_path / "in.csv", {"kwh": as_is["import kWh"]})
    reading = {"clock": "standard"}
    both = demo.with_(demand=MeteredDemand(path="net.csv", reading=reading))
    found = result(plan(both, tmp_path), "gross meter")
    assert (
        found.severity is Severity.CHECK and found.measured > 500 and "Its file holds export too" in found.sentence
    )
    (mend,) = found.mends
    made = plan(mend.apply(both), tmp_path)
    assert result(made, "gross meter") is None
    assert made.demand.yearly_kwh == pytest.approx(demo_plan.demand.yearly_kwh, rel=0.02)
    # Of import alone the house cannot be rebuilt.
    alone = plan(demo.with_(demand=MeteredDemand(path="in.csv", reading=reading)), tmp_path)
    found = result(alone, "gross meter")
    assert "of import alone the house is estimated" in found.sentence
    after = plan(found.mends[0].apply(alone.job), tmp_path)
    assert result(after, "gross meter") is None
    assert after.demand.yearly_kwh == pytest.approx(demo_plan.demand.yearly_kwh, rel=0.04)
    # The house's own meter rests by night as by day.
    write(tmp_path / "own.csv", {"kwh": demo_plan.demand.kw.reshape(-1, 2).sum(axis=1) * 0.25})
    assert (
        result(plan(demo.with_(demand=MeteredDemand(path="own.csv", reading=reading)), tmp_path), "gross meter")
        is None
    )


@pytest.mark.parametrize(("days", "severity"), [(365, None), (200, Severity.CHECK)])
def test_less_than_a_year_is_extended_openly(demo, tmp_path, days, severity):
    write(tmp_path / "short.csv", {"kwh": np.full(48 * days, 0.25)}, days)
    made = plan(demo.with_(demand=MeteredDemand(path="short.csv")), tmp_path)
    assert made.demand.yearly_kwh == pytest.approx(0.25 * 48 * 365, rel=0.001)
    finding = result(made, "measured days")
    if severity is None:
        assert finding is None
    else:
        assert finding.severity is severity
        assert "taken from the same weekdays" in finding.sentence
        assert "had none of its own" in finding.sentence


def test_a_missing_month_is_named(demo, tmp_path):
    stamps = np.datetime64("2025-01-01T00:00") + np.arange(48 * 365) * np.timedelta64(30, "m")
    lines = [f"{t},0.2" for t in stamps if not str(t).startswith("2025-05")]
    (tmp_path / "gap.csv").write_text("time,kwh\n" + "\n".join(lines))
    finding = result(plan(demo.with_(demand=MeteredDemand(path="gap.csv")), tmp_path), "measured days")
    assert finding.severity is Severity.CHECK
    assert "The meter's file covers" in finding.sentence
    assert 10 < 365 - finding.measured < 31


def test_bills_scale_the_shape(demo):
    bills = tuple(
        Bill(first=f"2025-{m:02d}-01", last=f"2025-{m:02d}-28", kwh=300 if m in (6, 7) else 200)
        for m in range(1, 7)
    )
    made = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=bills)))
    june = made.site.calendar.month == 6
    day = (np.arange(made.demand.kw.size) // 96)[june]
    first_28 = day < day[0] + 28
    assert made.demand.kw[june][first_28].sum() * 0.25 == pytest.approx(300)
    finding = result(made, "billed days")
    assert finding.severity is Severity.CHECK
    assert "household shape scaled to 6 bills" in made.demand.source


def test_a_house_that_uses_nothing_all_year_is_told_where(demo, tmp_path):
    nothing = ShapedDemand(yearly_kwh=1, bills=(Bill(first="2025-01-01", last="2025-12-31", kwh=0.0),))
    with pytest.raises(PlanError, match=r"demand\.bills: they come to 0 kWh in all"):
        plan(demo.with_(demand=nothing))
    write(tmp_path / "empty.csv", {"kwh": np.zeros(48 * 365)})
    with pytest.raises(PlanError, match=r"demand\.path: its meter counted nothing all year"):
        plan(demo.with_(demand=MeteredDemand(path="empty.csv")), tmp_path)


def test_a_car_s_window_that_is_too_short_is_mended(demo):
    car = Car(kwh_per_day=30, charger_kw=3.6, start="01:00", end="05:00", from_battery=True, within_fuse=False)
    job = demo.with_(demand=demo.demand.with_(cars=(car,)))
    finding = result(plan(job), "charging window")
    assert "4 h at 3.6 kW bring 14.4 kWh" in finding.sentence
    mended = finding.mends[0].apply(job)
    assert mended.demand.cars[0].start == "20:30"
    assert result(plan(mended), "charging window") is None


def test_a_meter_counts_the_loads_that_are_there(demo, tmp_path):
    hour = np.arange(48 * 365) % 48 // 2
    # Two hours of a heater at noon, and what rests.
    write(tmp_path / "m.csv", {"kwh": np.where((hour >= 12) & (hour < 14), 1.6, 0.1)})
    heater = ScheduledLoad(name="Heater", kw=3.0, days=DAYS, start="12:00", hours=2)
    reading = {"clock": "local"}
    job = demo.with_(demand=MeteredDemand(path="m.csv", reading=reading, loads=(heater,)))
    made = plan(job, tmp_path)
    metered = 365 * (4 * 1.6 + 44 * 0.1)
    assert made.demand.yearly_kwh == pytest.approx(metered, rel=1e-6)
    assert made.demand.parts[0].kw.sum() * 0.25 == pytest.approx(metered - 365 * 6.0, rel=0.01)
    finding = result(made, "loads counted")
    assert (
        finding.severity is Severity.CHECK
        and "2,190 kWh a year of the meter’s file are taken for it" in finding.sentence
    )
    later = plan(finding.mends[0].apply(job), tmp_path)
    assert later.demand.yearly_kwh == pytest.approx(metered + 365 * 6.0, rel=1e-6)
    assert result(later, "loads counted") is None
    # Where it runs at other times than the meter saw, the day's energy is kept.
    evening = job.with_(demand=job.demand.with_(loads=(heater.with_(start="19:00"),)))
    assert plan(evening, tmp_path).demand.yearly_kwh == pytest.approx(metered, rel=1e-6)
    # Nor is more used in a month than was counted where it runs on other days than listed.
    weekly = job.with_(demand=job.demand.with_(loads=(heater.with_(days=("mon",), hours=10),)))
    assert plan(weekly, tmp_path).demand.yearly_kwh == pytest.approx(metered, rel=1e-6)
    larger = job.with_(demand=job.demand.with_(loads=(heater.with_(hours=6),)))
    assert "nothing of the meter’s file on 365 days" in result(plan(larger, tmp_path), "emptied bills").sentence
    small = job.with_(demand=job.demand.with_(loads=(heater.with_(kw=0.4),)))
    assert result(plan(small, tmp_path), "loads counted").severity is Severity.OK


def portal(as_is, demo_plan):
    """The demo as it is in a portal's words: what its array made, its house used, and both directions of its meter."""
    made = np.maximum(demo_plan.option("as-is").outcome.year.of("ac"), 0).reshape(-1, 2).sum(axis=1) * 0.25
    come, gone = as_is.values()
    return {"Produced (kWh)": made, "Used (kWh)": made + come - gone, "Import (kWh)": come, "Export (kWh)": gone}


@pytest.mark.parametrize(("missing", "counts"), [((), "gross"), (("Used (kWh)",), "net")])
def test_a_portals_file_is_the_house_and_tells_what_its_array_made(
    demo, demo_plan, as_is, tmp_path, missing, counts
):
    columns = {name: kwh for name, kwh in portal(as_is, demo_plan).items() if name not in missing}
    write(tmp_path / "portal.csv", columns)
    reading = {"clock": "standard"}
    chosen = MeteredDemand(path="portal.csv", reading=reading, production_reading=reading)
    seen = read_meter_file(tmp_path / "portal.csv", chosen.reading, demo.site.time_zone).understood
    demand = as_its_file_says(chosen, seen)
    assert (demand.counts, demand.production_path) == (counts, "portal.csv")
    made = plan(demo.with_(demand=demand), tmp_path)
    house = demo_plan.demand
    assert made.demand.yearly_kwh == pytest.approx(house.yearly_kwh, rel=0.01)
    told = result(made, "yield today")
    assert told.severity is Severity.OK and f"{columns['Produced (kWh)'].sum():,.0f} kWh" in told.sentence
    # Of an array that gives a third less than its model something is wrong; of one that nobody stated, too.
    write(tmp_path / "portal.csv", columns | {"Produced (kWh)": columns["Produced (kWh)"] * 0.65})
    weak = result(plan(demo.with_(demand=demand), tmp_path), "yield today")
    assert weak.severity is Severity.CHECK and "strings that are out" in weak.sentence
    if counts == "gross":
        bare = demo.with_(demand=demand, faces=(), existing_inverters=())
        assert "none stands there in this job" in result(plan(bare, tmp_path), "yield today").sentence


def test_what_a_battery_moved_is_no_demand_where_the_file_tells_of_it(demo, demo_plan, as_is, tmp_path):
    columns = portal(as_is, demo_plan)
    house = columns.pop("Used (kWh)")
    charged, discharged = np.minimum(columns["Export (kWh)"], 0.4), np.minimum(columns["Import (kWh)"], 0.2)
    columns["Import (kWh)"] = columns["Import (kWh)"] - discharged
    columns["Export (kWh)"] = columns["Export (kWh)"] - charged
    moved = {"Battery charged (kWh)": charged, "Battery discharged (kWh)": discharged}
    there = (ExistingBattery(pack="fern-48", inverter="mossgate-3"),)
    reading = {"clock": "standard"}
    found = []
    for name, told in (("with.csv", columns | moved), ("without.csv", columns)):
        write(tmp_path / name, told)
        demand = as_its_file_says(
            MeteredDemand(path=name, reading=reading, production_reading=reading),
            read_meter_file(tmp_path / name, MeterReading(clock="standard"), demo.site.time_zone).understood,
        )
        found.append(plan(demo.with_(demand=demand, existing_batteries=there), tmp_path))
    whole, guessed = found
    assert whole.demand.source.endswith("and what the battery moved") and result(whole, "net meter") is None
    assert whole.demand.yearly_kwh == pytest.approx(house.sum(), rel=0.01)
    lost = charged.sum() - discharged.sum()
    assert guessed.demand.yearly_kwh - whole.demand.yearly_kwh == pytest.approx(lost, rel=0.05)
    assert "taken for the house’s own" in result(guessed, "net meter").sentence


def test_a_file_of_few_days_says_nothing_of_the_arrays_year(demo, demo_plan, as_is, tmp_path):
    write(tmp_path / "portal.csv", portal(as_is, demo_plan), days=200)
    demand = MeteredDemand(path="portal.csv", production_path="portal.csv")
    assert result(plan(demo.with_(demand=demand), tmp_path), "yield today") is None
