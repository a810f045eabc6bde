"""Residual current, surges, isolation at both ends, parting from the grid: said of new units, and in the materials."""

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.existing_supply import Generator
from calm_relay.job.wiring import Route
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.wiring.surge import critical_m, dc_length_m
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

AC = "changeover > unit 1"


def found(option, check):
    return [item for item in option.findings if item.check == check]


def parts(option):
    return {part.article: part.quantity for part in materials_of(option)}


@pytest.fixture(scope="module")
def pottery():
    return demo_job("pottery")


def with_unit(job, option, **changes):
    """The job with the option's own unit changed as its datasheet might be."""
    unit = option.design.leader.inverter.with_(**changes)
    field = "hybrid" if unit.pv else "battery_inverter"
    own = job.own_equipment.with_(inverters=(unit,))
    return job.with_(own_equipment=own, battery=job.battery.with_(**{field: unit.key}))


def test_every_new_unit_of_a_demo_says_how_it_is_made_safe(pottery):
    for option in plan(pottery).live:
        new = [unit for unit in option.design.converters if unit.is_new and not unit.inverter.plug_in]
        names = {unit.inverter.name for unit in new if unit.micro is None}
        for check in ("residual current", "anti-islanding"):
            told = found(option, check)
            assert {name for name in names if any(name in note.sentence for note in told)} == names
        assert len(found(option, "isolation")) == sum(unit.micro is None for unit in new)


def test_a_datasheet_that_does_not_name_the_test_is_a_question(pottery):
    option = plan(pottery).option("hybrid-swap")
    silent = plan(with_unit(pottery, option, anti_islanding=None)).option("hybrid-swap")
    (note,) = found(silent, "datasheet answers")
    assert "by which standard it parts from a grid that fails" in note.sentence
    assert not found(silent, "anti-islanding")


def test_an_isolator_stands_at_a_unit_that_is_out_of_sight(pottery):
    far = plan(pottery).option("ac-addon")
    (note,) = found(far, "isolation")
    assert "an isolator beside it as well" in note.sentence
    assert parts(far)["AC isolator that can be locked, at the unit"] == 1.0
    near = pottery.with_(wiring=pottery.wiring.with_route(Route(key=AC, length_m=2.0)))
    option = plan(near).option("ac-addon")
    assert "isolates it if it is in sight" in found(option, "isolation")[0].sentence
    assert "AC isolator that can be locked, at the unit" not in parts(option)


# IEC 60364-7-712:2017, table 712.102: 115 over the strokes a km2 and year for dwellings; from memory.
@pytest.mark.parametrize(("strokes", "metres"), [(1.0, 115.0), (2.5, 46.0), (5.0, 23.0)])
def test_the_critical_length_of_dc_cables(strokes, metres):
    assert critical_m(strokes) == pytest.approx(metres)


def test_surge_devices_follow_the_strokes_of_the_place(pottery):
    bare = plan(pottery).option("hybrid-swap")
    assert "Their number is not stated" in found(bare, "surge devices")[0].sentence
    length = dc_length_m(wiring_of(bare.design, bare.context))
    assert length > 10.0
    stormy = pottery.with_(wiring=pottery.wiring.with_(strokes_km2=8.0))
    option = plan(stormy).option("hybrid-swap")
    (note,) = found(option, "surge devices")
    assert note.severity is Severity.CHECK and note.measured == pytest.approx(length)
    assert "and at the array, more than 10 m away" in note.sentence
    assert parts(option)["Surge device, DC side"] == 2.0
    calm = plan(pottery.with_(wiring=pottery.wiring.with_(strokes_km2=0.5))).option("hybrid-swap")
    assert found(calm, "surge devices")[0].severity is Severity.OK
    assert "Surge device, DC side" not in parts(calm)


def test_the_backup_board_has_a_main_switch_and_a_generator_its_transfer(pottery):
    job = demo_job("two-homes")
    option = plan(job).option("hybrid-beside")
    (note,) = found(option, "backup board switch")
    assert "opens 4 conductors" in note.sentence and note.measured <= note.limit
    assert parts(option)["Main switch of the backup board"] == 1.0
    helped = plan(pottery.with_(generators=(Generator(kw=3.0),)))
    told = [option for option in helped.live if found(option, "generator transfer")]
    assert told and all(option.design.leader.backup.generator_input for option in told)
