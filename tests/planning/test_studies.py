"""A battery's years, tipping points, the search, and what limits the battery's power."""

import re

import numpy as np
import pytest

from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.equipment import Catalogue
from calm_relay.planning.common.progress import Cancelled
from calm_relay.planning.studies import search as searched
from calm_relay.planning.studies.battery_ageing import battery_ageing_of
from calm_relay.planning.studies.battery_map import battery_map
from calm_relay.planning.studies.footprint import footprint_swaps
from calm_relay.planning.studies.search import (
    BENEFITS,
    PlantFilter,
    batteries_of,
    control_profiles_of,
    efficient_edge,
    plant_rows,
    roofs_of,
    search,
)
from calm_relay.planning.studies.tipping import Contest, knobs_of, tips_of
from calm_relay.planning.views.power_range import power_range
from tests.plans import plan


@pytest.fixture(scope="module")
def ageing(demo_plan):
    return battery_ageing_of(demo_plan, demo_plan.option("ac-addon"))


def test_a_battery_fades_by_calendar_and_cycles_and_saves_less(ageing, demo):
    assert ageing.left.size == demo.costs.horizon_years
    assert (np.diff(ageing.left) < 0).all()
    assert ageing.left == pytest.approx(1.0 - ageing.by_calendar - ageing.by_cycles)
    assert ageing.saving[-1] < ageing.saving[0]
    assert ageing.years_to_end > 10
    assert ageing.warranty.by == "years"
    assert ageing.warranty.kept
    assert ageing.npv < 0
    assert ageing.payback_years is None
    assert ageing.full_share.shape == ageing.empty_share.shape == (12,)


def test_new_packs_start_anew_and_cost_again(demo, ageing):
    job = demo.with_(costs=demo.costs.with_(replace_year=8))
    renewed = battery_ageing_of(plan(job), plan(job).option("ac-addon"))
    assert renewed.replaced_after == 8
    assert renewed.left[8] > renewed.left[7]
    assert renewed.npv < ageing.npv


def test_hard_use_ends_a_warranty_by_throughput(demo):
    pack = {"warranty_mwh_per_kwh": 1.0}
    weak = next(item for item in catalogue().packs if item.key == "fern-48").with_(**pack)
    made = plan(demo.with_(own_equipment=Catalogue(packs=(weak,))))
    result = battery_ageing_of(made, made.option("ac-addon"))
    assert result.warranty.by == "throughput"
    assert result.warranty.ends_year < 10


def test_an_option_without_a_battery_has_no_years(demo_plan):
    assert battery_ageing_of(demo_plan, demo_plan.option("as-is")) is None
    assert battery_map(demo_plan, demo_plan.option("as-is")) is None
    assert power_range(demo_plan.option("as-is")) is None


def test_more_energy_never_saves_less_and_the_map_meets_the_option(demo_plan):
    result = battery_map(demo_plan, demo_plan.option("ac-addon"))
    assert (np.diff(result.worth, axis=0) > -1.0).all()
    assert result.by_power.shape == result.power_kw.shape
    near = np.interp(result.here_kw, result.power_kw, result.by_power)
    assert near == pytest.approx(demo_plan.option("ac-addon").outcome.money.saving, rel=0.12)


def test_what_limits_is_named_at_every_charge(demo_plan):
    result = power_range(demo_plan.option("ac-addon"))
    assert set(result.giving_by) == {"inverter's battery port"}
    assert result.charging_by[0] == "limit set for the window"
    assert result.charging_kw[-1] <= result.charging_kw[0]
    assert (np.diff(result.volts) >= 0).all()
    assert "inverter's battery port" in result.summary()


@pytest.fixture(scope="module")
def dairy():
    return plan(demo_job("dairy"))


