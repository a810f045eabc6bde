"""A service of three phases without neutral: what fits it, what its lines carry, and what is written of it."""

import numpy as np
import pytest

from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import library
from calm_relay.job.backup_board import BackupBoard, Circuit
from calm_relay.job.commissioning import Commissioning, CtMoment
from calm_relay.job.demand import Car, HotWater
from calm_relay.physics.three_wire import line_kva
from calm_relay.planning.architecture.refusals import phase_refusals
from calm_relay.planning.commissioning.ct_assistant import ct_finding
from calm_relay.planning.commissioning.expected import expected_of
from calm_relay.planning.commissioning.judge import judge
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.application import application_of
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.operation.phases import highest_phase_kw, home_by_phase, import_by_phase, phase_peaks_kw
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.studies.search import search
from calm_relay.planning.views.backup_stack import stack_of
from calm_relay.planning.views.wiring_list import wiring_rows
from tests.plans import plan

BARE = {"phases": "three-wire", "volts": 230.0, "main_fuse_a": 40.0}
CAR = Car(name="Car", kwh_per_day=14.0, charger_kw=7.3, phase="2")
TANK = HotWater(name="Tank", element_kw=2.0, phase="all")


@pytest.fixture(scope="module")
def job():
    place = find_places("bergen")[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    begun = new_job("A job", *where, 16000.0, library(), 20)
    return begun.with_(supply=begun.supply.with_(**BARE), assumed=())


@pytest.fixture(scope="module")
def made(job):
    return plan(job)


def of(option, check):
    return [finding for finding in option.findings if finding.check == check]


def with_unit(job, key, **changes):
    """The job with a hybrid of its own that differs from one of the library."""
    known = next(item for item in library().catalogue.inverters if item.key == key)
    own = job.own_equipment.with_(inverters=(known.with_(**changes),))
    return job.with_(own_equipment=own, battery=job.battery.with_(hybrid=key))


def test_units_that_need_a_neutral_are_refused_and_those_for_it_are_taken(job, made):
    units = {item.key: item for item in library().catalogue.inverters}
    assert phase_refusals(units["skerrin-h10t"], job) == [
        "Skerrin 10 three-phase hybrid needs a neutral, the supply has none"
    ]
    assert (
        "for split phase, the supply is three phase without neutral"
        in phase_refusals(units["skerrin-h48s"], job)[0]
    )
    assert phase_refusals(units["skerrin-h8w"], job) == phase_refusals(units["skerrin-h6"], job) == []
    with_neutral = job.with_(supply=job.supply.with_(phases="three"))
    assert "is for three phase without neutral" in phase_refusals(units["skerrin-h8w"], with_neutral)[0]
    assert made.option("hybrid-swap").design.leader.inverter.key == "skerrin-h8w"
    assert made.option("ac-addon").design.leader.inverter.key == "mossgate-8w"


@pytest.mark.parametrize("stated, severity", [(None, Severity.CHECK), ("may", Severity.OK)])
def test_a_unit_of_one_phase_goes_between_two_and_its_maker_is_asked(job, stated, severity):
    option = plan(with_unit(job, "skerrin-h6", between_phases=stated)).option("hybrid-swap")
    (note,) = of(option, "between phases")
    assert note.severity is severity and "between two, L1–L2" in note.sentence
    (dark,) = of(option, "one phase")
    assert "only L1–L2 is on" in dark.sentence
    assert option.outcome.backup.place == "L1–L2"


def test_one_that_may_not_is_refused(job):
    refused = plan(with_unit(job, "skerrin-h6", between_phases="may not")).option("hybrid-swap")
    assert "may not hang between two phases" in " ".join(refused.refusal.reasons)


def test_lines_carry_what_hangs_between_them(job):
    """A car between L2 and L3 is on two lines; the fuse is held against a line and not against a pair."""
    loaded = job.with_(demand=job.demand.with_(cars=(CAR,), hot_water=(TANK,)), faces=())
    option = plan(loaded).as_is
    demand, year = plan(loaded).demand, option.outcome.year
    lines = line_kva(home_by_phase(loaded, demand, year))
    drawn = import_by_phase(option.design, loaded, demand, year)
    assert drawn == pytest.approx(lines)
    peaks, fed = phase_peaks_kw(option.design, loaded, demand, year)
    assert peaks == pytest.approx(lines.max(axis=1)) and not fed.any()
    assert highest_phase_kw(option.design, loaded, demand, year)[0] == pytest.approx(lines.max())
    # Without losses on the way the three lines together take no less than the energy does.
    assert np.all(lines.sum(axis=0) >= year.at_bus("import") - 1e-9)
    (fuse,) = of(option, "main fuse")
    worst = int(lines.max(axis=1).argmax())
    assert f"on L{worst + 1}, mean of a quarter hour, {lines.max() / 0.230:.0f} A" in fuse.sentence
    assert "carries 40 A" in fuse.sentence and fuse.measured == pytest.approx(lines.max() / 0.230)


def test_what_units_give_is_taken_off_the_pair_they_hang_on(job):
    """A unit of one phase feeds two lines with all its amps."""
    option = plan(with_unit(job, "skerrin-h6")).option("hybrid-swap")
    made = plan(with_unit(job, "skerrin-h6"))
    _, fed = phase_peaks_kw(option.design, made.job, made.demand, option.outcome.year)
    assert fed[0] == pytest.approx(fed[1], rel=0.05) and fed[2] < 0.3 * fed[0]
    assert fed.max() <= option.design.leader.inverter.ac_kw + 1e-9
    (said,) = of(option, "main fuse, fed")
    assert "export on L1" in said.sentence or "export on L2" in said.sentence


def test_cables_breakers_and_the_operator_s_form_know_no_neutral(job):
    option = plan(with_unit(job, "skerrin-h6")).option("hybrid-swap")
    head, *rows = wiring_rows((option,))
    colours = {(row[1], row[2]): row[head.index("colours")] for row in rows}
    service, unit = colours["Meter", "Main board"], colours["Changeover", "Skerrin 6 high-voltage hybrid"]
    assert "L3" in service and "N " not in service
    assert "L2" in unit and "L3" not in unit and "N " not in unit
    whole = plan(job).option("hybrid-swap")
    poles = {part.article for part in materials_of(whole) if part.article.startswith("Breaker")}
    assert poles and all("3 poles" in article for article in poles)
    form = application_of(whole)
    service = form["service"]
    assert sum(form["inverter_kw_on_each_pair_of_phases"]) == pytest.approx(8.0, abs=0.01)
    assert service["voltage_between_phases_v"] == 230.0 and "voltage_to_neutral_v" not in service


def test_volts_are_read_between_lines_and_a_wrong_service_is_named(job, made):
    option = made.option("hybrid-swap")
    record = Commissioning()
    asked = [item for item in expected_of(made, option, record) if item.key.startswith("service volts")]
    assert [item.what for item in asked] == ["Volts L1 to L2", "Volts L2 to L3", "Volts L3 to L1"]
    assert {item.value for item in asked} == {230.0}

    def meaning(volts):
        told = judge(made, option, record.with_value("service volts 1", volts))
        return next(item.meaning for item in told if item.expected.key == "service volts 1")

    assert "service with a neutral" in meaning(400.0)
    assert "to earth" in meaning(133.0)
    assert "a phase is missing" in meaning(0.0)


def test_the_ct_test_gives_no_advice_that_does_not_hold_there():
    moment = CtMoment(kind="load only", load=(1.0, 1.0, 1.0), shown=(1.0, 1.0, 1.0))
    finding = ct_finding(Commissioning(ct_moments=(moment,)), "three-wire")
    assert not finding.placements and "Without neutral" in finding.problem


def test_circuits_hang_on_pairs(job):
    board = BackupBoard(
        circuits=(
            Circuit(name="Kitchen", leg="2", house_share=0.6),
            Circuit(name="Oven", leg="across", house_share=0.4),
        )
    )
    boarded = plan(job.with_(backup_board=board))
    stack = stack_of(boarded, boarded.option("hybrid-swap"))
    assert list(stack.legs) == ["L1–L2", "L2–L3", "L3–L1"]
    assert [row.leg for row in stack.rows] == ["L2–L3", "all phases"]
    kitchen, oven = 0, 1
    assert stack.legs["L1–L2"][kitchen] == 0.0 < stack.legs["L2–L3"][kitchen]
    assert stack.legs["L1–L2"][oven] == pytest.approx(stack.legs["L3–L1"][oven])


def test_the_search_tries_what_fits_it(made):
    found = search(made, most=600)
    units = {plant.design.leader.inverter.phases for plant in found.plants if plant.design.battery_converter}
    assert units == {"single", "three-wire"}
    assert any("another service" in why for why, _ in found.refused)
