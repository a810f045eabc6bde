"""Options pinned under a name stand beside each other with the boxes and the battery they had."""

import pytest
from pydantic import ValidationError

from calm_relay.job.carried import named_equipment
from calm_relay.job.control import ExportWindow, GridCharge
from calm_relay.planning.studies.pinned import free_name, pin_of, pinned_of
from calm_relay.planning.views.scales import scales_of
from tests.plans import plan


def test_two_batteries_of_one_coupling_stand_beside_each_other(demo, demo_plan, tmp_path):
    small = pin_of(demo_plan.option("ac-addon"), "Small")
    bigger = plan(demo.with_(battery=demo.battery.with_(pack="fern-96", count=2)))
    large = pin_of(bigger.option("ac-addon"), "Large")
    job = demo.with_(pinned=(small, large, pin_of(demo_plan.option("hybrid-swap"), "Hybrid")))
    made = plan(job)
    result = pinned_of(made, tmp_path)
    assert result.names == ("As it is", "Small", "Large", "Hybrid")
    assert result.refused == ()
    first, second = result.plan.options[1:3]
    assert first.outcome.money.outlay == pytest.approx(demo_plan.option("ac-addon").outcome.money.outlay)
    assert second.outcome.money.outlay == pytest.approx(bigger.option("ac-addon").outcome.money.outlay)
    assert second.outcome.money.bill == pytest.approx(bigger.option("ac-addon").outcome.money.bill)
    assert len({option.key for option in result.plan.options}) == 4
    assert all(len(scale.values) == 4 for scale in scales_of(result.plan))
    assert result.plan.choice.key in {option.key for option in result.plan.options}


def test_a_pin_keeps_its_boxes_when_the_job_chooses_others(demo, demo_plan, tmp_path):
    pin = pin_of(demo_plan.option("hybrid-swap"), "Hybrid")
    unit = demo_plan.option("hybrid-swap").design.battery_converter.inverter.key
    assert pin.battery.hybrid == unit
    job = demo.with_(pinned=(pin,), battery=demo.battery.with_(hybrid="umberlow-h8", pack="fern-144", count=1))
    option = pinned_of(plan(job), tmp_path).plan.options[1]
    assert option.design.battery_converter.inverter.key == unit
    assert option.design.battery_converter.bank.pack.key == demo.battery.pack
    assert ("inverters", unit, "pinned.0.battery.hybrid") in set(named_equipment(job))


def test_a_pin_that_can_no_longer_be_built_says_why(demo, demo_plan, tmp_path):
    pin = pin_of(demo_plan.option("ac-addon"), "Add-on")
    unfit = pin.with_(battery=pin.battery.with_(pack="wharfell-10", count=1))
    name, reasons = pinned_of(plan(demo.with_(pinned=(unfit,))), tmp_path).refused[0]
    assert name == "Add-on"
    assert "does not speak to" in reasons
    gone = pin.with_(option="no-such-way")
    result = pinned_of(plan(demo.with_(pinned=(gone,))), tmp_path)
    assert result.refused == (("Add-on", "this way to couple is not known any more"),)


def test_a_pin_that_contradicts_what_the_job_holds_since_says_so_and_hides_no_other(demo, demo_plan, tmp_path):
    night = (GridCharge(start="23:30", end="04:30", target=0.9),)
    pin = pin_of(demo_plan.option("ac-addon"), "By night")
    job = demo.with_(
        battery=demo.battery.with_(charge_windows=()),
        control=demo.control.with_(export_windows=(ExportWindow(start="22:00", end="06:00", power_kw=2.0),)),
        pinned=(
            pin.with_(battery=pin.battery.with_(charge_windows=night)),
            pin.with_(name="Plain", battery=pin.battery.with_(charge_windows=())),
        ),
    )
    result = pinned_of(plan(job), tmp_path)
    ((name, why),) = result.refused
    assert name == "By night" and why.startswith(
        "control, export windows: 22:00 to 06:00 overlaps the charge window"
    )
    assert result.names == ("As it is", "Plain")


def test_names_are_single_and_five_are_the_most(demo, demo_plan):
    pin = pin_of(demo_plan.option("ac-addon"), "One")
    with pytest.raises(ValidationError, match="'One' stands twice"):
        demo.with_(pinned=(pin, pin))
    with pytest.raises(ValidationError, match="at most 5"):
        demo.with_(pinned=tuple(pin.with_(name=str(n)) for n in range(6)))
    assert free_name(demo.with_(pinned=(pin,)), "One") == "One 2"
