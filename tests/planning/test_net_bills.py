"""Bills of what came from the grid beside an array: the house behind it, and what is said and asked of them."""

from calendar import monthrange

import numpy as np
import pytest

from calm_relay.job.demand import FuelToday, HeatPump, ScheduledLoad, ShapedDemand
from calm_relay.job.survey import Bill
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.demand import DAYS
from calm_relay.planning.studies.futures import uncertain_inputs
from calm_relay.planning.studies.later_loads import later_loads_of
from calm_relay.planning.studies.survey import entries_of
from tests.planning.test_new_job import begun
from tests.plans import plan


def result(made, check):
    return next((item for item in made.options[0].findings if item.check == check), None)


@pytest.fixture(scope="module")
def counted(demo_plan):
    """By months what came from the grid of the demo as it is, what went out and what its array made [kWh]."""
    year, month = demo_plan.option("as-is").outcome.year, demo_plan.site.calendar.month
    flows = year.at_bus("import"), year.at_bus("export"), np.maximum(year.of("ac"), 0.0)
    return [[float(flow[month == number].sum() * 0.25) for flow in flows] for number in range(1, 13)]


def bills_of(counted, *, sent=False, made=None):
    return tuple(
        Bill(
            first=f"2025-{number:02d}-01",
            last=f"2025-{number:02d}-{monthrange(2025, number)[1]}",
            kwh=came,
            sent_kwh=went if sent else None,
            made_kwh=ac * made if made else None,
        )
        for number, (came, went, ac) in enumerate(counted, 1)
    )


def test_the_house_behind_the_array_is_found(demo, demo_plan, counted):
    house = demo_plan.demand.parts[0].kw
    for bills in (bills_of(counted), bills_of(counted, sent=True), bills_of(counted, sent=True, made=1.0)):
        made = plan(demo.with_(demand=demo.demand.with_(bills=bills, counts="net")))
        # The kiln is in what came from the grid, and is no part of the house.
        assert made.demand.parts[0].kw == pytest.approx(house, abs=0.02)
        assert made.demand.yearly_kwh == pytest.approx(demo_plan.demand.yearly_kwh, rel=0.002)
        assert made.demand.days_without_bill == 0 and made.demand.emptied == 0
        assert "scaled to 6,955 kWh from the grid in 12 bills, plus kiln" in made.demand.source
        # What was run is what was counted.
        assert made.option("as-is").outcome.year.bus_kwh("import") == pytest.approx(6955, rel=0.002)


def test_so_it_is_from_a_year_s_figure(demo, demo_plan, counted):
    came = sum(month[0] for month in counted)
    made = plan(demo.with_(demand=demo.demand.with_(yearly_kwh=came, counts="net")))
    assert made.demand.parts[0].kw == pytest.approx(demo_plan.demand.parts[0].kw, rel=0.005)
    finding = result(made, "behind the meter")
    assert finding.severity is Severity.OK
    assert "6,955 kWh came from the grid" in finding.sentence and "9,568 kWh" in finding.sentence
    assert "What went out, on the same bill" in finding.sentence
    # A plan of what is to come does not change what was counted.
    pump = ScheduledLoad(name="Pump", kw=2.0, days=DAYS, start="10:00", hours=2, planned=True)
    loads = (*demo.demand.loads, pump)
    more = plan(demo.with_(demand=demo.demand.with_(yearly_kwh=came, counts="net", loads=loads)))
    assert more.demand.parts[0].kw == pytest.approx(made.demand.parts[0].kw, rel=1e-6)
    assert more.demand.yearly_kwh > made.demand.yearly_kwh + 1000


def test_without_an_array_both_are_one():
    bare = begun("tralee")
    demand = ShapedDemand(yearly_kwh=4000)
    net, gross = (plan(bare.with_(demand=demand.with_(counts=counts))) for counts in ("net", "gross"))
    assert net.demand.kw == pytest.approx(gross.demand.kw, rel=0.002)
    assert result(net, "behind the meter") is None
    assert result(plan(bare.with_(demand=demand)), "counted energy") is None


def test_what_figures_count_is_asked_beside_an_array(demo):
    job = demo.with_(demand=ShapedDemand(yearly_kwh=5200))
    made = plan(job)
    finding = result(made, "counted energy")
    assert finding.severity is Severity.CHECK and "the 5,200 kWh a year" in finding.sentence
    for mend, counts in zip(finding.mends, ("gross", "net"), strict=True):
        after = mend.apply(job)
        assert after.demand.counts == counts
        assert result(plan(after), "counted energy") is None
    assert plan(finding.mends[0].apply(job)).demand.kw == pytest.approx(made.demand.kw)
    assert plan(finding.mends[1].apply(job)).demand.yearly_kwh > made.demand.yearly_kwh + 500


