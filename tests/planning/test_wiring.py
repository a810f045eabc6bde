"""Cables and protection of a plan: what sizes them, what a person may state, and what is said where it does not fit."""

from dataclasses import replace

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job, library, wire_tables
from calm_relay.job.library import Library
from calm_relay.job.own_figures import OwnFigures
from calm_relay.job.survey import RuleChange
from calm_relay.job.wiring import ExistingCircuit, Route
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.plan import plan as plan_with
from calm_relay.planning.site.new_job import begun_job
from calm_relay.planning.views.wiring_list import HEAD, wiring_rows
from calm_relay.planning.views.wiring_sheet import wiring_sheet
from calm_relay.planning.wiring.laid import laid_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

BATTERY = "unit 1 > bus of unit 1"
AC = "changeover > unit 1"


@pytest.fixture(scope="module", params=["pottery", "cottage", "dairy", "hut", "two-homes"])
def demo_option(request):
    made = plan(demo_job(request.param))
    return made.live


def with_route(job, key, **changes):
    return job.with_(wiring=job.wiring.with_route(Route(key=key, **changes)))


def cable(job, key, option="ac-addon"):
    chosen = plan(job).option(option)
    return wiring_of(chosen.design, chosen.context).cable(key)


def cables_of(job, option="ac-addon"):
    chosen = plan(job).option(option)
    return wiring_of(chosen.design, chosen.context).cables


def found(job, check, option="ac-addon"):
    return [item for item in plan(job).option(option).findings if item.check == check]


def test_every_part_hangs_on_one_cable_and_leads_to_the_grid(demo_option):
    for option in demo_option:
        topology = topology_of(option.design, option.context)
        keys = {node.key for node in topology.nodes}
        ends = [edge.end for edge in topology.power_edges]
        assert len(ends) == len(set(ends))
        assert len({edge.key for edge in topology.edges}) == len(topology.edges)
        assert all(edge.start in keys and edge.end in keys for edge in topology.edges)
        roots = {"grid"} if option.context.job.supply.on_grid else {"main board"}
        for node in topology.nodes:
            if node.kind == "earth":
                continue
            path = topology.towards_grid(node.key)
            assert (path[-1].start if path else node.key) in roots


def test_units_strings_and_batteries_of_a_design_stand_in_its_topology(demo_option):
    for option in demo_option:
        topology = topology_of(option.design, option.context)
        kinds = [node.kind for node in topology.nodes]
        converters = option.design.converters
        assert kinds.count("unit") == sum(unit.micro is None for unit in converters)
        assert kinds.count("branch") == sum(unit.micro is not None for unit in converters)
        inputs = sum(len(unit.stringing.inputs) for unit in converters if unit.has_strings and unit.micro is None)
        assert kinds.count("array") == inputs
        held = sum(unit.has_battery and unit.inverter.built_in_pack is None for unit in converters)
        assert kinds.count("battery") == held
        assert kinds.count("generator") == len(option.context.job.generators)


def test_every_cable_of_every_demo_carries_its_device_and_keeps_its_limits(demo_option):
    for option in demo_option:
        made = wiring_of(option.design, option.context)
        for item in made.cables:
            if item.size is None:
                assert item.missed
                continue
            assert item.capacity_a >= item.limits.share * item.edge.amps - 1e-9
            if item.device is not None:
                assert item.edge.amps <= item.device.amps + 1e-9
                larger = [size.amps for size in made.tables.breakers if size.amps >= item.capacity_a - 1e-9]
                most = min(larger) if made.tables.next_size_up else item.capacity_a
                assert item.limits.share * item.device.amps <= most + 1e-9
            assert item.drop_share <= item.limits.drop + 1e-9


def test_the_size_below_the_chosen_one_would_not_do(demo_option):
    from calm_relay.planning.wiring.cable import size_cable

    for option in demo_option:
        made = wiring_of(option.design, option.context)
        names = [size.name for size in made.tables.sizes]
        for item in made.cables:
            if item.size is None or item.typed or names.index(item.size.name) == 0:
                continue
            below = names[names.index(item.size.name) - 1]
            less = size_cable(item.edge, below, item.laid, item.limits, made.tables, item.device, item.device_kind)
            assert less.missed or less.problem


