"""What a plan says in front of an electrician: each test is named after a fault that a check from outside found."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.demand import Car
from calm_relay.job.existing_supply import ON_INPUT, Generator
from calm_relay.job.model import ClimatePreset, MonthlyWeather
from calm_relay.job.rules import RuleKind
from calm_relay.job.survey import ExistingBattery
from calm_relay.planning.findings import Severity
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.meter_conflict import two_metered
from calm_relay.planning.site.site_year import site_year
from calm_relay.planning.strings.limits import ISC_FACTOR, SHORT_CIRCUIT
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.survival import survival_of
from calm_relay.planning.verdict.option import RefusedOption
from tests.plans import plan


def result(option, check):
    return next((item for item in option.findings if item.check == check), None)


def every(option, check):
    return [item for item in option.findings if item.check == check]


@pytest.fixture(scope="module")
def dairy():
    return plan(demo_job("dairy"))


@pytest.fixture(scope="module")
def hut():
    return plan(demo_job("hut"))


def test_short_circuit_currents_carry_their_factor(demo_plan):
    item = demo_plan.option("hybrid-swap").design.pv_converter.stringing.inputs[0]
    limit = next(limit for limit in item.limits if limit.key == SHORT_CIRCUIT)
    module = item.runs[0].module
    assert limit.amps == pytest.approx(ISC_FACTOR * item.strings * module.short_circuit_a)


def test_light_on_the_back_counts_in_the_open_alone(demo):
    def amps(mounting):
        faces = tuple(face.with_(mounting=mounting, module="quillmere-440") for face in demo.faces)
        made = plan(demo.with_(faces=faces))
        run = made.option("hybrid-swap").design.pv_converter.stringing.runs[0]
        return run.short_circuit_a / run.parallel / run.module.short_circuit_a, run.module.bifaciality

    (roof, bifaciality), (rack, _) = amps("close to the roof"), amps("open rack")
    assert bifaciality > 0
    assert roof == pytest.approx(1.0)
    assert rack == pytest.approx(1.0 + 0.135 * bifaciality)


def test_an_optimiser_is_held_against_bright_light(demo):
    electronics = next(item for item in library().catalogue.optimisers)
    module = next(item for item in library().catalogue.modules if item.short_circuit_a > 13)
    faces = tuple(face.with_(electronics=electronics.key, module=module.key, fate="new") for face in demo.faces)
    own = electronics.with_(short_circuit_a=module.short_circuit_a * 1.2, any_inverter=True)
    made = plan(demo.with_(faces=faces, own_equipment=demo.own_equipment.with_(optimisers=(own,))))
    sentences = [f.sentence for option in made.live for f in every(option, "optimiser strings")]
    assert any("1.25 times its rating" in sentence for sentence in sentences)


def test_cells_close_to_a_roof_run_hotter_and_give_less(demo):
    made = {
        mounting: plan(demo.with_(faces=tuple(face.with_(mounting=mounting) for face in demo.faces)))
        for mounting in ("open rack", "close to the roof", "integrated")
    }
    kwh = [sum(face.yearly_kwh for face in item.faces) for item in made.values()]
    hottest = [max(float(face.made.cell_c.max()) for face in item.faces) for item in made.values()]
    assert kwh[0] > kwh[1] > kwh[2]
    assert hottest[0] + 5 < hottest[1] < hottest[2]


def test_the_design_cold_lies_below_a_made_year(demo):
    made = plan(demo.with_(site=demo.site.with_(coldest_c=None)))
    up = made.site.sun.zenith < 90
    there = made.options[0].context.temperatures
    assert there.cold_c == np.floor(made.site.weather.temp_air[up].min() - 8)
    assert "8 °C below" in there.cold_source


@pytest.mark.parametrize("latitude", [-66.0, 3.0, 70.0])
def test_a_preset_never_fails_a_plan_at_a_latitude_that_a_job_allows(demo, latitude):
    for climate in ("oceanic-north", "hot-arid", "cold-continental", "tromso-no", "la-paz-bo"):
        site = demo.site.with_(latitude=latitude, weather=ClimatePreset(climate=climate))
        year = site_year(site, library(), Path())
        assert year.weather.ghi.sum() > 0
        assert np.isfinite(year.weather.ghi).all() and np.isfinite(year.weather.temp_air).all()


def test_a_rebate_without_a_cap_has_none(demo):
    costs = demo.costs.with_(rebate_per_kwh=100.0, rebate_max=None)
    lines = {line.kind: line.amount for line in outlay_of(demo.with_(costs=costs), "ac-addon")}
    bank = plan(demo).option("ac-addon").design.battery_converter.bank
    assert lines["rebate"] == pytest.approx(-100.0 * bank.nominal_kwh)
    capped = demo.with_(costs=costs.with_(rebate_max=200.0))
    assert {line.kind: line.amount for line in outlay_of(capped, "ac-addon")}["rebate"] == -200.0
    # Common practice, no source: nobody gives more than battery and unit cost.
    lavish = outlay_of(demo.with_(costs=costs.with_(rebate_per_kwh=5000.0)), "ac-addon")
    worth = sum(line.amount for line in lavish if line.kind in ("battery", "unit"))
    assert {line.kind: line.amount for line in lavish}["rebate"] == pytest.approx(-worth)


def outlay_of(job, key):
    return plan(job).option(key).outcome.money.lines


def test_circuits_relays_and_changeover_reach_the_outlay(demo):
    circuits = demo.backup_board.circuits
    amounts = {line.label: line.amount for line in outlay_of(demo, "ac-addon") if line.kind == "backup"}
    shed = sum(circuit.role == "shed" for circuit in circuits)
    assert amounts[f"{shed} shedding relays"] == shed * demo.costs.shed_relay
    away = tuple(circuit.with_(role="grid only" if n == 0 else "backed up") for n, circuit in enumerate(circuits))
    job = demo.with_(backup_board=demo.backup_board.with_(circuits=away))
    amounts = {line.label: line.amount for line in outlay_of(job, "ac-addon") if line.kind == "backup"}
    assert amounts["Backed-up sub-board"] == demo.costs.backup_board
    moved = len(circuits) - 1 + len(job.existing_inverters)
    assert amounts[f"Moving {moved} circuits to it"] == moved * demo.costs.backup_circuit
    assert "Changeover of the whole house" in {
        line.label for line in outlay_of(job.with_(backup_board=None), "ac-addon")
    }


def test_inverters_with_pv_terminals_alone_are_counted_where_the_operator_does_so(demo):
    job = demo.with_(supply=demo.supply.with_(operator_counts="inverters with PV terminals"))
    option, before = plan(job).option("ac-addon"), plan(demo).option("ac-addon")
    battery = option.design.battery_converter.inverter.ac_kw
    assert before.design.counted_kw(demo.supply) - option.design.counted_kw(job.supply) == pytest.approx(battery)
    assert result(option, "operator's sum").measured == pytest.approx(option.design.counted_kw(job.supply))


def test_a_phase_is_held_against_the_main_fuse_and_not_the_sum_of_three(dairy):
    job = dairy.job.with_(supply=dairy.job.supply.with_(home_shares=(0.8, 0.1, 0.1)), backup_board=None)
    note = result(plan(job).options[0], "main fuse")
    assert "on phase 1" in note.sentence
    assert "mean of a quarter hour" in note.sentence
    assert note.limit == pytest.approx(job.supply.main_fuse_a * job.supply.volts / 1000)
    even = job.with_(supply=job.supply.with_(home_shares=(0.34, 0.33, 0.33)))
    assert note.measured > 1.5 * result(plan(even).options[0], "main fuse").measured


# Rules that cables are held against: each asks for no plan anew.
WIRED = ("string drop", "battery drop", "AC drop", "voltage rise", "continuous factor")
RULES = {
    "array ratio": "array ratio",
    "array volts": "cold voltage",
    "branch share": "branch circuits",
    "notify kW per phase": "notify or apply",
    "notify kW": "notify or apply",
    "fast track kW per phase": "notify or apply",
    "fast track kW": "notify or apply",
    "export kW per phase": "export rule",
    "export kW": "export rule",
    "new array export share": "new array's export",
    "controllable kW": "controllable",
    "arc fault volts": "arc fault",
    "battery shutdown kWh": "battery shutdown",
    "battery kWh": "battery room",
    "battery clearance m": "battery clearance",
    "battery barrier m": "battery barrier",
    "unbalance kW": "unbalance",
    "busbar share": "busbar",
    "dwelling share": "service",
    "existing dwelling share": "service",
    "area dwelling share": "service",
    "service share": "continuous import",
    "plug-in kW": "",
    "array shutdown volts": "rapid shutdown",
    **dict.fromkeys(WIRED, "cables"),
}


def test_every_kind_of_rule_has_a_check():
    assert set(RULES) == set(RuleKind.__args__)


def in_region(job, region):
    return job.with_(region=region, rule_changes=())


@pytest.mark.parametrize(
    ("region", "rule"),
    [
        (pack.key, rule.key)
        for pack in library().rule_packs.values()
        for rule in pack.rules
        if rule.kind not in WIRED
    ],
)
def test_every_rule_in_a_pack_stops_or_warns_some_job(region, rule, demo, dairy):
    """Each rule with a limit of nearly nothing must be heard of on a job of its phases."""
    from calm_relay.job.survey import RuleChange

    held = next(item for item in library().rule_packs[region].rules if item.key == rule)
    jobs = {"single": demo, "split": demo_job("cottage"), "three": dairy.job}
    job = in_region(jobs[held.phases or ("three" if held.kind == "unbalance kW" else "single")], region)
    if "dwelling share" in held.kind or held.kind in ("service share", "busbar share", "branch share"):
        job = in_region(jobs["split"], region)
    if "dwelling share" in held.kind:
        dwelling = "existing" if held.kind.startswith("existing") else "new"
        board = job.backup_board.with_(dwelling=dwelling)
        whole = job.with_(backup_board=board, rule_changes=(RuleChange(rule=rule, limit=9.0),))
        assert any(result(option, "service").severity is Severity.STOP for option in plan(whole).live)
        return
    if held.kind == "plug-in kW":
        roof = tuple(face.with_(module="quillmere-415", count=6) for face in job.faces)
        balcony = plan(job.with_(faces=roof)).option("balcony")
        assert balcony.design.converters[-2].inverter.ac_kw == held.limit
        return
    if held.kind == "new array export share":
        job = job.with_(
            faces=tuple(face.with_(fate="new", electronics=None) for face in job.faces), string_plans=()
        )
    if held.kind == "controllable kW":
        job = job.with_(demand=job.demand.with_(cars=(Car(kwh_per_day=8.0, charger_kw=7.0),)))
    if held.kind == "unbalance kW":
        job = job.with_(battery=job.battery.with_(battery_inverter="mossgate-5", pack="fern-48", count=2))
    limit = 0.001
    if held.kind == "arc fault volts":
        split = demo_job("cottage")
        unit = plan(split).option("hybrid-swap").design.leader.inverter.with_(arc_fault=None)
        own = split.own_equipment.with_(inverters=(unit,))
        job = in_region(split.with_(own_equipment=own, battery=split.battery.with_(hybrid=unit.key)), region)
    if held.kind == "battery barrier m":
        job = job.with_(battery_place=job.battery_place.with_(wall=None))
    if held.kind in ("battery kWh", "battery clearance m"):
        # Where it stands is asked after, and how far from openings it is: near is what is wrong.
        room = (held.rooms or ("garage",))[0]
        place = {"where": "outdoors"} if room == "outdoors" else {"room": room}
        job = job.with_(battery_place=job.battery_place.with_(**place, to_opening_m=0.1))
        limit = 0.001 if held.kind == "battery kWh" else 9.0
    tight = job.with_(rule_changes=(RuleChange(rule=rule, limit=limit),))
    raised = [
        item
        for option in plan(tight).live
        for item in every(option, RULES[held.kind])
        if item.severity is not Severity.OK
    ]
    refused = [option for option in plan(tight).options if isinstance(option, RefusedOption)]
    assert raised or (held.kind in ("array volts", "array ratio") and len(refused) > 6)


@pytest.mark.parametrize("region", library().rule_packs)
def test_every_rule_on_cables_is_heard_of_in_its_region(region, demo):
    """With next to nothing allowed, or fifty times the current counted, no size and no breaker is left."""
    from dataclasses import replace

    from calm_relay.job.survey import RuleChange
    from calm_relay.planning.equipment.rules import rules_of
    from calm_relay.planning.wiring.wiring import wiring_of

    option = plan(demo).option("hybrid-swap")
    for rule in library().rule_packs[region].rules:
        if rule.kind not in WIRED:
            continue
        limit = 50.0 if rule.kind == "continuous factor" else 0.00001
        job = in_region(demo, region).with_(rule_changes=(RuleChange(rule=rule.key, limit=limit),))
        survey = replace(
            option.context.survey, job=job, rules=rules_of(job, library()), wires=library().wires_for(job)
        )
        made = wiring_of(option.design, replace(option.context, survey=survey))
        assert any(cable.missed or (cable.device is None and cable.device_kind) for cable in made.cables), rule.key
        if rule.kind != "continuous factor":
            limits = {"voltage rise": "voltage rise"}.get(rule.kind, "voltage drop")
            assert any(limits in cable.missed for cable in made.cables), rule.key


def test_modules_left_without_an_input_stop_the_option(demo_plan):
    option = demo_plan.option("dc-bus")
    assert sum(item.modules for item in option.design.pv_converter.stringing.left_out) > 0
    assert result(option, "tracker inputs").severity is Severity.STOP


def test_hybrids_stand_side_by_side_only_where_their_maker_lets_them(demo):
    battery = demo.battery.with_(units=2)
    made = plan(demo.with_(battery=battery))
    assert made.option("hybrid-swap").design.leader.inverter.name.startswith("2 × ")
    alone = plan(demo.with_(battery=battery.with_(hybrid="umberlow-h37"))).option("hybrid-swap")
    assert isinstance(alone, RefusedOption)
    assert "its maker allows one alone, not 2" in " ".join(alone.refusal.reasons)


def test_a_generator_beside_arrays_wants_a_datasheet_that_keeps_them_apart(hut):
    generator = Generator(kw=4.0, on=ON_INPUT)
    inverter = next(item for item in library().catalogue.inverters if item.key == "mossgate-5")
    silent = inverter.with_(backup=inverter.backup.with_(keeps_arrays_apart=False, generator_input=True))
    job = hut.job.with_(
        generators=(generator,), own_equipment=hut.job.own_equipment.with_(inverters=(silent,)),
        battery=hut.job.battery.with_(battery_inverter="mossgate-5"),
    )  # fmt: skip
    note = result(plan(job).option("ac-bus"), "generator")
    assert note.severity is Severity.STOP
    assert "does not say that it keeps" in note.sentence
    after = result(plan(note.mends[0].apply(job)).option("ac-bus"), "generator")
    assert after.severity is Severity.OK
    assert "interlock" in after.sentence


def test_two_alike_units_that_their_maker_lets_stand_together_are_no_rivals(demo_plan):
    design = demo_plan.option("ac-addon").design
    battery = design.battery_converter
    from dataclasses import replace

    twins = replace(design, converters=(*design.converters, replace(battery, is_new=False)))
    assert battery.inverter.units_max > 1
    assert two_metered(twins) is None
    alone = replace(battery, inverter=battery.inverter.with_(units_max=1))
    assert two_metered(replace(design, converters=(alone, replace(alone, is_new=False)))) is not None


def old_and_new(demo, old):
    """The demo with an old battery on its own unit kept beside a new one on a Mossgate 5."""
    battery = demo.battery.with_(battery_inverter="mossgate-5", units=1)
    kept = ExistingBattery(pack=battery.pack, count=battery.count, inverter=old, health=0.8, fate="keep")
    return plan(demo.with_(battery=battery, existing_batteries=(kept,)))


def test_an_old_and_a_new_unit_of_one_kind_stand_together_in_an_outage(demo):
    alone = plan(demo.with_(battery=demo.battery.with_(battery_inverter="mossgate-5", units=1)))
    one, two = alone.option("ac-addon"), old_and_new(demo, "mossgate-5").option("ac-addon")
    unlike = old_and_new(demo, "mossgate-3").option("ac-addon")
    assert two.outcome.backup.power_kw == pytest.approx(2 * one.outcome.backup.power_kw, rel=0.02)
    assert two.outcome.limit.power_kw == pytest.approx(2 * one.outcome.limit.power_kw, rel=0.02)
    assert unlike.outcome.limit.power_kw > one.outcome.limit.power_kw
    assert two.outcome.backup.held_kwh > 1.5 * one.outcome.backup.held_kwh
    assert two.outcome.backup.lasting > one.outcome.backup.lasting
    # Another kind waits in an outage: it neither gives power nor counts.
    assert unlike.outcome.backup.power_kw == pytest.approx(one.outcome.backup.power_kw)
    assert "2 × Mossgate 5" in result(two, "backed-up load").sentence
    assert "stands with Mossgate 5" in result(two, "stands together").sentence
    assert "stay off" in result(unlike, "stands together").sentence
    assert "the 2 batteries give" in result(two, "evening power").sentence


def test_units_that_stand_together_give_alike_from_levels_of_their_own_and_close_their_books(demo):
    made = old_and_new(demo, "mossgate-5")
    option = made.option("ac-addon")
    run = rehearse(made, option, made.site.longest_night, 30.0, events=False)
    assert len(run.forming) == 2
    assert run.run.largest_residual_kwh < 1e-9
    first, second = (run.run.stored[n] for n in run.forming)
    begun = [option.outcome.year.stored[n][made.site.longest_night - 1] for n in run.forming]
    assert begun[0] < begun[1]
    assert begun[0] - first[0] == pytest.approx(begun[1] - second[0])
    gave = [run.run.of("ac", n) for n in run.forming]
    both = (first > 0.05 * run.run.plant[run.forming[0]].battery.usable_kwh) & (second > 0.05)
    assert gave[0][both] == pytest.approx(gave[1][both], abs=1e-9)
    assert run.stored_kwh == pytest.approx(sum(run.run.stored[n] for n in run.forming))
    held = sum(option.outcome.year.stored[n][made.site.longest_night - 1] for n in run.forming)
    assert run.stored_kwh[0] <= held + 1e-9
    mapped = survival_of(made, option)
    single = survival_of(old_and_new(demo, "mossgate-3"), old_and_new(demo, "mossgate-3").option("ac-addon"))
    assert mapped.hours.mean() > single.hours.mean()


def test_two_units_that_stand_together_give_what_one_of_twice_the_size_gives(demo):
    """The same two stacks as one option of two units, and as old beside new."""
    pair = plan(demo.with_(battery=demo.battery.with_(battery_inverter="mossgate-5", units=2))).option("ac-addon")
    made = old_and_new(demo, "mossgate-5")
    fresh = made.job.with_existing_battery(0, health=1.0)
    option = plan(fresh).option("ac-addon")
    assert option.outcome.backup.power_kw == pytest.approx(pair.outcome.backup.power_kw)
    assert option.outcome.backup.lasting == pytest.approx(pair.outcome.backup.lasting, abs=0.03)


def test_charging_goes_through_the_relay_too(demo):
    """A unit that charges hard at night passes load and charge together, leg by leg."""
    window = demo.battery.charge_windows[0].with_(limit_kw=None)
    still = demo.with_(battery=demo.battery.with_(charge_windows=()))
    hard = demo.with_(battery=demo.battery.with_(charge_windows=(window,), units=2))
    before, after = (result(plan(job).option("ac-addon"), "pass-through") for job in (still, hard))
    assert "charging" not in before.sentence
    assert after.measured >= before.measured
    # What is shorter than the quarter hour is told with its allowance beside the mean.
    assert before.severity is Severity.CHECK
    assert f"For minutes it may be {before.measured * 1.25:.0f} A" in before.sentence
    night = plan(hard.with_(demand=hard.demand.with_(loads=()))).option("ac-addon")
    assert "A of it charging" in result(night, "pass-through").sentence


def test_small_things_peak_for_minutes_in_findings_and_rehearsals(demo_plan):
    """Means of a quarter hour hide peaks of minutes: Wright and Firth 2007, from memory."""
    option = demo_plan.option("two-units")
    run = rehearse(demo_plan, option, demo_plan.site.longest_night, 12.0)
    plain = rehearse(demo_plan, option, demo_plan.site.longest_night, 12.0, events=False)
    quarters = run.load_kw.sum(axis=0).reshape(-1, 15)
    assert quarters.max() > plain.load_kw.sum(axis=0).max()
    fed = behind_relay(option.design, demo_plan.job, demo_plan.demand)
    assert (fed.briefly_kw >= fed.kw).all()
    assert (fed.briefly_kw - fed.kw).max() == pytest.approx(0.25 * fed.house_kw.max())


def test_a_flat_night_does_not_end_the_year_of_an_ac_bus(hut):
    """The grid former's own rule brings it back: a reserve held for starting."""
    job = hut.job.with_(
        battery=hut.job.battery.with_(battery_inverter="mossgate-5", count=1, reserve=0.05), generators=()
    )
    option = plan(job).option("ac-bus")
    state = option.outcome.year.outage.state
    flat = np.flatnonzero(state == 2)
    assert flat.size, "the year has a flat night"
    back = np.flatnonzero(state[flat[0] :] == 0)
    assert back.size and back[0] < 4 * 24 * 3
    assert option.outcome.unmet < 0.6


