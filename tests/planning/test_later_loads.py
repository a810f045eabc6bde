"""A heat pump or a car that comes later, on the system as it is built."""

from pathlib import Path

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import Car
from calm_relay.planning.studies.later_loads import USUAL, later_loads_of
from tests.plans import plan

HERE = Path.cwd()


def test_each_load_is_the_job_with_it(demo_plan):
    option = demo_plan.option(demo_plan.choice.key)
    found = later_loads_of(demo_plan, option, HERE)
    assert [load.what for load in found] == [what for what, _ in USUAL]
    for (_, load), later in zip(USUAL, found, strict=True):
        field = "cars" if isinstance(load, Car) else "heat_pumps"
        job = demo_plan.job.with_(demand=demo_plan.job.demand.with_(**{field: (load,)}))
        then = plan(job).option(option.key)
        assert later.bill == pytest.approx(then.outcome.money.bill - option.outcome.money.bill)
        assert later.import_kwh == pytest.approx(
            then.outcome.figures.import_kwh - option.outcome.figures.import_kwh
        )
        assert later.kwh > 0 and f"{later.kwh:,.0f} kWh" in later.sentence


def test_what_is_there_already_does_not_come_again():
    made = plan(demo_job("two-homes"))
    assert made.job.demand.cars
    found = later_loads_of(made, made.option(made.choice.key), HERE)
    assert [load.what for load in found] == ["A heat pump"]


def test_a_small_service_is_passed_by_it(demo):
    made = plan(demo.with_(supply=demo.supply.with_(main_fuse_a=58.0)))
    found = later_loads_of(made, made.option("ac-addon"), HERE)
    assert any(load.passed and "then:" in load.sentence for load in found)


def test_off_grid_it_goes_partly_unserved():
    made = plan(demo_job("hut"))
    option = made.option(made.choice.key)
    found = later_loads_of(made, option, HERE)
    assert all(load.unmet >= option.outcome.unmet - 1e-9 for load in found)
    assert "unserved" in found[0].sentence


def test_nothing_of_an_option_that_cannot_be_built(demo_plan):
    refused = next(option for option in demo_plan.options if option not in demo_plan.live)
    assert later_loads_of(demo_plan, refused, HERE) == ()