def test_the_answer_does_change_at_a_tipping_point_and_not_before(dairy):
    tips = tips_of(dairy)
    contest = Contest(dairy)
    turning = [tip for tip in tips.tips if tip.at is not None]
    assert len(turning) >= 3
    for tip in turning[:4]:
        step = 0.01 * tip.knob.today if tip.knob.low > 0 else 0.05
        outward = step if tip.rising else -step
        assert contest.winner(tip.knob, tip.at + outward) != dairy.choice.key
        assert contest.winner(tip.knob, tip.at - outward) == dairy.choice.key
        assert tip.knob.number(tip.at) in tip.sentence
        assert dairy.option(tip.to).title in tip.sentence
    still = [tip for tip in tips.tips if tip.at is None]
    assert all("nothing changes" in tip.sentence for tip in still)
    assert tips.tips == (*turning, *still)


def test_turning_nothing_gives_the_plan_s_own_scores(dairy):
    contest = Contest(dairy)
    for knob in knobs_of(dairy):
        for key, (score, npv) in contest.weighed(knob, knob.today).items():
            assert score.total == pytest.approx(dairy.choice.scores[key].total, abs=1e-9)
            assert npv == pytest.approx(dairy.option(key).outcome.money.npv, abs=1e-6)


def test_tipping_can_be_called_off(dairy):
    def stop(done, what):
        raise Cancelled

    with pytest.raises(Cancelled):
        tips_of(dairy, stop)
    with pytest.raises(Cancelled):
        search(dairy, stop)


@pytest.fixture(scope="module")
def result(demo_plan):
    summary = []
    result = search(demo_plan, lambda done, what: summary.append(done), most=180)
    assert summary == sorted(summary)
    return result