@pytest.mark.parametrize("seed", range(6))
def test_a_start_that_trips_a_rehearsal_is_found_before(dairy, seed):
    """Boards at random: what the finding lets pass starts in any rehearsal, whatever runs beside it."""
    rng = np.random.default_rng(seed)
    loads = tuple(
        load.with_(
            kw=round(float(load.kw * rng.uniform(0.4, 1.6)), 2), code_letter=None, starting_a=None, motor=True
        )
        for load in dairy.job.demand.loads
    )
    circuits = tuple(
        circuit.with_(role="backed up", leg=str(rng.integers(1, 4)) if rng.random() < 0.5 else circuit.leg)
        for circuit in dairy.job.backup_board.circuits
    )
    job = dairy.job.with_(
        demand=dairy.job.demand.with_(loads=loads), backup_board=dairy.job.backup_board.with_(circuits=circuits)
    )
    made = plan(job)
    option = made.option("hybrid-swap")
    over = {item.sentence.split(" starts with")[0] for item in every(option, "motor start") if item.severity < 2}
    for first in rng.integers(0, made.site.calendar.steps, 6).tolist():
        run = rehearse(made, option, first, 24.0, seed=int(seed))
        if run is not None and "started" in run.ended_by:
            assert any(name in run.ended_by for name in over), run.ended_by


