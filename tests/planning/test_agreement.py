"""Two ways to the same statement on jobs at random: finding and rehearsal, finding and year, option and search."""

import random

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from calm_relay.exchange.shipped import DEMOS, demo_job
from calm_relay.physics.kept import STORE
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.findings import Severity
from calm_relay.planning.operation.island import leg_volts
from calm_relay.planning.operation.phases import highest_phase_kw, import_by_phase, relay_passes_a, through_relay
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.search import search
from calm_relay.planning.verdict.option import RefusedOption
from tests.planning.test_any_survey import any_job
from tests.plans import plan

FEW = settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.too_slow], derandomize=True)
# What a finding lets pass must not end a rehearsal; these are the checks that speak of power.
POWER = {"backed-up load", "motor start", "starts together", "legs"}
BOARDS = [name for name in DEMOS if demo_job(name).backup_board is not None]


def jobs_at_random(seed):
    draw = random.Random(seed)
    while True:
        try:
            job = any_job(draw)
            return job, plan(job)
        except (ValidationError, PlanError):
            continue


def live(made):
    return [option for option in made.options if not isinstance(option, RefusedOption)]


def notes(option, check):
    return [item for item in option.findings if item.check == check]


def with_any_board(name, draw):
    """A demo's job with its circuits' roles, legs and machines thrown anew."""
    job = demo_job(name)
    circuits = tuple(
        circuit.with_(
            role=draw.choice(["backed up", "backed up", "grid only"]),
            leg=draw.choice([circuit.leg, "1", "2"]) if job.supply.phases != "single" else circuit.leg,
        )
        for circuit in job.backup_board.circuits
    )
    loads = tuple(load.with_(kw=round(load.kw * draw.uniform(0.3, 1.5), 2)) for load in job.demand.loads)
    return job.with_(demand=job.demand.with_(loads=loads), backup_board=job.backup_board.with_(circuits=circuits))


@FEW
@given(name=st.sampled_from(BOARDS), seed=st.integers(0, 10_000))
def test_what_the_findings_let_pass_trips_no_rehearsal(name, seed):
    draw = random.Random(seed)
    made = plan(with_any_board(name, draw))
    steps = made.site.calendar.steps
    for option in live(made):
        quiet = {item.check for item in option.findings if item.severity is Severity.OK}
        loud = {item.check for item in option.findings if item.check in POWER and item.severity < Severity.OK}
        if loud or not quiet & POWER:
            continue
        for again in range(3):
            run = rehearse(made, option, draw.randrange(steps), 24.0, seed=again)
            if run is not None:
                assert not any(word in run.ended_by for word in ("passed", "started")), run.ended_by


@FEW
@given(seed=st.integers(0, 10_000))
def test_findings_read_their_figures_off_the_year(seed):
    job, made = jobs_at_random(seed)
    for option in live(made):
        year, design = option.outcome.year, option.design
        for note in notes(option, "main fuse"):
            phases = import_by_phase(design, job, made.demand, year)
            assert note.measured == pytest.approx(phases.max())
            drawn, fed = highest_phase_kw(design, job, made.demand, year)
            assert drawn <= phases.max() + 1e-6
            for fed_note in notes(option, "main fuse, fed"):
                assert fed <= fed_note.measured + 1e-6
        for note in notes(option, "unmet"):
            assert note.measured == pytest.approx(year.unmet_kwh / (year.bus_kwh("home") + year.unmet_kwh) * 100)
        for note in notes(option, "evening power"):
            giving = year.of("discharge").max()
            assert giving * 0.8 <= note.measured * 1.001 + 0.2 or design.by_clock, option.title
        for note in notes(option, "pass-through"):
            inverter = design.battery_converter.inverter
            drawn = np.maximum(-year.of("ac", design.forming[0]), 0.0)
            legs = through_relay(design, job, made.demand)
            kw = (legs + drawn / legs.shape[0]).max()
            assert note.measured == pytest.approx(kw * 1000 / leg_volts(inverter.phases, inverter.volts))
            assert (note.measured > relay_passes_a(design.battery_converter)) == (note.severity is Severity.STOP)


@settings(FEW, max_examples=3)
@given(seed=st.integers(0, 10_000))
def test_a_searched_plant_is_the_option_it_opens_as(seed):
    job, made = jobs_at_random(seed)
    result = search(made, most=24)
    assume(result.plants)
    plant = result.plants[seed % len(result.plants)]
    option = plan(plant.job).option(plant.key)
    assert not isinstance(option, RefusedOption)
    brief = option.outcome
    assert brief.money.outlay == pytest.approx(plant.brief.money.outlay)
    assert brief.money.bill == pytest.approx(plant.brief.money.bill)
    # One control profile of a design stands for how the others' savings fade.
    worth = 0.03 * (abs(brief.money.saving) * job.costs.horizon_years + brief.money.outlay)
    assert brief.money.npv == pytest.approx(plant.brief.money.npv, abs=worth)
    assert brief.backup.hours == pytest.approx(plant.brief.backup.hours)
    assert brief.backup.lasting == pytest.approx(plant.brief.backup.lasting)
    assert brief.unmet == pytest.approx(plant.brief.unmet)
    fuse = notes(option, "main fuse")
    assert all(note.severity is not Severity.STOP for note in fuse), fuse


def test_what_stays_is_known_again_when_its_faces_are_made_anew():
    """Microinverters that stay were taken away in a search once the faces of the plan had been forgotten."""
    _, made = jobs_at_random(62)
    assert any(unit.micro for unit in made.as_is.design.converters)

    def outlays():
        return [plant.brief.money.outlay for plant in search(made, most=12).plants]

    before = outlays()
    STORE.clear()
    assert outlays() == before


@pytest.mark.parametrize("name", ["dairy", "two-homes"])
def test_a_longer_outage_leaves_what_comes_before_its_end_as_it_was(name):
    made, draw = plan(demo_job(name)), random.Random(5)
    option = made.option(made.choice.key)
    for _ in range(4):
        first = draw.randrange(made.site.calendar.steps)
        short, long = (rehearse(made, option, first, hours) for hours in (12.0, 30.0))
        for short_of, long_of in ((short.load_kw, long.load_kw), (short.start_kw, long.start_kw)):
            assert np.array_equal(short_of, long_of[..., : short.steps])
        assert np.array_equal(short.state, long.state[: short.steps])
        early = long.served_h is not None and long.served_h < 12.0
        assert short.served_h == (long.served_h if early else None)
