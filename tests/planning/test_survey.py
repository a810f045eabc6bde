"""What the survey says is there, stays, goes and comes; the roof; the rules; clipping."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.model import MonthlyWeather
from calm_relay.job.survey import ExistingBattery, ExistingInverter, HorizonPoint, Rectangle, RuleChange
from calm_relay.planning.architecture.ratio_limits import ratio_limits
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.rules import rules_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.studies.clipping import clipped_year
from calm_relay.planning.studies.footprint import footprint_swaps
from calm_relay.planning.studies.inverter_sweep import SIZES, sweep_inverter
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.moment import moment_of
from calm_relay.planning.views.roof import face_shades
from calm_relay.planning.views.seasons import home_year, how_sure
from tests.plans import plan

TWO_HYBRIDS = {"First": "reuse", "Second": "keep"}


@pytest.fixture(scope="module")
def cottage():
    return plan(demo_job("cottage"))


@pytest.fixture(scope="module")
def dairy():
    return plan(demo_job("dairy"))


def result(made, key, check):
    return next((item for item in made.option(key).findings if item.check == check), None)


def test_what_must_stay_refuses_what_would_take_it_away(demo):
    keep = demo.with_existing_inverter(0, fate="keep")
    assert plan(keep).option("hybrid-swap").refusal.reasons == (
        "The survey keeps Tarnlight 5.0 string inverter where it is",
    )
    goes = plan(demo.with_existing_inverter(0, fate="remove")).option("ac-addon").design
    assert [converter.is_new for converter in goes.converters] == [True, True]
    assert [converter.inverter.key for converter in goes.removed] == ["tarnlight-5"]
    stuck = plan(demo_job("dairy").with_existing_battery(0, fate="keep")).option("hybrid-swap")
    assert "hangs on the inverter that would go" in stuck.refusal.reasons[0]


def test_an_old_battery_on_its_own_unit_stays_beside_what_comes(demo):
    old = ExistingBattery(pack="fern-48", count=1, inverter="mossgate-3", age_years=5, health=0.8)
    made = plan(demo.with_(existing_batteries=(old,)))
    assert made.option("as-is").design.battery_converter.bank.usable_kwh == pytest.approx(4.8 * 0.9 * 0.8)
    for key in ("ac-addon", "hybrid-swap"):
        design = made.option(key).design
        assert [converter.inverter.key for converter in design.converters if not converter.is_new][
            -1
        ] == "mossgate-3"
        assert design.battery_converter.is_new
        names = [station.name for station in line_of(made, made.option(key)).stations]
        assert "Second battery" in names and names.count("Battery") == 1
    farm = plan(demo_job("dairy").with_(purposes=demo.purposes))
    summary = [reason.sentence for reason in farm.choice.reasons["hybrid-swap"]]
    assert "The old battery, 5.8 kWh usable, goes with its unit." in summary
    gone = plan(demo.with_(existing_batteries=(old.with_(fate="remove"),)))
    assert all(converter.inverter.key != "mossgate-3" for converter in gone.option("ac-addon").design.converters)


@pytest.mark.parametrize("fate", ["keep", "reuse", "remove"])
def test_a_battery_on_its_own_unit_is_one_whichever_way_the_survey_states_it(demo, fate):
    old = ExistingBattery(pack="fern-48", inverter="mossgate-3", age_years=5, health=0.8, fate=fate)
    unit = ExistingInverter(name="Charger", inverter="mossgate-3", age_years=5)
    listed = demo.with_(
        existing_inverters=(*demo.existing_inverters, unit),
        existing_batteries=(old.with_(inverter=None, wired_to="Charger"),),
    )

    def told(job):
        made = plan(job)
        bills = {option.key: option.outcome.money.bill for option in made.live}
        units = {
            option.key: sorted(unit.inverter.key for unit in option.design.converters) for option in made.live
        }
        refused = {option.key: option.refusal.reasons for option in made.options if option not in made.live}
        return bills, units, refused

    (bills, units, refused), by_battery = told(listed), told(demo.with_(existing_batteries=(old,)))
    assert refused == by_battery[2]
    assert units == by_battery[1]
    assert bills == pytest.approx(by_battery[0])


def test_packs_that_move_leave_the_battery_of_another_unit_where_it_is(demo):
    units = [ExistingInverter(name=name, inverter="umberlow-h5", fate=fate) for name, fate in TWO_HYBRIDS.items()]
    packs = ExistingBattery(pack="fern-48", wired_to="First", fate="reuse")
    job = demo.with_(
        faces=tuple(face.with_(wired_to="First") for face in demo.faces),
        existing_inverters=tuple(units),
        existing_batteries=(packs, packs.with_(name="Other", wired_to="Second", fate="keep")),
    )
    design = plan(job).option("old-packs").design
    assert [unit.battery_surveyed.name for unit in design.converters] == ["Battery", "Other"]
    assert all(unit.has_battery for unit in design.converters)


def test_a_face_that_comes_takes_a_free_input_or_an_inverter_of_its_own(demo):
    new = demo.faces[0].with_(name="Shed", fate="new", age_years=0, azimuth=90.0)
    made = plan(demo.with_(faces=(*demo.faces, new)))
    kept, new_one, _ = made.option("ac-addon").design.converters
    assert not kept.is_new and [face.plan.name for face in kept.faces] == [face.name for face in demo.faces]
    assert new_one.is_new and [face.plan.name for face in new_one.faces] == ["Shed"]
    split = demo.battery.with_(string_inverter="tarnlight-96s")
    refused = plan(demo.with_(battery=split, faces=(*demo.faces, new))).option("ac-addon").refusal.reasons
    assert "Shed find no place on Tarnlight 5.0" in refused[0] and "is for split phase" in refused[1]
    assert all(run.face.plan.name != "Shed" for run in made.option("as-is").design.pv_converter.stringing.runs)
    off = plan(demo.with_(faces=(demo.faces[0], demo.faces[1].with_(fate="remove"))))
    assert len(off.option("as-is").design.pv_converter.faces) == 2
    assert len(off.option("hybrid-swap").design.pv_converter.faces) == 1


def test_a_bare_roof_has_a_baseline_of_nothing_and_microinverters_to_choose(cottage):
    keys = [option.key for option in cottage.options]
    assert keys[:4] == ["as-is", "ac-addon", "micro-ac", "hybrid-swap"]
    bare = cottage.option("as-is").outcome
    assert bare.figures.import_kwh == pytest.approx(bare.figures.home_kwh)
    micro = cottage.option("micro-ac")
    assert len(micro.design.converters) == 5
    assert micro.outcome.money.outlay > 0
    moment = moment_of(cottage, micro, 35040 // 2 + 48)
    made = sum(float(micro.outcome.year.of("pv_dc", n)[35040 // 2 + 48]) for n in range(4))
    assert moment.legs["0:roof"] == pytest.approx(made)
    kinds = {line.kind for line in micro.outcome.money.lines}
    assert {"modules", "unit", "battery"} <= kinds
    # No one inverter takes the whole roof: two share it.
    shared = cottage.option("ac-addon").design.pv_converters
    assert len(shared) == 2 and {face.plan.name for unit in shared for face in unit.faces} == {
        face.name for face in cottage.job.faces
    }


def test_only_a_battery_before_the_ac_limit_catches_what_is_clipped(cottage, dairy):
    micro, hybrid = (clipped_year(cottage, cottage.option(key)) for key in ("micro-ac", "hybrid-swap"))
    assert micro.bare_kwh > 50
    assert micro.caught_kwh == pytest.approx(0, abs=1e-9)
    assert "no battery sees any of it" in micro.why
    assert hybrid.bare.shape == (12, 24)
    assert hybrid.bare.sum() == pytest.approx(hybrid.bare_kwh)
    farm = clipped_year(dairy, dairy.option("hybrid-swap"))
    assert farm.caught_kwh > 10
    assert farm.kept_kwh == pytest.approx(dairy.option("hybrid-swap").outcome.figures.clipped_kwh)
    assert clipped_year(cottage, cottage.option("as-is")) is None
    # The same roof behind the AC limit of the inverter that stays: the new battery catches nothing more.
    addon, as_is = (clipped_year(dairy, dairy.option(key)) for key in ("ac-addon", "as-is"))
    assert addon.kept_kwh == pytest.approx(as_is.kept_kwh, rel=1e-6)


def test_the_sweep_says_energy_import_idle_and_cost(dairy):
    found_ = sweep_inverter(dairy, dairy.option("hybrid-swap"))
    assert found_.ac_kw.size >= SIZES == 40
    assert np.all(np.diff(found_.clipped_kwh) <= 1e-6)
    assert np.all(np.diff(found_.unit_price) > 0)
    at = int(np.abs(found_.ac_kw - found_.chosen_kw).argmin())
    option = dairy.option("hybrid-swap")
    assert found_.bill[at] == pytest.approx(option.outcome.money.bill)
    assert found_.given_kwh[at] == pytest.approx(option.outcome.year.kwh_out(0))
    assert sweep_inverter(dairy, dairy.option("as-is")) is not None


def test_every_limit_in_force_is_shown_and_the_least_binds(demo_plan, dairy):
    option = dairy.option("hybrid-swap")
    limits = ratio_limits(option.design.pv_converter, dairy.job, option.context.survey)
    owners = [limit.owner for limit in limits]
    assert owners[0] == "the warranty"
    assert {"the maker with a battery on it", "string voltage at −8 °C", "input current"} < set(owners)
    rebate = plan(demo_plan.job.with_(region="australia")).option("as-is")
    limits = ratio_limits(rebate.design.pv_converter, rebate.context.job, rebate.context.survey)
    assert "certificate rebate" in [limit.owner for limit in limits]


def test_rules_are_changed_in_the_job_and_never_in_the_pack(demo):
    held = {item.rule.key: item for item in rules_of(demo, library())}
    assert held["nz-volts"].limit == 600
    changed = demo.with_(rule_changes=(RuleChange(rule="nz-volts", limit=450, why="long run under tiles"),))
    volts = next(item for item in rules_of(changed, library()) if item.rule.key == "nz-volts")
    assert (volts.limit, volts.changed) == (450, True)
    assert "long run under tiles" in volts.authority
    assert "check locally" in volts.authority
    cold = result(plan(changed), "as-is", "cold voltage")
    assert cold.limit == 450
    out = demo.with_(rule_changes=(RuleChange(rule="nz-volts", limit=None),))
    assert "nz-volts" not in [item.rule.key for item in rules_of(out, library())]
    with pytest.raises(PlanError, match="no rule is called 'nonsense'"):
        rules_of(demo.with_(rule_changes=(RuleChange(rule="nonsense", limit=1),)), library())
    with pytest.raises(PlanError, match="wanted one of generic"):
        rules_of(demo.with_(region="atlantis"), library())


def test_a_horizon_takes_light_and_is_booked_by_name(demo):
    flat = plan(demo.with_(site=demo.site.with_(horizon=())))
    wall = tuple(HorizonPoint(azimuth=azimuth, elevation=25) for azimuth in (0.0, 90.0, 180.0, 270.0))
    walled = plan(demo.with_(site=demo.site.with_(horizon=wall)))
    for open_, shaded, shade in zip(flat.faces, walled.faces, face_shades(walled), strict=True):
        lost = shaded.made.losses_kwh
        assert lost["horizon"] > 0.1 * shaded.made.ideal_kwh
        assert shaded.made.ideal_kwh == pytest.approx(open_.made.ideal_kwh)
        assert shaded.yearly_kwh + sum(lost.values()) == pytest.approx(shaded.made.ideal_kwh)
        assert shade.year == pytest.approx(lost["horizon"] / shaded.made.ideal_kwh)
        # South of the equator the sun is low in June.
        assert shade.share[5] > shade.share[11] > 0
    assert result(walled, "as-is", "horizon shade").severity is Severity.CHECK
    assert all(shade.year == 0 for shade in face_shades(flat))


def test_the_rectangle_is_held_against_the_modules(demo):
    tight = Rectangle(width_m=5.8, height_m=2.4, margin_m=0.3)
    job = demo.with_face(0, rectangle=tight)
    over = result(plan(job), "as-is", "roof room")
    assert (over.measured, over.limit) == (10, 5)
    mended = over.mends[0].apply(job)
    assert mended.faces[0].count == 5
    assert result(plan(mended), "as-is", "roof room") is None
    none = result(plan(demo.with_face(0, rectangle=Rectangle(width_m=1, height_m=1))), "as-is", "roof room")
    assert none.severity is Severity.STOP
    assert "not even one" in none.sentence


def test_the_same_footprint_with_better_modules(dairy):
    swaps = footprint_swaps(dairy, dairy.options[0])
    best = swaps[0]
    assert best.module.key == "quillmere-440"
    assert best.count == 40
    assert best.kwp == pytest.approx(17.6)
    assert best.more_kwp == pytest.approx(8.6)
    assert best.kwh / best.kwp > 900
    assert [swap.more_kwh for swap in swaps] == sorted((s.more_kwh for s in swaps), reverse=True)


def test_typed_months_make_a_year_of_their_sums(demo):
    months = MonthlyWeather(ghi_kwh_per_day=(5.5,) * 12, temp_c=(12.0,) * 12, origin="the neighbour")
    impossible = demo.with_(site=demo.site.with_(weather=months))
    with pytest.raises(PlanError, match=r"site.weather.ghi_kwh_per_day: The typed months"):
        plan(impossible)
    months = months.with_(ghi_kwh_per_day=(6, 5, 4, 3, 2, 1.5, 1.7, 2.4, 3.5, 4.6, 5.6, 6.1))
    made = plan(demo.with_(site=demo.site.with_(weather=months)))
    daily = [made.site.weather.ghi[made.site.calendar.month == m].mean() * 0.024 for m in range(1, 13)]
    assert daily == pytest.approx(months.ghi_kwh_per_day)
    assert "typed months (the neighbour)" in made.site.source
    assert "the months are yours (the neighbour)" in how_sure(made, library())
    assert made.assumed_note


def test_a_place_in_polar_night_is_a_clear_finding(demo):
    site = demo.site.with_(latitude=69.6, longitude=18.9, time_zone="Europe/Oslo")
    months = MonthlyWeather(
        ghi_kwh_per_day=(0, 0.3, 1.2, 2.8, 4.2, 4.8, 4.4, 3.0, 1.6, 0.5, 0.05, 0), temp_c=(-3.0,) * 12
    )
    made = plan(demo.with_(site=site.with_(weather=months), region="generic"))
    night = result(made, "as-is", "polar night")
    assert night.severity is Severity.CHECK
    assert 30 < night.measured < 75
    assert made.choice.key is not None


def test_the_carpet_is_the_demand_and_the_stack_its_worst_season(cottage):
    year, demand = home_year(cottage), cottage.demand
    assert year.carpet.shape == (365, 96)
    assert np.isfinite(year.carpet).all()
    assert year.carpet.mean() == pytest.approx(demand.kw.mean(), rel=0.001)
    mean = sum(year.stacked.values()).mean()
    assert mean == pytest.approx(demand.worst_season_mean_kw, rel=0.01)
    assert 0 < demand.night_kwh < demand.worst_season_mean_kw * 24
    assert [part.name for part in demand.parts] == ["The house", "Dryer", "Well pump", "Heat pump", "Car"]
    assert [part.planned for part in demand.parts] == [False, False, False, False, True]