def test_a_start_comes_on_top_of_what_runs(dairy):
    """With every machine on its own on the board, no start asks more, and some ask less."""
    board, option = dairy.job.backup_board, dairy.option("hybrid-swap")
    together = {
        item.sentence.split(" starts with")[0]: item.measured / item.limit for item in every(option, "motor start")
    }
    assert together
    less = 0
    for name, asked in together.items():
        machine = next(load for load in dairy.job.demand.loads if load.name == name)
        alone = tuple(
            circuit.with_(role="backed up" if machine.name in circuit.loads else "grid only")
            for circuit in board.circuits
        )
        job = dairy.job.with_(backup_board=board.with_(circuits=alone))
        found = every(plan(job).option("hybrid-swap"), "motor start")
        notes = [item for item in found if item.sentence.startswith(f"{name} starts with")]
        assert notes and all(note.measured / note.limit <= asked + 1e-9 for note in notes)
        less += all(note.measured / note.limit < asked - 0.1 for note in notes)
    assert less >= 1, "no start asks less alone"


def test_air_grows_colder_with_height(demo):
    """ISO 2533: 6.5 K a kilometre, from where a climate's or typed months' figures hold."""

    def mean_c(site):
        return float(plan(demo.with_(site=site)).site.weather.temp_air.mean())

    low, high = (mean_c(demo.site.with_(elevation_m=height)) for height in (0.0, 1000.0))
    assert low - high == pytest.approx(6.5, abs=0.05)
    months = MonthlyWeather(ghi_kwh_per_day=(5, 5, 4, 3, 2, 2, 2, 3, 4, 5, 5, 5), temp_c=(12.0,) * 12)
    here = demo.site.with_(elevation_m=800.0, weather=months)
    below = here.with_(weather=months.with_(elevation_m=100.0))
    assert mean_c(here) == pytest.approx(12.0, abs=0.5)
    assert mean_c(here) - mean_c(below) == pytest.approx(6.5 * 0.7, abs=0.05)


