"""The board: its stack, what each school makes of it, what to try again, its findings and their mends."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.existing_supply import Generator
from calm_relay.physics.plant import island_figures
from calm_relay.planning.findings.backed_up_loads import backup_board_mend
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.studies.backup_board import CRITICAL, WHOLE, schools_of
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.outage_mends import outage_mends_of
from calm_relay.planning.studies.survival import every_survival, survival_of
from calm_relay.planning.views.backup_stack import stack_of
from tests.plans import plan


def result(option, check):
    return next((item for item in option.findings if item.check == check), None)


def at(made, month, weekday, minute):
    calendar = made.site.calendar
    here = (calendar.month == month) & (calendar.wall_weekday == weekday) & (calendar.wall_minute == minute)
    return int(np.flatnonzero(here)[0])


@pytest.fixture(scope="module")
def pottery(demo_plan):
    return demo_plan, demo_plan.option("ac-addon")


@pytest.fixture(scope="module")
def cottage():
    made = plan(demo_job("cottage"))
    return made, made.option("hybrid-swap")


@pytest.fixture(scope="module")
def dairy():
    made = plan(demo_job("dairy"))
    return made, made.option("hybrid-swap")


def changed(job, name, **fields):
    return backup_board_mend("", {name: fields}).apply(job)


def test_the_stack_is_the_worst_half_hour_of_what_stays_on(pottery):
    made, option = pottery
    stack = stack_of(made, option)
    note = result(option, "backed-up load")
    assert stack.on_kw == pytest.approx(note.measured)
    assert stack.limit_kw == pytest.approx(note.limit)
    assert [row.name for row in stack.rows][-1] == "Kiln"
    assert {row.fate for row in stack.rows} == {"stays on", "shed below 50%", "shed below 60%"}
    assert list(stack.legs) == ["Together"]
    away = changed(made.job, "Kiln", role="grid only")
    after = plan(away)
    row = next(row for row in stack_of(after, after.option("ac-addon")).rows if row.name == "Kiln")
    assert (row.fate, row.on) == ("on the grid side only", False)
    none = stack_of(made, made.option("as-is"))
    assert none.limit_kw is None
    assert not any(row.on for row in none.rows)


def test_split_phase_stacks_on_each_leg(cottage):
    made, option = cottage
    stack = stack_of(made, option)
    assert list(stack.legs) == ["Leg 1", "Leg 2"]
    assert sum(sum(kw) for kw in stack.legs.values()) == pytest.approx(stack.on_kw)
    legs = {row.name: row.leg for row in stack.rows}
    assert (legs["Lights and router"], legs["Bedrooms"], legs["Range"]) == ("leg 1", "leg 2", "both legs")
    number = [row.name for row in stack.rows].index("Range")
    assert stack.legs["Leg 1"][number] == pytest.approx(stack.rows[number].kw / 2)
    assert stack.limit_kw == pytest.approx(option.outcome.backup.power_kw / 2)


def test_one_phase_of_three_lives_behind_a_single_phase_unit(dairy):
    made, _ = dairy
    option = made.option("clock-bank")
    rows = behind_relay(option.design, made.job, made.demand)
    legs = {circuit.name: circuit.leg for circuit in made.job.backup_board.circuits}
    assert {legs[name] for name in rows.names} == {str(made.job.supply.single_on)}
    assert "not on the inverter's phase" in {row.fate for row in stack_of(made, option).rows}


def test_both_schools_are_held_against_the_outage_and_costed(pottery):
    made, option = pottery
    first = at(made, 7, 1, 13 * 60)
    critical, whole = schools_of(made, option, first, 30.0)
    assert (critical.school, whole.school) == (CRITICAL, WHOLE)
    costs = made.job.costs
    assert critical.cost == costs.backup_board + len(critical.kept) * costs.backup_circuit
    assert whole.cost == costs.whole_changeover + len(whole.shed) * costs.shed_relay
    for school in (critical, whole):
        assert school.holds
        assert "Kiln" in [name for name, _ in school.left]
        after = plan(school.apply(made.job))
        run = rehearse(after, after.option("ac-addon"), first, 30.0)
        assert run.served_h is None
        assert set(school.load_hours) <= {circuit.name for circuit in made.job.backup_board.circuits}
    # With one circuit more the critical board ends: the one left out is not left out in vain.
    wider = frozenset([*critical.kept, "Kiln"])
    assert rehearse(made, option, first, 30.0, only=wider).served_h is not None
    # Shedding follows priority: what is kept longer is shed at a lower charge.
    priority = {circuit.name: circuit.priority for circuit in made.job.backup_board.circuits}
    levels = sorted((priority[name], level) for name, level in whole.shed.items() if level < 1.0)
    assert [level for _, level in levels] == sorted(level for _, level in levels)
    assert schools_of(made, made.option("as-is"), first) == ()


def test_what_is_tried_again_changes_the_night(pottery, dairy):
    made, option = pottery
    first = at(made, 7, 1, 13 * 60)
    run = rehearse(made, option, first, 30.0)
    tries = {mend.label: mend for mend in outage_mends_of(made, option, run)}
    assert "Without “Kiln”" in tries
    after = plan(tries["Without “Kiln”"].apply(made.job))
    assert rehearse(after, after.option("ac-addon"), first, 30.0).served_h > run.served_h
    farm, hybrid = dairy
    milking = at(farm, 4, 1, 6 * 60)
    run = rehearse(farm, hybrid, milking, 12.0)
    tries = outage_mends_of(farm, hybrid, run)
    assert tries[0].label == "Soft starter on “Vacuum pump”"
    softened = tries[0].apply(farm.job)
    assert next(c for c in softened.backup_board.circuits if c.name == "Vacuum pump").soft_start
    assert outage_mends_of(farm, hybrid, None) == ()
    bare = plan(made.job.with_(backup_board=None))
    assert outage_mends_of(bare, bare.option("ac-addon"), run) == ()


def test_what_ends_in_the_first_minute_ends_at_once(pottery):
    made, option = pottery
    first = int(np.argmax(made.demand.kw))
    run = rehearse(made, option, first, 6.0, events=False)
    assert run.served_h == 0.0 and run.ended_by.startswith("Without supply at once: the load passed")


def test_an_empty_battery_is_answered_with_more_of_it(cottage):
    made, _ = cottage
    option = made.option("micro-ac")
    backup = made.site.night.reshape(365, -1).sum(axis=1)
    run = rehearse(made, option, int(backup.argmax()) * 96 + 68, 30.0)
    assert run.ended_by.endswith("the battery was empty.")
    labels = [mend.label for mend in outage_mends_of(made, option, run)]
    assert labels[0] == f"With {made.job.battery.count + 1} packs"
    assert any(label.endswith("in reserve") for label in labels)


def test_machines_that_start_together_are_shown_and_softened(dairy):
    made, option = dairy
    note = result(option, "starts together")
    assert note.severity.name == "CHECK"
    assert note.mends[0].label == "Soft starters for all of them"
    after = result(plan(note.mends[0].apply(made.job)).option("hybrid-swap"), "starts together")
    assert after.measured < 0.6 * note.measured


def test_a_branch_breaker_too_large_for_one_unit_takes_more(cottage):
    made, _ = cottage
    job = changed(made.job, "Range", breaker_a=60)
    note = result(plan(job).option("micro-ac"), "branch breaker")
    assert note.severity.name == "STOP"
    assert (note.measured, note.limit) == (60.0, 50.0)
    assert "2 side by side" in note.sentence
    assert note.mends[0].label == "2 units side by side"
    assert result(plan(note.mends[0].apply(job)).option("micro-ac"), "branch breaker").severity.name == "OK"
    assert result(plan(note.mends[1].apply(job)).option("micro-ac"), "branch breaker").limit == 50.0


def test_who_starts_black_and_who_cannot(pottery, demo):
    made, addon = pottery
    hybrid = made.option("hybrid-swap")
    woken = result(addon, "black start")
    assert "it holds 5% back and wakes with its loads off when there is sun" in woken.sentence
    unit = addon.design.battery_converter.inverter
    flat_for_good = unit.model_copy(
        update={"backup": unit.backup.model_copy(update={"held_reserve": 0.0, "retries_at": None})}
    )
    own = demo.own_equipment.with_(inverters=(*demo.own_equipment.inverters, flat_for_good))
    sleeping = demo.with_(own_equipment=own)
    assert (
        "sun alone does not bring the house back"
        in result(plan(sleeping).option("ac-addon"), "black start").sentence
    )
    assert "modules on its own DC bus bring the house back" in result(hybrid, "black start").sentence
    helped = plan(demo.with_generator(Generator(kw=4.0))).option("ac-addon")
    assert "the generator brings the house back" in result(helped, "black start").sentence
    # What is said is what happens: one pack under a house without its kiln is flat by the morning in June.
    first = None
    for job, key, comes_back in (
        (sleeping, "ac-addon", False),
        (demo, "ac-addon", True),
        (demo, "hybrid-swap", True),
    ):
        small = job.battery.with_(count=1)
        bare = plan(job.with_(backup_board=None, demand=job.demand.with_(loads=()), battery=small))
        first = first or at(bare, 6, 3, 20 * 60)
        run = rehearse(bare, bare.option(key), first, 60.0, events=False)
        assert run.cause == island_figures.EMPTY
        flat = round(run.served_h / run.step_h)
        assert (run.state[flat:] == island_figures.SERVING).any() == comes_back


def test_arrays_beyond_what_the_bus_takes_are_shown(cottage, dairy):
    stated = result(dairy[0].option("ac-addon"), "bus rating")
    assert (stated.limit, stated.severity.name) == (12.0, "OK")
    assert "(practice: 10 kW, its own rating)" in stated.sentence
    made, _ = cottage
    note = result(made.option("micro-ac"), "bus rating")
    assert note.severity.name == "CHECK"
    assert note.measured > note.limit == 9.6
    assert "datasheet" in note.rule


def test_every_option_s_map_is_its_own_and_follows_the_battery(cottage):
    made, option = cottage
    every = every_survival(made)
    assert set(every) == {"ac-addon", "micro-ac", "hybrid-swap", "two-units"}
    own = survival_of(made, option)
    assert np.array_equal(every["hybrid-swap"].hours, own.hours)
    assert own.riding_through(np.array([0.0, 4.0, 1e6])).tolist()[0] == 1.0
    assert own.riding_through(np.array([1e6]))[0] == 0.0
    assert own.hours.ravel()[own.worst // 4] == own.hours.min()
    converter = option.design.battery_converter
    fed = behind_relay(option.design, made.job, made.demand)
    mean_kw = fed.kw[:, made.demand.worst_season_steps].sum(axis=0).mean()
    assert own.envelope_h == pytest.approx(converter.bank.usable_kwh / mean_kw)
    larger = plan(made.job.with_(battery=made.job.battery.with_(count=made.job.battery.count + 1)))
    more = survival_of(larger, larger.option("hybrid-swap"))
    assert more.hours.mean() > own.hours.mean()
    kept = plan(made.job.with_(battery=made.job.battery.with_(reserve=0.5)))
    assert survival_of(kept, kept.option("hybrid-swap")).hours.min() >= own.hours.min()
