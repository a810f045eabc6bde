"""A heat pump or a car in place of what is burnt today: fuel by hand, electricity by two plans, all of it together."""

import io

import numpy as np
import pytest
from openpyxl import load_workbook
from pydantic import ValidationError

from calm_relay.exchange.shipped import DEMOS, demo_job
from calm_relay.job.demand import Car, FuelToday, HeatPump
from calm_relay.physics.demand_shape import heat_by_day
from calm_relay.planning.site.fuels import FACTS, fuel_a_year
from calm_relay.planning.studies.cash_flow import cash_flow_of
from calm_relay.planning.studies.whole_change import money_years_of, whole_change_of
from calm_relay.planning.views.money_rows import whole_rows, whole_summary_of, workbook_of
from tests.planning.test_cash_flow import computed
from tests.plans import plan

OIL = FuelToday(fuel="heating oil", price=1.1, rise=0.04, ends_a_year=150.0, costs_more=9000.0)
PETROL = FuelToday(fuel="petrol", price=1.7, a_year=900.0, costs_more=4000.0)
PUMP = HeatPump(name="Heat pump to come", heat_kwh_per_day=60.0, water_kwh_per_day=6.0, instead_of=OIL)
CAR = Car(name="Car to come", kwh_per_day=8.0, charger_kw=7.4, instead_of=PETROL)


def job_with(demo, *, pumps=(PUMP,), cars=(CAR,)):
    return demo.with_(demand=demo.demand.with_(heat_pumps=pumps, cars=cars))


@pytest.fixture(scope="module")
def made(demo):
    return plan(job_with(demo))


@pytest.fixture(scope="module")
def money(made):
    return money_years_of(made, made.option(made.choice.key))


def test_oil_is_the_heat_through_a_boiler(made):
    """Heat of the year over 85 % and 10 kWh a litre; what is stated counts as stated."""
    heat_kw = heat_by_day(60.0, 6.0, 16.0, made.site.weather.temp_air, made.site.calendar.month)
    litres = heat_kw.mean() * 8760.0 / 0.85 / 10.0
    assert fuel_a_year(PUMP, made.site) == pytest.approx(litres)
    stated = PUMP.with_(instead_of=OIL.with_(a_year=2100.0))
    assert fuel_a_year(stated, made.site) == 2100.0
    assert fuel_a_year(PUMP.with_(instead_of=None), made.site) == 0.0


def test_a_car_without_figure_is_a_middling_one(made):
    """8 kWh on five days a week at 0.2 kWh a km, and 7 litres on 100 km."""
    car = CAR.with_(days=("mon", "tue", "wed", "thu", "fri"), instead_of=PETROL.with_(a_year=None))
    assert fuel_a_year(car, made.site) == pytest.approx(8.0 * 365 * 5 / 7 / 0.2 * 0.07)


def test_fuel_and_what_ends_rise_each_at_its_own_rate(made, money):
    litres, at = fuel_a_year(PUMP, made.site), np.arange(money.flows[0].years)
    usual, upkeep = made.job.costs.price_rise, made.job.finance.upkeep_rise
    fuel = litres * 1.1 * 1.04**at + 900.0 * 1.7 * (1.0 + usual) ** at
    assert money.whole.rows["fuel today"][1:] == pytest.approx(fuel)
    assert money.whole.rows["ends"][1:] == pytest.approx(150.0 * (1.0 + upkeep) ** at)
    assert money.whole.rows["machines"][0] == -13000.0 and not money.whole.rows["machines"][1:].any()


def test_the_electricity_is_the_difference_of_two_plans(demo, made, money):
    """What "as it is" pays with the loads less what it pays without, from two plans of their own."""
    without = plan(job_with(demo, pumps=(), cars=()))
    more = made.as_is.outcome.money.bill - without.as_is.outcome.money.bill
    assert money.whole.more_power == pytest.approx(more, rel=1e-9)


@pytest.mark.parametrize("control", ["on surplus", "in cheap hours"])
def test_it_is_so_for_loads_a_control_moves(demo, control):
    cars = (CAR.with_(control=control), Car(name="Another", kwh_per_day=5.0, charger_kw=3.7, control=control))
    made, without = plan(job_with(demo, pumps=(), cars=cars)), plan(job_with(demo, pumps=(), cars=cars[1:]))
    whole = money_years_of(made, made.option("ac-addon")).whole
    more = made.as_is.outcome.money.bill - without.as_is.outcome.money.bill
    assert whole.more_power == pytest.approx(more, rel=1e-9)


def test_all_together_is_the_loads_and_the_plan(made, money):
    whole, flow = money.whole, money.flows[0]
    assert whole.net == pytest.approx(whole.loads_net + flow.net)
    assert whole.npv == pytest.approx(whole.loads_npv + flow.npv)
    assert whole.running[-1] == pytest.approx(whole.net.sum())
    assert "heat pump to come in place of heating oil" in whole.sentence
    assert "car to come in place of petrol" in whole.sentence
    heads, rows = whole_rows(whole)
    assert len(heads) == flow.years + 2 and [row[0] for row in rows][-2:] == ["Net", "Running sum"]
    figures = dict(whole_summary_of(whole))
    assert any(f"{abs(whole.npv):,.0f}" in text for text in figures.values())
    assert any("900 l of petrol" in words and "worked out" not in words for words in figures)


def test_the_workbook_counts_it_together(money):
    book = load_workbook(io.BytesIO(workbook_of(money.flows[0], money.whole)))
    sheet, value = book["Whole change"], computed(book)
    row = {sheet.cell(n, 1).value: n for n in range(1, sheet.max_row + 1)}
    letters = [sheet.cell(2, year + 2).column_letter for year in range(money.flows[0].years + 1)]
    nets = [value("Whole change", f"{letter}{row['Net of all']}") for letter in letters]
    assert nets == pytest.approx(list(money.whole.net))
    assert value("Whole change", f"B{row['Net present value']}") == pytest.approx(money.whole.npv)


def test_a_fuel_without_price_is_told(demo):
    made = plan(job_with(demo, pumps=(), cars=(CAR.with_(instead_of=FuelToday(fuel="diesel")),)))
    whole = money_years_of(made, made.option("ac-addon")).whole
    assert whole.beware and "No price of diesel" in whole.beware[0]


@pytest.mark.parametrize("name", DEMOS)
def test_only_jobs_that_say_what_is_burnt_have_a_whole_change(name):
    job = demo_job(name)
    made = plan(job)
    whole = whole_change_of(made, cash_flow_of(made, made.option(made.choice.key)))
    assert (whole is not None) == any(
        load.instead_of is not None for load in (*job.demand.cars, *job.demand.heat_pumps)
    )


def test_a_house_is_not_heated_with_petrol_nor_a_car_driven_on_pellets():
    with pytest.raises(ValidationError, match="what a house is heated with"):
        PUMP.with_(instead_of=PETROL)
    with pytest.raises(ValidationError, match="petrol or diesel"):
        CAR.with_(instead_of=OIL)
    with pytest.raises(ValidationError):
        FuelToday(price=-1.0)


def test_every_fuel_has_its_facts():
    from typing import get_args

    from calm_relay.job.demand import Fuel

    assert set(FACTS) == set(get_args(Fuel))