def test_a_dropped_load_is_held_against_what_the_batteries_take(demo, demo_plan):
    """Not against an AC rating alone: one pack takes less than the unit that it hangs on."""
    (note,) = every(demo_plan.option("ac-addon"), "load rejection")
    assert note.severity is Severity.CHECK
    assert note.measured <= sum(c.inverter.ac_kw for c in demo_plan.option("ac-addon").design.pv_converters) + 1e-9
    assert result(demo_plan.option("ac-addon"), "bus rating").severity is Severity.OK
    more = plan(demo.with_(battery=demo.battery.with_(count=6)))
    (wider,) = every(more.option("ac-addon"), "load rejection")
    assert wider.limit > note.limit
    assert not every(demo_plan.option("hybrid-swap"), "load rejection")


def test_a_lead_acid_bank_is_told_its_years_by_its_own_curve(demo, demo_plan):
    option = demo_plan.option("clock-bank")
    (note,) = every(option, "lead-acid years")
    pack = option.design.battery_converter.bank.pack
    points = sorted((point.depth, point.cycles) for point in pack.cycle_life)
    assert points[0][1] / 365.0 < note.measured < 3 * points[0][1] / 365.0
    clock = demo.control.clock
    deep = demo.control.with_(clock=clock.with_(give=tuple(w.with_(power_kw=0.6) for w in clock.give)))
    (worse,) = every(plan(demo.with_(control=deep)).option("clock-bank"), "lead-acid years")
    assert worse.severity is Severity.CHECK
    assert worse.measured < 0.8 * note.measured