def test_a_plant_opened_as_an_option_is_what_the_search_said(demo_plan, result):
    assert len({plant.key for plant in result.plants}) >= 1
    for plant in result.plants[:: len(result.plants) // 5]:
        option = plan(plant.job).option(plant.key)
        assert option.outcome.money.outlay == pytest.approx(plant.brief.money.outlay)
        assert option.outcome.money.saving == pytest.approx(plant.brief.money.saving)
        assert option.outcome.backup.hours == pytest.approx(plant.brief.backup.hours)
        assert option.outcome.self_sufficiency == pytest.approx(plant.brief.self_sufficiency)
        assert plan(plant.job).choice.scores[plant.key].total == pytest.approx(plant.score, abs=0.005)


def test_plants_of_the_same_year_are_run_once_and_come_to_what_each_alone_does(demo_plan, monkeypatch):
    """Two packs of 4.8 kWh do what one of 9.6 kWh does; they cost and age each in its own way."""
    two, one = (
        {"pack": pack, "count": count, "stacks": 1, "expansions": 0}
        for pack, count in (("fern-48", 2), ("fern-96", 1))
    )
    runs = []
    run = searched.bus_inputs

    def counted(inputs, buffers):
        runs.append(inputs.digest)
        return run(inputs, buffers)

    monkeypatch.setattr(searched, "bus_inputs", counted)

    def found(*banks):
        runs.clear()
        monkeypatch.setattr(searched, "batteries_of", lambda _: iter(banks))
        rows = [tuple(row[1:]) for row in plant_rows(search(demo_plan))[1:]]
        return rows, len(runs)

    both, shared = found(two, one)
    (first, alone), (second, _) = found(two), found(one)
    assert sorted(both) == sorted([*first, *second])
    assert len(first) == len(second)
    # The years are run once; each pack ages to a last year of its own.
    assert alone <= shared < alone + len(first)
    assert {row[6] for row in first} != {row[6] for row in second}


def test_nothing_on_the_edge_is_beaten(result):
    for benefit, (_, worth) in BENEFITS.items():
        edge = efficient_edge(result.plants, benefit)
        costs = [plant.brief.money.outlay for plant in edge]
        assert costs == sorted(costs)
        for plant in edge:
            assert not any(
                other.brief.money.outlay <= plant.brief.money.outlay and worth(other) > worth(plant) + 1e-9
                for other in result.plants
            )


def test_must_haves_leave_out_what_lacks_them(result):
    wanted = PlantFilter(
        outlay_max=9000.0, backup_kw_min=2.0, counted_kw_max=10.0, roof_untouched=True, chemistry="LFP"
    )
    kept = [plant for plant in result.plants if wanted.met_by(plant)]
    assert 0 < len(kept) < len(result.plants)
    for plant in kept:
        assert plant.brief.money.outlay <= 9000.0
        assert plant.brief.backup.power_kw >= 2.0
        assert plant.design.counted_kw(plant.job.supply) <= 10.0
        assert plant.design.strings_moved == 0
    assert not any(PlantFilter(backup_hours_min=1e3).met_by(plant) for plant in result.plants)


def test_habits_follow_the_tariff_and_roofs_the_catalogue(demo, dairy):
    assert control_profiles_of(demo)[0].windows == demo.battery.charge_windows
    flat = demo.with_(tariff=demo.tariff.with_(windows=()), battery=demo.battery.with_(charge_windows=()))
    assert [profile.name for profile in control_profiles_of(flat)] == ["as the job says"]
    # The order in which loads take surplus is the house's: no profile of the battery sets it aside.
    loads = demo_job("two-homes")
    assert loads.control.surplus_order
    profiles = control_profiles_of(loads)
    assert {profile.control.surplus_order for profile in profiles} == {loads.control.surplus_order}
    assert len({(profile.windows, profile.control) for profile in profiles}) == len(profiles)
    assert not any(profile.name == "self-use alone" for profile in profiles)
    names = [roof.name for roof in roofs_of(dairy)]
    assert names[0] == "modules as planned"
    assert "new Quillmere 440 glass-glass" in names
    changed = roofs_of(dairy)[-1].job
    assert {face.fate for face in changed.faces} == {"new", "remove"}


def test_what_has_no_price_is_not_searched_as_if_it_were_given_away(dairy):
    names = [roof.name for roof in roofs_of(dairy)]
    unpriced = [item.name for item in dairy.equipment.on_offer.modules if item.price <= 0.0]
    assert unpriced and not any(f"new {name}" in names for name in unpriced)
    swaps = footprint_swaps(dairy, dairy.options[0])
    assert {swap.module.name for swap in swaps if swap.price is None} <= set(unpriced)
    assert any(swap.price for swap in swaps)
    own = catalogue().packs[0].with_(key="own-pack", name="Own pack", price=0.0, stack_price=0.0)
    job = dairy.job.with_(own_equipment=dairy.job.own_equipment.with_(packs=(own,)))
    assert "own-pack" not in {bank["pack"] for bank in batteries_of(plan(job))}
    named = job.with_(battery=job.battery.with_(pack="own-pack"))
    assert "own-pack" in {bank["pack"] for bank in batteries_of(plan(named))}


def test_the_search_as_a_table(result):
    head, *rows = plant_rows(result)
    assert len(rows) == len(result.plants)
    assert all(len(row) == len(head) for row in rows)
    assert result.tried >= len(result.plants)


@pytest.mark.parametrize("name", ["pottery", "two-homes"])
def test_why_plants_fall_out_is_told_in_few_words_without_holes(name):
    result = search(plan(demo_job(name)), most=200)
    assert 0 < len(result.refused) <= 12
    for reason, times in result.refused:
        assert times > 0 and reason[0].isupper()
        # A figure that was taken out would leave its unit, or nothing, behind.
        assert not re.search(r"(^|\s)(V|A|kW|kWp|×)(\s|$)|  ", reason), reason


@pytest.mark.parametrize("today", [0.4, 0.8, 4.7])
def test_what_is_turned_ends_at_its_ends(demo, today):
    weighted = demo.with_(purposes=tuple(purpose.with_(weight=today) for purpose in demo.purposes))
    knobs = [knob for knob in knobs_of(plan(weighted)) if knob.today == today]
    assert knobs
    for knob in knobs:
        for rising, end in ((True, knob.high), (False, knob.low)):
            tries = knob.tries(rising)
            assert tries[-1] == end and tries == sorted(tries, reverse=not rising)