def test_a_longer_route_wants_a_larger_cable_by_voltage(demo):
    near, far = cable(demo, AC), cable(with_route(demo, AC, length_m=60.0), AC)
    assert near.binding == "current"
    assert far.binding in ("voltage drop", "voltage rise")
    assert far.size.mm2 > near.size.mm2


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"grouped": 6}, "current"),
        ({"ambient_c": 55.0}, "current"),
        ({"laying": "in an insulated wall"}, "current"),
        ({"material": "aluminium"}, "smallest size"),
    ],
)
def test_what_a_route_says_reaches_its_size(demo, changes, why):
    plain, changed = cable(demo, AC), cable(with_route(demo, AC, **changes), AC)
    assert changed.size.mm2 > plain.size.mm2
    assert changed.binding == why


def test_better_insulation_carries_more(demo):
    plain, better = cable(demo, AC), cable(with_route(demo, AC, insulation="90 °C"), AC)
    assert better.size.mm2 < plain.size.mm2
    assert better.capacity_a >= better.device.amps


def test_a_battery_cable_is_for_the_lowest_voltage_and_each_pack_has_its_own(demo):
    bus, pack = cable(demo, BATTERY), cable(demo, "bus of unit 1 > battery of unit 1")
    bank = plan(demo).option("ac-addon").design.leader.bank
    assert bus.edge.volts == bank.empty_v
    assert bus.device.amps >= 1.25 * bus.edge.amps - 1e-9
    assert pack.edge.runs == bank.count
    assert pack.edge.amps <= bus.edge.amps
    (note,) = found(demo, "battery cable")
    assert note.severity is Severity.OK
    assert "of one length" in note.sentence
    assert "same charge" in note.sentence


def test_a_battery_cable_too_thin_stops_and_the_mend_answers(demo):
    job = with_route(demo, BATTERY, size="16")
    (note,) = [item for item in found(job, "cables") if item.severity is Severity.STOP]
    assert "160 A fuse" in note.sentence
    (mend,) = note.mends
    assert mend.label == "Take 35 mm²"
    assert all(item.severity is Severity.OK for item in found(mend.apply(job), "cables"))


def test_a_cable_that_no_size_satisfies_offers_conductors_in_parallel_or_a_shorter_route(demo):
    job = with_route(demo, BATTERY, length_m=60.0)
    (note,) = [item for item in found(job, "cables") if item.severity is Severity.STOP]
    assert "even the largest" in note.sentence and "loses" in note.sentence
    labels = [mend.label for mend in note.mends]
    assert any("in parallel" in label for label in labels) or any(
        label.startswith("A route of") for label in labels
    )
    shorter = next(mend for mend in note.mends if mend.label.startswith("A route of"))
    assert shorter.apply(job).wiring.route(BATTERY).length_m == 30.0


def test_a_size_that_the_tables_do_not_have_is_told_with_those_they_have(demo):
    (note,) = [item for item in found(with_route(demo, AC, size="17"), "cables") if item.severity is Severity.STOP]
    assert "no size is called '17'" in note.sentence
    assert "2.5, 4, 6" in note.sentence


def test_a_breaker_that_is_not_made_names_its_neighbours(demo):
    job = with_route(demo, AC, protect_a=33.0)
    note = next(item for item in found(job, "protection") if item.severity is Severity.STOP)
    assert "32 A or 40 A" in note.sentence
    assert not found(note.mends[0].apply(job), "protection")
    small = with_route(demo, AC, protect_a=16.0)
    note = next(item for item in found(small, "protection") if item.severity is Severity.STOP)
    assert "trips" in note.sentence
    assert not found(note.mends[0].apply(small), "protection")


def test_a_larger_breaker_wants_a_larger_cable(demo):
    plain, larger = cable(demo, AC), cable(with_route(demo, AC, protect_a=50.0), AC)
    assert larger.device.amps == 50.0
    assert larger.size.mm2 > plain.size.mm2


