"""Residual current, surges, isolation at both ends, parting from the grid: said of new units, and in the materials."""

import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.existing_supply import Generator
from calm_relay.job.survey import RuleChange
from calm_relay.job.wiring import Route
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import labels_of, materials_of
from calm_relay.planning.handover.work_order import steps_of
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


@pytest.fixture
def american():
    """The split-phase demo."""
    return demo_job("cottage")


def shutdown(job, key="hybrid-swap"):
    option = plan(job).option(key)
    return found(option, "rapid shutdown"), option


def test_strings_on_a_building_are_brought_down_where_the_region_asks_for_it(american):
    """NEC 2023, 690.12(B)(2), from memory: 80 V within the array 30 s after a rapid shutdown is set off."""
    (note,), option = shutdown(american)
    runs = [run for unit in option.design.converters if unit.has_array for run in unit.stringing.runs]
    plain, cold_c = sum(run.modules for run in runs), option.context.temperatures.cold_c
    assert note.severity is Severity.CHECK and (note.limit, f"each of {plain} modules" in note.sentence) == (
        80.0,
        True,
    )
    assert note.measured == pytest.approx(max(run.open_v(cold_c) for run in runs))
    assert parts(option)["Shutdown device under a module"] == plain
    assert parts(option)["Switch that sets off the rapid shutdown"] == 1.0
    costs = option.context.job.costs
    (line,) = [line for line in option.outcome.money.lines if line.kind == "shutdown"]
    assert line.amount == plain * costs.shutdown_device + costs.shutdown_switch
    assert line.label == f"{plain} shutdown devices and switch"
    assert "The devices are in the outlay at $ 28 each, the switch at $ 60." in note.sentence
    assert any(label.startswith("Rapid shutdown") for label in labels_of(option))
    assert any("Rapid shutdown" in step.text for step in steps_of(option))


def test_an_array_on_the_ground_another_region_and_a_higher_limit_ask_for_none(american):
    ground = american.with_(faces=tuple(face.with_(covering="ground") for face in american.faces))
    high = american.with_(rule_changes=(RuleChange(rule="us-shutdown", limit=1000.0, why="a carport"),))
    left = american.with_(rule_changes=(RuleChange(rule="us-shutdown", limit=None, why="a carport"),))
    for job in (ground, high, left, american.with_(region="generic", rule_changes=())):
        notes, option = shutdown(job)
        assert not notes and "Shutdown device under a module" not in parts(option)
        assert not any(line.kind == "shutdown" for line in option.outcome.money.lines)
    assert not any(label.startswith("Rapid shutdown") for label in labels_of(shutdown(ground)[1]))
    costs = american.costs.with_(shutdown_switch=0.0)
    (note,), option = shutdown(american.with_(costs=costs))
    assert "$ 28 each; a switch is not" in note.sentence
    assert parts(option)["Switch that sets off the rapid shutdown"] == 1.0
    (note,), option = shutdown(american.with_(costs=costs.with_(shutdown_device=0.0)))
    assert "No device is in the outlay; a switch is not" in note.sentence
    assert not any(line.kind == "shutdown" for line in option.outcome.money.lines)


def test_strings_that_stay_as_they_hang_are_not_held_to_it(demo):
    job = demo.with_(region="united-states", rule_changes=())
    kept, _ = shutdown(job, "ac-addon")
    (laid,), _ = shutdown(job, "hybrid-swap")
    assert not kept and laid.measured > 80.0


def test_optimisers_do_it_where_their_maker_lists_them(american):
    optimiser = next(item for item in library().catalogue.optimisers if item.any_inverter)
    job = american.with_(faces=tuple(face.with_(electronics=optimiser.key) for face in american.faces))
    (note,), option = shutdown(job)
    assert note.severity is Severity.OK and "ask for the listing" in note.sentence
    assert "Shutdown device under a module" not in parts(option)
