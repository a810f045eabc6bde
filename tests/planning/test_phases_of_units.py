"""On which of three phases units of one phase hang: what is there where it is, new arrays where least hangs."""

from itertools import permutations

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.operation.phases import units_by_phase
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.site.move import NewPlace, belongings, move
from calm_relay.planning.site.new_job import new_job
from tests.plans import plan

MUNICH = NewPlace("Munich, Germany", "Munich", "Germany", 48.14, 11.58, "Europe/Berlin")


@pytest.fixture(scope="module")
def house():
    """A new house of four roof faces, three phase, in a country whose operators bound the unbalance."""
    job = demo_job("cottage")
    return plan(move(job, MUNICH, belongings(job, MUNICH, library())))


def kw_on_phases(design, supply):
    on = np.zeros(3)
    for unit, phase in zip(design.converters, design.phases(supply), strict=True):
        on += unit.inverter.ac_kw * (np.eye(3)[phase - 1] if phase else np.full(3, 1.0 / 3.0))
    return on


def test_microinverters_are_spread_over_the_phases_as_evenly_as_by_trying_every_way(house):
    option, supply = house.option("micro-ac"), house.job.supply
    design = option.design
    single = [unit.inverter.ac_kw for unit in design.converters if unit.inverter.phases == "single"]
    assert len(single) == 4
    apart = np.ptp(kw_on_phases(design, supply))
    ways = {tuple(way) for way in permutations((1, 2, 3) * 4, 4)}
    best = min(np.ptp([sum(kw for kw, on in zip(single, way, strict=True) if on == phase) for phase in (1, 2, 3)])
               for way in ways)  # fmt: skip
    assert apart == pytest.approx(best)
    (note,) = (item for item in option.findings if item.check == "unbalance")
    assert note.severity is Severity.OK and note.measured == pytest.approx(apart)
    assert all(f"on phase {phase}" in note.sentence for phase in (1, 2, 3))


def test_what_is_simulated_told_and_drawn_hangs_on_the_same_phases(house):
    option, job = house.option("micro-ac"), house.job
    phases = option.design.phases(job.supply)
    assert tuple(part.phase for part in inputs_of(option.design, job, house.site, house.demand).plant) == phases
    shares = units_by_phase(option.design, job)
    assert [int(row.argmax()) + 1 if row.max() == 1.0 else 0 for row in shares] == list(phases)
    drawn = [node for node in topology_of(option.design, option.context).nodes if node.kind == "branch"]
    assert [f", phase {phase}" for phase in phases if phase] == [node.detail[-9:] for node in drawn]


def test_a_face_of_more_microinverters_than_a_breaker_carries_hangs_on_all_three_phases():
    """Twenty-four on one face: three branches of eight, and nothing out of balance."""
    job = new_job("A roof", "Munich, Germany", "Germany", 48.14, 11.58, "Europe/Berlin", 4500.0, library(), 24)
    made = plan(job)
    option = made.option("micro-ac")
    assert option.design.phases(job.supply) == (0,) * len(option.design.converters)
    (balance,) = (item for item in option.findings if item.check == "unbalance")
    assert balance.severity is Severity.OK and balance.measured == pytest.approx(0.0)
    (branches,) = (item for item in option.findings if item.check == "branch circuits")
    assert "so 3 branch circuits, as many on each phase" in branches.sentence
    (drawn,) = (node for node in topology_of(option.design, option.context).nodes if node.kind == "branch")
    assert drawn.detail == "24 × Pennant 300 microinverter, 3 branches, on all phases" and drawn.count == 3


def test_arrays_behind_a_battery_of_one_phase_hang_with_it(house):
    """On another phase they would be off in an outage."""
    job = house.job.with_(battery=house.job.battery.with_(battery_inverter="mossgate-5", pack="fern-96", count=1))
    option = plan(job.with_(supply=job.supply.with_(single_on=2))).option("micro-ac")
    assert option.design.battery_converter.inverter.phases == "single"
    assert set(option.design.phases(option.context.job.supply)) == {2}


def test_what_hangs_there_today_stays_where_the_job_says():
    job = demo_job("two-homes")
    made = plan(job.with_(supply=job.supply.with_(single_on=3)))
    for option in made.live:
        for unit, phase in zip(option.design.converters, option.design.phases(made.job.supply), strict=True):
            if not unit.is_new or unit.has_battery:
                assert phase == (3 if unit.inverter.phases == "single" else 0)
