"""The backed-up loads and the generator: what contradicts itself is refused at the field."""

import pytest

from calm_relay.job.backup_board import BackupBoard, Circuit
from calm_relay.job.existing_supply import Generator
from tests.plans import plan


def test_a_board_that_contradicts_itself_is_refused():
    one = Circuit(name="One", house_share=0.6)
    with pytest.raises(ValueError, match="stands twice"):
        BackupBoard(circuits=(one, one))
    with pytest.raises(ValueError, match="add up to 120%"):
        BackupBoard(circuits=(one, one.with_(name="Two")))
    with pytest.raises(ValueError, match="hangs on two circuits"):
        BackupBoard(circuits=(one.with_(loads=("Kiln",)), Circuit(name="Two", loads=("Kiln",))))
    kept = Circuit(name="Kept", role="shed", shed_below=0.8, priority=1)
    first = Circuit(name="First", role="shed", shed_below=0.3, priority=9)
    with pytest.raises(ValueError, match="'Kept' is to be kept longer than 'First'"):
        BackupBoard(circuits=(kept, first))
    with pytest.raises(ValueError, match="not below stop_above"):
        Generator(kw=4, start_below=0.9, stop_above=0.5)


def test_a_reserve_above_what_is_usable_and_a_circuit_without_a_leg_are_refused(demo):
    with pytest.raises(ValueError, match=r"reserve\n.*less than or equal to 0.95"):
        demo.battery.with_(reserve=1.2)
    three = demo.supply.with_(phases="three")
    with pytest.raises(
        ValueError, match=r"board\.circuits\.0\.leg: .* hangs on None; wanted one of 1, 2, 3, across"
    ):
        demo.with_(supply=three)


def test_a_generator_on_one_bus_with_the_array_stops_and_is_mended(demo):
    job = demo.with_generator(Generator(kw=4, on="the bus of AC-coupled PV"))
    note = next(item for item in plan(job).option("ac-addon").findings if item.check == "generator")
    assert note.severity.name == "STOP"
    tanked = note.mends[0].apply(job)
    tanked = tanked.with_generator(tanked.generator.with_(tank_litres=80))
    after = next(item for item in plan(tanked).option("ac-addon").findings if item.check == "generator")
    # 4 kW burn 1.6 l an hour.
    assert after.sentence.endswith("Its 80 l last 50 h at 4 kW.")
    assert after.severity.name == "OK"
    assert "no generator input" in " ".join(
        item.sentence
        for item in plan(
            demo.with_(generators=(Generator(kw=4),), battery=demo.battery.with_(hybrid="umberlow-h37"))
        )
        .option("hybrid-swap")
        .findings
    )


def test_a_load_that_is_gone_is_named_and_taken_off(demo):
    job = demo.with_(demand=demo.demand.with_(loads=()))
    note = next(item for item in plan(job).option("ac-addon").findings if item.check == "loads")
    assert "“Kiln”" in note.sentence
    assert plan(note.mends[0].apply(job)).job.backup_board.circuits[-1].loads == ()