def test_a_region_without_tables_says_so_and_plans_on(demo):
    held = library()
    bare = Library(held.catalogue, held.climates, held.rule_packs, held.countries)
    made = plan_with(demo, bare)
    (note,) = [item for item in made.option("ac-addon").findings if item.check == "cables"]
    assert note.severity is Severity.CHECK
    assert "no tables of wires" in note.sentence
    assert wiring_sheet(made.option("ac-addon")) is None
    assert wiring_rows(made.live) == [list(HEAD)]


def test_an_old_circuit_is_held_against_the_new_box(demo):
    def job(**seen):
        return demo.with_existing_inverter(0, circuit=ExistingCircuit(**seen))

    thin = job(size="2.5", breaker_a=20.0)
    (note,) = found(thin, "old circuit", "hybrid-swap")
    assert note.severity is Severity.CHECK
    assert "20 A breaker" in note.sentence and "2.5 mm²" in note.sentence and "do not re-use" in note.sentence
    after = note.mends[0].apply(thin)
    assert not found(after, "old circuit", "hybrid-swap")
    (well,) = found(job(size="10", breaker_a=32.0), "old circuit", "hybrid-swap")
    assert well.severity is Severity.OK
    assert "can be re-used" in well.sentence
    assert not found(job(), "old circuit", "hybrid-swap")


def test_the_circuit_of_a_kept_inverter_is_held_against_its_own_current(demo):
    job = demo.with_existing_inverter(0, circuit=ExistingCircuit(size="1.5", breaker_a=25.0))
    stops = [item for item in found(job, "cables") if item.severity is Severity.STOP]
    (thin,) = [item for item in stops if "Main switchboard to Tarnlight" in item.sentence]
    assert "1.5 mm²" in thin.sentence
    (new,) = [mend for mend in thin.mends if mend.label.startswith("A new cable of ")]
    after = found(new.apply(job), "cables")
    assert not any(
        "Main switchboard to Tarnlight" in item.sentence for item in after if item.severity is Severity.STOP
    )


def test_the_voltage_rise_counts_every_cable_to_the_meter_and_its_mend_answers(demo):
    job = with_route(demo, "meter > changeover", length_m=120.0, size="16")
    job = job.with_(rule_changes=(RuleChange(rule="nz-ac-drop", limit=0.2),))
    raised = [item for item in found(job, "voltage rise") if item.severity is Severity.CHECK]
    assert raised
    assert raised[0].measured > 2.0
    mend = raised[0].mends[0]
    assert "for Meter to changeover" in mend.label
    after = [item for item in found(mend.apply(job), "voltage rise") if item.severity is Severity.CHECK]
    assert len(after) < len(raised)


def test_an_export_limit_holds_the_rise_of_the_feeders_down(demo):
    key = "meter > changeover"
    free = demo.with_(tariff=demo.tariff.with_(export_limit_kw=None))
    held = demo.with_(tariff=demo.tariff.with_(export_limit_kw=1.0))
    assert cable(held, key).rise_share < cable(free, key).rise_share


def test_a_busbar_that_is_fed_too_much_is_told_with_what_answers_it():
    job = demo_job("cottage")
    job = job.with_(supply=job.supply.with_(busbar_a=200.0))
    (note,) = found(job, "busbar")
    assert note.severity is Severity.STOP
    assert "1.25 times" in note.sentence and "a connection ahead of the panel" in note.sentence
    for mend in note.mends:
        (after,) = found(mend.apply(job), "busbar")
        assert after.severity is Severity.OK, mend.label


def test_a_busbar_that_may_bear_nothing_is_answered_by_a_connection_ahead_of_it():
    job = demo_job("cottage")
    rule = plan(job).rules.of("busbar share").rule
    nothing = job.with_(
        rule_changes=(RuleChange(rule=rule.key, limit=0.0),), supply=job.supply.with_(busbar_a=200.0)
    )
    (note,) = found(nothing, "busbar")
    assert note.severity is Severity.STOP and not note.mends
    assert note.sentence.endswith("it is 0 A: a connection ahead of the panel.")


