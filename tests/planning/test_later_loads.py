"""A heat pump or a car that comes later, on the system as it is built."""

from pathlib import Path

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import Car
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.studies.later_loads import later_loads_of, usual_loads
from tests.plans import plan

HERE = Path.cwd()


def test_each_load_is_the_job_with_it(demo_plan):
    option = demo_plan.option(demo_plan.choice.key)
    found = later_loads_of(demo_plan, option, HERE)
    usual = usual_loads(demo_plan.job)
    assert [load.what for load in found] == [what for what, _ in usual]
    for (_, load), later in zip(usual, found, strict=True):
        field = "cars" if isinstance(load, Car) else "heat_pumps"
        job = demo_plan.job.with_(demand=demo_plan.job.demand.with_(**{field: (load,)}))
        then = plan(job).option(option.key)
        assert later.bill == pytest.approx(then.outcome.money.bill - option.outcome.money.bill)
        assert later.import_kwh == pytest.approx(
            then.outcome.figures.import_kwh - option.outcome.figures.import_kwh
        )
        assert later.kwh > 0 and f"{later.kwh:,.0f} kWh" in later.sentence


def test_a_car_that_comes_later_waits_for_no_sun_by_night(demo):
    flat = demo.with_(tariff=demo.tariff.with_(windows=()))
    assert demo.tariff.cheapest is not None
    assert dict(usual_loads(demo))["An electric car"].control == "in cheap hours"
    assert dict(usual_loads(flat))["An electric car"].control == "at once"
    made = plan(flat)
    option = made.option(made.choice.key)
    car = next(load for load in later_loads_of(made, option, HERE) if load.what == "An electric car")
    assert not any("next to nothing" in sentence for sentence in car.passed)
    by_day = dict(usual_loads(demo_job("hut")))["An electric car"]
    assert (by_day.control, by_day.start) == ("on surplus", "09:00")


def test_what_is_there_already_does_not_come_again():
    made = plan(demo_job("two-homes"))
    assert made.job.demand.cars
    found = later_loads_of(made, made.option(made.choice.key), HERE)
    assert [load.what for load in found] == ["A heat pump"]


def test_a_small_service_is_passed_by_it(demo):
    made = plan(demo.with_(supply=demo.supply.with_(main_fuse_a=74.0)))
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


def test_what_was_told_before_is_not_told_as_new_with_other_figures():
    job = demo_job("two-homes")
    night = Car(
        name="Night car", kwh_per_day=7.0, charger_kw=7.4, start="19:00", end="07:00", control="on surplus"
    )
    job = job.with_(
        demand=job.demand.with_(cars=(night,)), control=job.control.with_(surplus_order=("Night car", "Cylinder"))
    )
    made = plan(job)
    option = made.option("clock-bank")
    told = [finding for finding in option.findings if finding.check == "controlled loads"]
    assert {finding.severity for finding in told} == {Severity.CHECK, Severity.OK}
    (pump,) = later_loads_of(made, option, HERE)
    assert not any(sentence.startswith("Night car") for sentence in pump.passed)


@pytest.mark.parametrize(("demo_name", "charger_kw", "least_kw"), [
    ("pottery", 7.4, 1.4), ("cottage", 7.7, 1.4), ("dairy", 11.0, 4.1),
])  # fmt: skip
def test_its_charger_is_the_usual_one_of_the_service(demo_name, charger_kw, least_kw):
    """32 A on one phase, 16 A on each of three (common practice, no source); 6 A at least by IEC 61851-1."""
    (car,) = (load for _, load in usual_loads(demo_job(demo_name)) if isinstance(load, Car))
    assert (car.charger_kw, car.least_kw) == (charger_kw, least_kw)
