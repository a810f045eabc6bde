"""On which phase or leg a load hangs: the meter, the main fuse, the kernel and the outage read it."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.backup_board import BackupBoard, Circuit
from calm_relay.job.demand import Car, HeatPump, HotWater, ScheduledLoad
from calm_relay.planning.commissioning.played import PlayedSite
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.controls import home_of
from calm_relay.planning.operation.machine_starts import machine_starts
from calm_relay.planning.operation.phases import highest_phase_kw, home_by_phase, import_by_phase
from tests.plans import plan

EVERY_DAY = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
SAW = ScheduledLoad(name="Saw", kw=3.0, days=EVERY_DAY, start="19:00", hours=2.0, phase="2")
CAR = Car(name="Van", kwh_per_day=12.0, charger_kw=7.4, phase="1")
TANK = HotWater(name="Tank", element_kw=3.0, phase="3", on_surplus=False)


def three_phase(*, board=None, meter="each phase", **loads):
    """The two homes with other loads and no board."""
    job = demo_job("two-homes")
    bare = job.demand.with_(loads=(), heat_pumps=(), cars=(), hot_water=(), flexible=())
    return job.with_(
        demand=bare.with_(**loads),
        supply=job.supply.with_(meter=meter),
        backup_board=board,
        control=job.control.with_(surplus_order=()),
    )


def test_the_meter_sees_a_load_on_its_phase():
    job = three_phase(loads=(SAW,), cars=(CAR,))
    made = plan(job)
    rows = home_of(job.supply, job.load_phases, made.demand)
    parts = {part.name: part.kw for part in made.demand.parts}
    house = parts["The house"]
    for row, share, more in zip(
        rows, job.supply.home_shares, (parts["Van"], parts["Saw"], 0.0 * house), strict=True
    ):
        assert row == pytest.approx(share * house + more)
    assert rows.sum(axis=0) == pytest.approx(made.demand.kw)


@pytest.mark.parametrize("meter", ["each phase", "sum of phases"])
def test_a_load_that_a_control_moves_is_imported_on_its_phase(meter):
    """Without array or battery all that a phase asks is drawn on it; the tank alone is on the third."""
    job = three_phase(meter=meter, hot_water=(TANK,))
    made = plan(job.with_(faces=(), existing_inverters=(), existing_batteries=()))
    year = made.as_is.outcome.year
    drawn = import_by_phase(made.as_is.design, made.job, made.demand, year)
    tank = year.loads.kw[0]
    assert tank.max() > 1.0
    for phase, (row, share) in enumerate(zip(drawn, job.supply.home_shares, strict=True)):
        assert row == pytest.approx(share * made.demand.kw + (tank if phase == 2 else 0.0))
    assert highest_phase_kw(made.as_is.design, made.job, made.demand, year)[0] == pytest.approx(drawn.max())
    if meter == "each phase":
        assert year.at_bus("import") == pytest.approx(drawn.sum(axis=0))


def test_the_main_fuse_is_held_against_the_fullest_phase():
    def most(phase):
        made = plan(three_phase(cars=(CAR.with_(phase=phase),)))
        found = next(item for item in made.as_is.findings if item.check == "main fuse")
        return found.measured

    assert most("1") > most("all") + 0.5 * 7.4


def test_the_circuit_says_it_before_the_load():
    board = BackupBoard(
        circuits=(
            Circuit(name="Workshop", leg="3", loads=("Saw",)),
            Circuit(name="Rest", leg="across", loads=("Van",), house_share=1.0),
        )
    )
    job = three_phase(board=board, loads=(SAW,), cars=(CAR,))
    assert dict(job.load_phases) == {"Saw": 3}
    made = plan(job)
    parts = {part.name: part.kw for part in made.demand.parts}
    rows = home_by_phase(job, made.demand, made.as_is.outcome.year)
    assert (rows[2] - rows[0]) == pytest.approx(parts["Saw"])


def test_a_service_has_the_legs_it_has():
    job = three_phase(loads=(SAW.with_(phase="3"),), cars=(CAR,))
    assert dict(job.load_phases) == {"Saw": 3, "Van": 1}
    split = job.with_(supply=job.supply.with_(phases="split", meter="sum of phases", volts=240.0))
    assert dict(split.load_phases) == {"Van": 1}
    single = job.with_(supply=job.supply.with_(phases="single", meter="sum of phases"))
    assert single.load_phases == ()


def test_one_phase_that_stays_on_feeds_what_hangs_on_it():
    """A single-phase unit on phase 1 of three keeps the car there, and not what hangs on the second."""
    job = demo_job("pottery").with_(backup_board=None)
    job = job.with_(
        supply=job.supply.with_(phases="three", single_on=1, volts=230.0),
        demand=job.demand.with_(loads=(SAW,), cars=(CAR,), heat_pumps=(), hot_water=(), flexible=()),
    )
    made = plan(job)
    option = next(item for item in made.live if item.design.battery_converter and item.design.leader.backup)
    if option.design.leader.inverter.phases != "single":
        pytest.skip("no single-phase unit forms a grid here")
    fed = behind_relay(option.design, job, made.demand)
    parts = {part.name: part.kw for part in made.demand.parts}
    assert fed.kw[0] == pytest.approx(job.supply.home_shares[0] * parts["The house"] + parts["Van"])


def test_the_played_meter_shows_it():
    job = three_phase(cars=(CAR.with_(from_battery=True, within_fuse=False),))
    made = plan(job.with_(faces=(), existing_inverters=(), existing_batteries=()))
    site = PlayedSite(made, made.as_is, 0, 1.0, (), lambda: 0.0)
    at = float(np.argmax({part.name: part.kw for part in made.demand.parts}["Van"])) + 0.5
    shown = site.meter(at).meter.phase_kw
    assert shown[0] > shown[1] + 5.0


PUMP = HeatPump(name="Old heat pump", heat_kwh_per_day=30.0, most_kw=3.0)


def with_pump(demo, **changes):
    """The pottery with a heat pump on a circuit of its own."""
    circuits = (*demo.backup_board.circuits, Circuit(name="Heating", loads=("Old heat pump",), breaker_a=20))
    return demo.with_(
        demand=demo.demand.with_(heat_pumps=(PUMP.with_(**changes),)),
        backup_board=demo.backup_board.with_(circuits=circuits),
    )


def starts_of(job):
    made = plan(job)
    option = made.option("ac-addon")
    return made, [item for item in option.findings if item.check == "motor start" and "Old heat" in item.sentence]


def test_a_compressor_that_starts_at_once_is_held_against_the_surge(demo):
    made, (found,) = starts_of(with_pump(demo, starts_softly=False, starting_a=58.0))
    volts = made.job.supply.volts
    assert f"starts with {58.0 * volts / 1000.0:.1f} kVA (58 A)" in found.sentence
    _, (unknown,) = starts_of(with_pump(demo, starts_softly=False))
    assert "18.0 kVA (assumed: six times its power)" in unknown.sentence
    assert starts_of(with_pump(demo))[1] == []


def test_it_starts_in_a_rehearsed_outage_for_its_share_of_the_time(demo):
    made, _ = starts_of(with_pump(demo, starts_softly=False, starting_a=58.0))
    option = made.option("ac-addon")
    fed = behind_relay(option.design, made.job, made.demand)
    winter = np.flatnonzero(made.demand.worst_season_steps)[:192]
    starts = machine_starts(made.job, made.demand, fed, winter, 15, seed=3)
    row = fed.names.index("Heating")
    assert "Old heat pump" in starts.who.values()
    (machine,) = [item for item in made.demand.machines if item.name == "Old heat pump"]
    on = (starts.load[row] > 0.0).mean()
    assert on == pytest.approx(machine.duty, abs=0.06)
    assert starts.load[row].max() == pytest.approx(3.0, abs=0.01)


def test_what_a_phase_draws_leaves_the_home_as_it_was_found():
    """Without a unit the home is all that is drawn: it is read by others, and not written into."""
    made = plan(three_phase(hot_water=()).with_(faces=(), existing_inverters=(), existing_batteries=()))
    year = made.as_is.outcome.year
    first = import_by_phase(made.as_is.design, made.job, made.demand, year)
    first[:] = 0.0
    assert import_by_phase(made.as_is.design, made.job, made.demand, year).sum() > 0.0