def test_breakers_that_stay_within_the_busbar_answer_the_rule_too():
    job = demo_job("cottage")
    circuits = tuple(circuit.with_(breaker_a=5.0) for circuit in job.backup_board.circuits)
    job = job.with_(
        supply=job.supply.with_(busbar_a=200.0), backup_board=job.backup_board.with_(circuits=circuits)
    )
    (note,) = found(job, "busbar", "hybrid-swap")
    assert note.severity is Severity.OK
    assert "the main one left out" in note.sentence


def test_elsewhere_a_stated_busbar_bears_the_plain_sum(dairy_job):
    tight = dairy_job.with_(supply=dairy_job.supply.with_(busbar_a=63.0))
    (note,) = found(tight, "busbar", "hybrid-swap")
    assert note.severity is Severity.STOP
    wide = dairy_job.with_(supply=dairy_job.supply.with_(busbar_a=125.0))
    (note,) = found(wide, "busbar", "hybrid-swap")
    assert note.severity is Severity.OK
    assert not found(dairy_job, "busbar", "hybrid-swap")


@pytest.fixture(scope="module")
def dairy_job():
    return demo_job("dairy")


def test_what_a_datasheet_leaves_open_is_asked(demo):
    own = next(item for item in library().catalogue.inverters if item.key == "mossgate-5")
    silent = own.with_(rcd=None, backup=own.backup.with_(neutral_bond=None, changeover_poles=None, bypass=None))
    job = demo.with_(
        own_equipment=demo.own_equipment.with_(inverters=(silent,)),
        battery=demo.battery.with_(battery_inverter="mossgate-5"),
    )
    (note,) = found(job, "datasheet answers")
    assert note.severity is Severity.CHECK
    for words in ("residual-current", "neutral and earth", "poles", "bypass"):
        assert words in note.sentence
    few = own.with_(backup=own.backup.with_(changeover_poles=1, neutral_bond="to be wired", bypass="none"))
    job = job.with_(own_equipment=demo.own_equipment.with_(inverters=(few,)))
    assert not found(job, "datasheet answers")
    for check in ("changeover poles", "neutral and earth", "bypass"):
        (note,) = found(job, check)
        assert note.severity is Severity.CHECK


def test_a_unit_without_a_dc_isolator_wants_one(demo):
    own = next(item for item in library().catalogue.inverters if item.key == "umberlow-h5")
    job = demo.with_(
        own_equipment=demo.own_equipment.with_(inverters=(own.with_(dc_isolator="none"),)),
        battery=demo.battery.with_(hybrid="umberlow-h5"),
    )
    (note,) = found(job, "DC isolator", "hybrid-swap")
    assert "fit one beside it" in note.sentence


def test_transformers_stand_on_the_cable_from_the_meter_one_a_phase(dairy_job):
    option = plan(dairy_job).option("hybrid-swap")
    (item,) = topology_of(option.design, option.context).transformers
    assert item.count == 3
    assert item.edge.startswith("meter >")
    assert any(note.check == "current transformers" and "Three" in note.sentence for note in option.findings)


def test_parts_that_stay_are_not_sized_but_told_as_not_seen(demo):
    option = plan(demo).option("ac-addon")
    sheet = wiring_sheet(option)
    row = next(row for row in sheet.rows() if row[0].startswith("Main switchboard to"))
    assert row[1].startswith("not seen")
    listed = {(row[1], row[2]): row for row in wiring_rows((option,))[1:]}
    assert listed["Main switchboard", "Tarnlight 5.0 string inverter"][6] == "not seen"


def test_a_cable_s_year_of_heat_is_that_of_its_current(demo):
    import numpy as np

    from calm_relay.planning.studies.cable_losses import cable_years

    option = plan(demo).option("ac-addon")
    made = wiring_of(option.design, option.context)
    year = {item.key: item for item in cable_years(option, made)}[AC]
    item = made.cable(AC)
    amps = np.abs(option.outcome.year.of("ac", 1)) * 1000.0 / 230.0
    cold = 2 * item.size.copper * 8.0 / 1000.0 * float((amps**2).sum()) * option.outcome.year.step_h / 1000.0
    assert cold < year.lost_kwh < cold * 1.25
    assert 0.0 < year.saved_kwh < year.lost_kwh


