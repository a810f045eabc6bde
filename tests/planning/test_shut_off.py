"""Arcs in strings on a building, a battery shut down from outside: NEC 690.11 and 706.15(A), from memory."""

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import labels_of, materials_of
from calm_relay.planning.handover.work_order import steps_of
from tests.plans import plan


@pytest.fixture(scope="module")
def cottage():
    return demo_job("cottage")


@pytest.fixture(scope="module")
def unit(cottage):
    return plan(cottage).option("hybrid-swap").design.leader.inverter


def hybrid(job, unit, **changes):
    own = job.own_equipment.with_(inverters=(unit.with_(**changes),))
    return plan(job.with_(own_equipment=own, battery=job.battery.with_(hybrid=unit.key))).option("hybrid-swap")


def found(option, check):
    return [item for item in option.findings if item.check == check]


@pytest.mark.parametrize(
    ("states", "severity", "says"),
    [
        ("built in", Severity.OK, "finds arcs in the cables of its strings itself"),
        ("none", Severity.CHECK, "finds no arcs: a detector"),
        (None, Severity.CHECK, "does not say whether it finds arcs"),
    ],
)
def test_what_finds_arcs_in_strings_is_held_against_the_region(cottage, unit, states, severity, says):
    option = hybrid(cottage, unit, arc_fault=states)
    (note,) = found(option, "arc fault")
    assert note.severity is severity and says in note.sentence and note.limit == 80.0
    runs = option.design.leader.stringing.runs
    assert note.measured == pytest.approx(max(run.working_v(25.0) for run in runs))
    detectors = [item for item in materials_of(option) if item.article.startswith("Arc-fault detector")]
    assert len(detectors) == (states == "none")


def test_an_array_on_the_ground_modules_with_inverters_and_other_regions_are_not(cottage, unit):
    ground = cottage.with_(faces=tuple(face.with_(covering="ground") for face in cottage.faces))
    assert not found(hybrid(ground, unit, arc_fault=None), "arc fault")
    assert not found(plan(cottage).option("micro-ac"), "arc fault")
    assert not found(hybrid(cottage.with_(region="generic"), unit, arc_fault=None), "arc fault")


def test_a_battery_indoors_is_shut_down_from_outside(cottage, unit):
    inside = plan(cottage).option("hybrid-swap")
    (note,) = found(inside, "battery shutdown")
    assert note.severity is Severity.CHECK
    assert (note.measured, note.limit) == (pytest.approx(inside.design.leader.bank.nominal_kwh), None)
    articles = [item.article for item in materials_of(inside)]
    assert "Switch outdoors that shuts the battery down" in articles
    assert "Emergency shutdown of the battery: at its switch" in labels_of(inside)
    (tested,) = [item for item in steps_of(inside) if item.text.startswith("Emergency shutdown of the battery")]
    assert tested.stage == "Test"
    place = cottage.battery_place.with_(where="outdoors")
    outside = plan(cottage.with_(battery_place=place)).option("hybrid-swap")
    assert [item.severity for item in found(outside, "battery shutdown")] == [Severity.OK]
    assert "Switch outdoors that shuts the battery down" not in [item.article for item in materials_of(outside)]
    assert not found(plan(cottage).option("as-is"), "battery shutdown")
    assert not found(plan(demo_job("pottery")).option("hybrid-swap"), "battery shutdown")