def test_an_array_that_makes_less_than_modelled_is_found(demo, counted):
    job = demo.with_(demand=demo.demand.with_(bills=bills_of(counted, sent=True, made=0.7), counts="net"))
    made = plan(job)
    finding = result(made, "yield today")
    assert finding.severity is Severity.CHECK
    assert "as modelled it makes 43% more" in finding.sentence and "strings that are out" in finding.sentence
    # By the balance the house used so much less.
    short = 0.3 * sum(month[2] for month in counted)
    assert made.demand.behind.house_kwh == pytest.approx(9568 - short, rel=0.02)
    right = plan(demo.with_(demand=demo.demand.with_(bills=bills_of(counted, sent=True, made=1.02), counts="net")))
    assert result(right, "yield today").severity is Severity.OK


def test_hours_that_are_not_the_shape_s_are_told(demo, counted):
    # All of the array's energy is counted as sent: the house was away by day.
    bills = tuple(bill.with_(sent_kwh=made, kwh=0.8 * bill.kwh) for bill, (*_, made) in zip(
        bills_of(counted, sent=True), counted, strict=True
    ))  # fmt: skip
    finding = result(plan(demo.with_(demand=demo.demand.with_(bills=bills, counts="net"))), "behind the meter")
    assert finding.severity is Severity.CHECK and "A meter’s file would tell" in finding.sentence


def test_a_bill_counts_the_loads_that_are_there_and_not_those_to_come(demo):
    year = (Bill(first="2025-01-01", last="2025-12-31", kwh=6000),)
    pump = ScheduledLoad(name="Pump", kw=1.0, days=("mon", "thu"), start="10:00", hours=2)
    there = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=year, loads=(pump,))))
    to_come = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=year, loads=(pump.with_(planned=True),))))
    pumped = there.demand.parts[1].kw.sum() * 0.25
    assert pumped > 200
    assert there.demand.yearly_kwh == pytest.approx(6000)
    assert to_come.demand.yearly_kwh == pytest.approx(6000 + pumped)


def test_loads_that_use_up_a_bill_are_named(demo):
    bills = (
        Bill(first="2025-01-01", last="2025-06-30", kwh=2000),
        Bill(first="2025-07-01", last="2025-12-31", kwh=900),
    )
    heater = ScheduledLoad(name="Heater", kw=3.0, days=DAYS, start="10:00", hours=2)
    made = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=bills, loads=(heater,), counts="gross")))
    finding = result(made, "emptied bills")
    assert finding.severity is Severity.CHECK and finding.sentence.startswith("The loads that are there leave")
    net = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=bills, loads=(heater,), counts="net")))
    assert net.demand.emptied in {0, 1, 2}
    small = ShapedDemand(yearly_kwh=20, loads=(heater.with_(start="20:00"),), counts="net")
    finding = result(plan(demo.with_(demand=small)), "emptied bills")
    assert "and the array leave nothing of the year’s figure" in finding.sentence


def test_studies_know_that_it_was_counted_at_the_grid(demo, counted):
    made = plan(demo.with_(demand=demo.demand.with_(bills=bills_of(counted), counts="net")))
    off = {item.key: item.off for item in uncertain_inputs(made)}
    gross = plan(demo.with_(demand=demo.demand.with_(bills=bills_of(counted), counts="gross")))
    assert off["demand"] > {item.key: item.off for item in uncertain_inputs(gross)}["demand"]
    (entry,) = (entry for entry in entries_of(made) if entry.key == "demand")
    assert entry.now == "12 bills of what came from the grid"


def test_what_comes_in_place_of_a_fuel_is_not_there_and_what_comes_later_is_added_to_bills(demo, tmp_path):
    year = (Bill(first="2025-01-01", last="2025-12-31", kwh=6000),)
    pump = HeatPump(heat_kwh_per_day=40.0, instead_of=FuelToday())
    made = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=year, heat_pumps=(pump,))))
    assert made.demand.yearly_kwh > 7500 and made.demand.there_kwh == 0
    billed = plan(demo.with_(demand=ShapedDemand(yearly_kwh=1, bills=year, counts="gross")))
    later = later_loads_of(billed, billed.option("ac-addon"), tmp_path)
    assert len(later) == 2 and all(load.kwh > 1000 for load in later)