def test_usual_ways_follow_the_kind_of_cable(demo):
    option = plan(demo).option("hybrid-swap")
    topology = topology_of(option.design, option.context)
    tables = wire_tables()["iec"]
    strings = next(edge for edge in topology.edges if edge.kind == "string")
    lies = laid_of(strings, Route(key=strings.key), tables)
    assert (lies.laying, lies.insulation, lies.ambient_c) == ("on the roof", "PV cable", 60.0)
    stated = laid_of(strings, Route(key=strings.key, length_m=12.0, measured=True), tables)
    assert stated.length_m == 12.0
    assert not {"length_m", "measured"} & stated.assumed


def test_units_side_by_side_have_a_cable_each(demo):
    job = demo.with_(battery=demo.battery.with_(units=2))
    item = cable(job, AC)
    assert item.edge.runs == 2
    assert item.edge.amps == pytest.approx(cable(demo, AC).edge.amps)


def test_a_short_circuit_at_the_board_asks_for_breakers_that_break_it(demo):
    def at(kiloamps):
        return demo.with_(supply=demo.supply.with_(short_circuit_ka=kiloamps))

    (unknown,) = found(demo, "breaking")
    assert unknown.severity is Severity.OK and "not stated" in unknown.sentence
    (usual,) = found(at(4.5), "breaking")
    assert usual.severity is Severity.OK and "breakers of 6 kA" in usual.sentence
    (more,) = found(at(8.0), "breaking")
    assert more.severity is Severity.CHECK and "breakers of 10 kA" in more.sentence
    (none,) = found(at(25.0), "breaking")
    assert none.severity is Severity.STOP and "back-up fuse" in none.sentence


def test_a_larger_short_circuit_asks_for_more_copper(demo):
    """A cable bears what its breaker lets pass, which is more where more flows."""

    def least(kiloamps):
        job = demo.with_(supply=demo.supply.with_(short_circuit_ka=kiloamps))
        return max(item.least_mm2 for item in cables_of(job) if item.edge.circuit != "dc")

    assert least(2.0) <= least(None) == least(6.0) < least(9.0)


def test_breakers_are_listed_with_what_they_break(demo):
    from calm_relay.planning.handover.materials import materials_of

    job = demo.with_(supply=demo.supply.with_(short_circuit_ka=8.0))
    parts = materials_of(plan(job).option("ac-addon"))
    assert all(part.article.endswith("10 kA") for part in parts if part.article.startswith("Breaker"))


def own_figures(**changes):
    stated = {
        "tables": "as-nzs",
        "source": "National standard, 2021",
        "capacities": [
            {
                "laying": "in conduit on a wall", "insulation": "75 °C", "loaded": 2, "reference_c": 40.0,
                "amps": [{"size": "4", "amps": 20.0}], "clause": "table 4, column 7",
            }
        ],
    }  # fmt: skip
    return OwnFigures.model_validate(stated | changes)


def with_own(job, own):
    return job.with_(wiring=job.wiring.with_(own_figures=own))


def test_a_firms_own_figure_takes_the_place_of_the_one_that_ships():
    job = demo_job("pottery")
    before = cable(job, AC)
    after = cable(with_own(job, own_figures()), AC)
    assert (before.size.mm2, after.size.mm2) == (4.0, 6.0)
    assert after.capacity_a == cable(with_route(job, AC, size="6"), AC).capacity_a
    # The 6 mm² keep the figure that ships, and the figure its clause.
    assert after.clause == before.clause and not after.own
    typed = cable(with_own(with_route(job, AC, size="4"), own_figures()), AC)
    assert (typed.capacity_a, typed.clause, typed.own) == (
        20.0,
        "National standard, 2021, table 4, column 7",
        True,
    )
    (told,) = found(with_own(with_route(job, AC, size="4"), own_figures()), "cables")
    assert told.rule == "National standard, 2021, table 4, column 7; check locally"
    option = plan(with_own(job, own_figures())).option("ac-addon")
    said = wiring_of(option.design, option.context).tables.summary
    assert said.endswith("; 1 figure of National standard, 2021 as the firm entered them")


