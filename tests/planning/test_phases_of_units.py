"""On which of three phases units of one phase hang: what is there where it is, new arrays where least hangs."""

from itertools import permutations

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.equipment import Catalogue
from calm_relay.planning.architecture.bus_rating import bus_rating
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.architecture.refusals import island_refusals
from calm_relay.planning.findings import Severity
from calm_relay.planning.operation.island import island_of
from calm_relay.planning.operation.phases import units_by_phase
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.site.move import NewPlace, belongings, move
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.studies.search import search
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


@pytest.fixture(scope="module")
def homes():
    """Two households: a three-phase inverter, and in the garage a small inverter and an old battery of one phase."""
    return demo_job("two-homes")


def parted(job, inverter=None, battery=None):
    return job.with_existing_inverter(1, phase=inverter).with_existing_battery(0, phase=battery)


def of(option, check):
    return [item for item in option.findings if item.check == check]


def test_units_that_are_there_hang_where_the_survey_found_them(homes):
    made = plan(parted(homes, inverter=3, battery=1))
    option = made.option("ac-addon")
    phases = option.design.phases(made.job.supply)
    assert phases == (0, 3, 1, 0)
    plant = inputs_of(option.design, made.job, made.site, made.demand).plant
    assert tuple(part.phase for part in plant) == phases
    drawn = [node.detail for node in topology_of(option.design, option.context).nodes if node.kind == "unit"]
    assert [detail[-9:] for detail in drawn if ", phase " in detail] == [", phase 3", ", phase 1"]
    (apart,) = of(option, "unbalance")
    assert apart.severity is Severity.OK and apart.measured == pytest.approx(3.0)


def test_on_one_phase_of_a_service_of_one_it_says_nothing(homes):
    job = demo_job("pottery").with_existing_inverter(0, phase=3)
    option = plan(job).option("ac-addon")
    assert set(option.design.phases(job.supply)) == {0}


def test_an_outage_reaches_the_phase_of_the_unit_that_forms_the_grid(homes):
    """The old battery's unit alone forms a grid today: with it the array on its own phase, and no other."""
    for battery, joins in ((2, True), (3, False)):
        made = plan(parted(homes, inverter=2, battery=battery))
        island = island_of(made.as_is.design, made.job, made.demand)
        assert island.joins.tolist() == [False, joins, False]
        off = [item.sentence for item in of(made.as_is, "array left off")]
        assert len(off) == (1 if joins else 2)
        assert all(f"feeds phase {battery} alone" in sentence for sentence in off)
        assert any("hangs on phase 2" in sentence for sentence in off) is not joins
        rating = bus_rating(made.as_is.design, made.job.supply)
        assert (rating.arrays_kw if rating else 0.0) == (3.0 if joins else 0.0)


def test_a_mend_hangs_a_new_unit_with_the_array_that_would_be_off(homes):
    job = parted(homes, inverter=3, battery=1)
    option = plan(job).option("old-packs")
    (off,) = of(option, "array left off")
    assert "hangs on phase 3" in off.sentence and "feeds phase 2 alone" in off.sentence
    (mend,) = off.mends
    assert of(plan(mend.apply(job)).option("old-packs"), "array left off") == []


def test_a_unit_beside_one_of_its_kind_hangs_on_the_phase_of_that(homes):
    """Two under one controller form one grid: the new one goes where the old one hangs."""
    made = plan(parted(homes, battery=1))
    design = made.option("clock-bank").design
    assert [unit.inverter.key for unit in design.together] == ["mossgate-3", "mossgate-3"]
    assert design.phases(made.job.supply)[-2:] == (1, 1)


def test_what_is_out_of_balance_today_and_no_more_then_is_asked_about(homes):
    """Garage inverter and old battery on one phase, 6 kW: told, and no reason against what leaves them there."""
    made = plan(homes)
    (left,) = of(made.option("ac-addon"), "unbalance")
    assert left.severity is Severity.CHECK and "so today" in left.sentence
    (more,) = of(made.option("clock-bank"), "unbalance")
    assert more.severity is Severity.STOP and more.measured > left.measured


def test_a_new_unit_of_one_phase_keeps_to_the_rule_though_as_much_is_out_of_balance_today(homes):
    """Today 9 kW on phase 2; then a new 8 kW unit on phase 1 beside 6 kW on phase 2."""
    job = parted(homes.with_existing_inverter(1, inverter="tarnlight-6"), inverter=2, battery=2)
    made = plan(job.with_(supply=job.supply.with_(single_on=1)))
    (new,) = of(made.option("old-packs"), "unbalance")
    (left,) = of(made.option("ac-addon"), "unbalance")
    assert new.measured < left.measured == pytest.approx(9.0)
    assert new.severity is Severity.STOP and left.severity is Severity.CHECK


def test_a_home_that_draws_more_than_its_fuse_by_itself_stops_no_option_that_draws_no_more():
    job = demo_job("pottery")
    alone_kw = float(plan(job).demand.kw.max())
    fuse_a = int(0.95 * alone_kw * 1000.0 / job.supply.volts)
    small = job.with_(supply=job.supply.with_(main_fuse_a=fuse_a), assumed=())
    made = plan(small)
    found = {option.key: of(option, "main fuse")[0] for option in made.live}
    assert found["as-is"].severity is Severity.CHECK and "The home alone draws no less" in found["as-is"].sentence
    for option in found.values():
        # A unit that idles draws some watts of its own.
        assert (option.severity is Severity.STOP) == (option.measured > alone_kw + 0.1)
    weighed = search(made, most=200)
    assert weighed.plants and dict(weighed.refused).get("The main fuse", 0) < weighed.tried