def test_a_time_clock_as_shipped_is_shallow_and_full_each_day(demo_plan):
    """The school: a small lead-acid bank, charged by the clock in the sun hours, full every day."""
    option = demo_plan.option("clock-bank")
    duty = result(option, "lead-acid duty")
    assert duty.measured > 0.95 * 365
    number = option.design.converters.index(option.design.battery_converter)
    bank = option.design.battery_converter.bank
    given = np.maximum(-np.diff(option.outcome.year.stored[number]), 0.0).sum() / 365.0
    assert given / bank.nominal_kwh < 0.25


def test_a_limit_passed_while_one_of_two_batteries_is_empty_says_so(demo):
    made = old_and_new(demo, "mossgate-5")
    option = made.option("ac-addon")
    fed = behind_relay(option.design, made.job, made.demand)
    # More than one unit gives, and less than both.
    heavy = replace(fed, kw=fed.kw * (0.75 * option.outcome.backup.power_kw / fed.kw.sum(axis=0).max()))
    heavy = replace(heavy, kw=np.broadcast_to(heavy.kw.max(axis=1, keepdims=True), heavy.kw.shape).copy())
    run = rehearse(made, option, made.site.longest_night, 30.0, events=False, fed=heavy)
    assert "; 1 of 2 batteries had no charge left to give it from." in run.ended_by
    alone = option.outcome.backup.power_kw / 2
    assert f"passed {alone:.1f} kW" in run.ended_by
    low, high = sorted(run.levels[:, round(run.served_h / run.step_h) - 1])
    assert low == pytest.approx(0.05) and high > 0.1