def test_sizes_of_which_nothing_is_entered_keep_theirs_where_it_is_as_warm():
    tables = wire_tables()["as-nzs"]
    way = ("in conduit on a wall", "75 °C", "copper", 2)
    ships = next(item.amps for item in tables.capacities if item.way == way)
    own = next(item.amps for item in tables.with_own(own_figures()).capacities if item.way == way)
    assert [a for a, b in zip(own, ships, strict=True) if a != b] == [20.0]
    warmer = own_figures().capacities[0].with_(reference_c=30.0)
    own = tables.with_own(own_figures(capacities=[warmer.model_dump()])).capacities
    assert [amps for amps in next(item.amps for item in own if item.way == way) if amps] == [20.0]


def test_factors_of_warmth_and_of_neighbours_are_entered_too():
    job = demo_job("pottery")
    own = own_figures(
        capacities=(),
        ambient=[{"insulation": "75 °C", "points": [{"at_c": 45.0, "factor": 0.5}]}],
        grouping=[{"circuits": 2, "factor": 0.6}],
    )
    route = with_route(job, AC, ambient_c=45.0, grouped=2)
    before, after = cable(route, AC), cable(with_own(route, own), AC)
    assert (before.ambient, before.grouping) == pytest.approx((0.926, 0.8))
    assert (after.ambient, after.grouping) == pytest.approx((0.5, 0.6))
    assert cable(with_own(with_route(job, AC, grouped=3), own), AC).grouping == pytest.approx(0.7)


def test_figures_for_other_tables_rest():
    job = demo_job("pottery")
    own = own_figures(tables="bs")
    assert cable(with_own(job, own), AC).size == cable(job, AC).size


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"source": ""}, "source"),
        ({"grouping": [{"circuits": 2, "factor": 0.6}] * 2}, "grouping: 2 stands twice"),
        ({"capacities": [own_figures().capacities[0].model_dump()] * 2}, "copper, 2 stands twice"),
    ],
)
def test_figures_that_cannot_be_meant_are_refused(changes, words):
    with pytest.raises(ValidationError, match=words):
        own_figures(**changes)


def test_a_new_job_begins_with_the_firms_own_figures():
    begun = begun_job("Fern house", replace(library(), own_figures=own_figures()))
    assert begun.wiring.own_figures == own_figures()
    assert begun_job("Fern house", library()).wiring.own_figures is None


def test_conductors_that_feed_all_of_a_dwelling_carry_less_than_its_rating_and_say_so():
    job = demo_job("cottage")
    whole = job.with_(
        supply=job.supply.with_(main_fuse_a=200.0),
        battery=job.battery.with_(hybrid="skerrin-h96s"),
        wiring=job.wiring.with_(routes=()),
        backup_board=None,
    )
    option = plan(whole).option("hybrid-swap")
    feeder = option.wiring.cable("meter > changeover")
    assert feeder.limits.share == 0.83 and feeder.asked_a == pytest.approx(166.0)
    drawn = wiring_sheet(option).cable(feeder.edge.key)
    assert any("Feeds all of a dwelling: it must carry 83% of the rating" in line for line in drawn.lines)
    farm = whole.with_(demand=whole.demand.with_(shape="farm"))
    for other in (whole.with_(region="canada"), whole.with_(supply=whole.supply.with_(main_fuse_a=60.0)), farm):
        assert all(cable.limits.share == 1.0 for cable in plan(other).option("hybrid-swap").wiring.cables)
    # A backup panel is no whole dwelling.
    part = plan(job).option("hybrid-swap").wiring
    assert {c.edge.key for c in part.cables if c.limits.share < 1.0} <= {"meter > main board"}