def test_off_grid_an_array_on_another_phase_than_the_one_formed_is_refused(homes):
    job = parted(homes, inverter=2, battery=3)
    design = plan(job).as_is.design
    off_grid = job.with_(supply=job.supply.with_(on_grid=False))
    assert "forms one phase, and Tarnlight 10" in island_refusals(design, off_grid)[0]


@pytest.mark.parametrize("count, stated, on", [(8, None, 1), (8, 3, 3), (8, 0, 0), (30, None, 0), (30, 2, 2)])
def test_microinverters_that_are_there_hang_where_they_were_found(house, count, stated, on):
    """Where nobody says, more of them than one breaker carries hang on all three phases."""
    single = next(item for item in library().catalogue.microinverters if item.phases == "single")
    job = house.job
    there = job.faces[0].with_(
        electronics=single.key, fate="keep", count=count, strings=1, rectangle=None, phase=stated
    )
    made = plan(job.with_(faces=(there, *job.faces[1:]), supply=job.supply.with_(single_on=1)))
    for option in made.live:
        design, supply = option.design, made.job.supply
        at = next(n for n, unit in enumerate(design.converters) if unit.micro is not None and not unit.is_new)
        assert design.phases(supply)[at] == on, option.key
        part = inputs_of(design, made.job, made.site, made.demand).plant[at]
        assert part.phase == on


@pytest.fixture(scope="module")
def berlin():
    """A new house under a bound of 4.6 kW, whose modules an inverter of one phase would take for less."""
    return plan(new_job("New", "Berlin", "Germany", 52.52, 13.4, "Europe/Berlin", 4200.0, library(), 12))


def test_the_planner_takes_no_inverter_that_sets_phases_too_far_apart_where_another_will_do(berlin):
    for key in ("ac-addon", "hybrid-swap", "two-units"):
        option = berlin.option(key)
        (balance,) = (item for item in option.findings if item.check == "unbalance")
        assert balance.severity is Severity.OK and not option.stopped, key
        assert all(unit.inverter.phases == "three" for unit in option.design.new_converters)
    # Without the bound the cheapest is of one phase.
    free = berlin.job.with_(region="generic")
    (unit,) = plan(free).option("hybrid-swap").design.new_converters
    assert unit.inverter.phases == "single" and unit.inverter.ac_kw > 4.6


def test_no_mend_takes_an_inverter_that_sets_phases_too_far_apart(berlin):
    kit = next(item for item in library().catalogue.inverters if item.key == "skerrin-h10t")
    few = tuple(tracker.with_(usable_a=6) for tracker in kit.pv.trackers)
    own = Catalogue(inverters=(kit.with_(key="few", pv=kit.pv.with_(trackers=few)),))
    made = plan(berlin.job.with_(battery=berlin.job.battery.with_(hybrid="few"), own_equipment=own))
    (window,) = (item for item in made.option("hybrid-swap").findings if item.check == "full-power window")
    # A unit of one phase with as wide a window costs less.
    assert [mend.apply(made.job).battery.hybrid for mend in window.mends] == ["skerrin-h6t"]


def test_an_inverter_that_is_asked_for_is_stopped_and_no_search_tries_it(berlin):
    job = berlin.job.with_(battery=berlin.job.battery.with_(hybrid="skerrin-h6"))
    (balance,) = (item for item in plan(job).option("hybrid-swap").findings if item.check == "unbalance")
    assert balance.severity is Severity.STOP and balance.measured == pytest.approx(6.0)
    found = search(plan(job), most=300)
    assert dict(found.refused)["More on one phase than the rules allow"] > 0
    for plant in found.plants:
        assert np.ptp(kw_on_phases(plant.design, job.supply)) <= 4.6 + 1e-9


def test_a_mend_parts_new_units_from_those_that_are_there(homes):
    job = homes.with_(existing_batteries=())
    option = plan(job).option("clock-bank")
    (apart,) = of(option, "unbalance")
    assert apart.severity is Severity.STOP and apart.measured == pytest.approx(6.0)
    (mend,) = apart.mends
    mended = mend.apply(job)
    after = plan(mended).option("clock-bank")
    (left,) = of(after, "unbalance")
    assert left.severity is Severity.OK and left.measured == pytest.approx(3.0)
    # What is there stays where it hung, and only what is new moves.
    phases = dict(zip(after.design.converters, after.design.phases(mended.supply), strict=True))
    assert {phase for unit, phase in phases.items() if phase and not unit.is_new} == {job.supply.single_on}
    # Where six hang on one phase no other is near enough for three more.
    (many,) = of(plan(homes).option("clock-bank"), "unbalance")
    assert many.severity is Severity.STOP and many.mends == ()


def test_a_unit_without_backup_keeps_no_phase_on(homes):
    made = plan(homes)
    assert made.option("balcony").design.battery_converter.inverter.phases == "single"
    assert of(made.option("balcony"), "one phase") == [] != of(made.option("clock-bank"), "one phase")
