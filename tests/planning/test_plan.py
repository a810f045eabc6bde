"""The plan of the demo job, its document, and what the parts of a plan stand on."""

import json
from pathlib import Path

import numpy as np
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.shipped import catalogue, climates, library
from calm_relay.job.equipment import Catalogue
from calm_relay.job.library import Library
from calm_relay.job.model import MeteredDemand, ScheduledLoad
from calm_relay.planning.architecture.ways import architectures
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.equipment.bank import Bank, charge_dc_kw, discharge_ac_kw
from calm_relay.planning.plan import plan as plan_with
from calm_relay.planning.site.array import design_temperatures
from calm_relay.planning.site.demand import demand_year
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.site.prices import price_series
from calm_relay.planning.site.site_year import site_year
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.document import document_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.scales import scales_of
from tests.plans import plan


def item(items, key):
    return next(entry for entry in items if entry.key == key)


def test_every_row_of_the_table_is_an_option_or_says_why_not(demo_plan):
    keys = [option.key for option in demo_plan.options]
    assert keys[:3] == ["as-is", "ac-addon", "hybrid-swap"]
    assert [option.coupling for option in demo_plan.options[:3]] == ["none", "AC", "DC"]
    assert len(keys) == len(set(keys)) == len(architectures())
    assert {option.key for option in demo_plan.live} == {
        "as-is", "ac-addon", "hybrid-swap", "two-units", "hybrid-beside", "dc-bus", "clock-bank"
    }  # fmt: skip
    for option in demo_plan.options:
        if isinstance(option, RefusedOption):
            assert option.refusal.reasons
            assert all(len(reason) > 15 for reason in option.refusal.reasons)
    # What hangs behind the relay is more than these two units pass.
    stopped = {option.key for option in demo_plan.live if option.stopped}
    assert stopped == {"dc-bus", "clock-bank"}
    assert demo_plan.choice.key == "ac-addon"


def test_a_plan_is_a_pure_function_of_its_job(demo, demo_plan):
    assert document_of(plan(demo)) == document_of(demo_plan)


def test_every_year_closes_and_serves_the_same_home(demo_plan):
    for option in demo_plan.live:
        year, figures = option.outcome.year, option.outcome.figures
        assert abs(year.year_residual_kwh()) < 1e-6
        assert figures.home_kwh == pytest.approx(demo_plan.demand.yearly_kwh)
        hung = (
            sum(run.modules for converter in option.design.pv_converters for run in converter.stringing.runs) / 20
        )
        assert figures.pv_dc_kwh == pytest.approx(
            hung * sum(face.yearly_kwh for face in demo_plan.faces), rel=0.03
        )
        assert figures.self_sufficiency == pytest.approx(1 - figures.import_kwh / figures.home_kwh)
        assert list(figures.losses) == [
            "tracker", "dc_dc", "charge", "discharge", "inverter", "rectifier", "standby", "clipped", "curtailed"
        ]  # fmt: skip


def test_the_battery_saves_and_the_coupling_says(demo_plan):
    as_is, addon, swap = (option.outcome for option in demo_plan.options[:3])
    assert addon.money.bill < as_is.money.bill
    assert swap.paths.through_battery > addon.paths.through_battery
    assert swap.figures.clipped_kwh <= as_is.figures.clipped_kwh == addon.figures.clipped_kwh
    assert as_is.backup.power_kw == 0
    assert addon.backup.power_kw == pytest.approx(
        min(5.0, discharge_ac_kw(demo_plan.bank, item(catalogue().inverters, "mossgate-5"))[0])
    )


def test_outlay_is_the_sum_of_its_lines(demo_plan):
    for option in demo_plan.live:
        money = option.outcome.money
        assert money.outlay == pytest.approx(sum(line.amount for line in money.lines))
    swap = demo_plan.option("hybrid-swap").outcome.money.lines
    assert {"Reconnecting 2 strings", "Taking the old inverter away"} <= {line.label for line in swap}


def test_a_rebate_has_a_cap(demo):
    job = demo.with_(costs=demo.costs.with_(rebate_per_kwh=100.0, rebate_max=1000.0))
    assert plan(job).option("ac-addon").outcome.money.lines[-1].amount == -1000.0


def test_more_packs_of_the_same_kind_never_raise_the_import(demo, with_battery):
    imported = []
    for count in (1, 2, 4, 8):
        made = plan(with_battery(count=count, charge_windows=()))
        imported.append([option.outcome.figures.import_kwh for option in made.options[1:3]])
    assert (np.diff(imported, axis=0) <= 1e-6).all()


def test_an_unknown_key_names_its_field(demo, with_battery):
    with pytest.raises(PlanError) as caught:
        plan(with_battery(pack="nothing-such"))
    assert caught.value.field == "battery.pack"
    assert "fern-48" in caught.value.problem
    with pytest.raises(PlanError, match="nothing-such"):
        plan(demo.with_existing_inverter(0, inverter="nothing-such"))


def test_an_inverter_that_takes_no_modules_names_its_field(demo):
    with pytest.raises(PlanError, match="has no PV inputs") as caught:
        plan(demo.with_existing_inverter(0, inverter="mossgate-5"))
    assert caught.value.field == "existing_inverters.0.inverter"


def test_the_steepest_winter_leaves_no_summer_below_nothing(demo):
    made = plan(demo.with_(demand=demo.demand.with_(winter_factor=2.5)))
    assert made.demand.kw.min() >= 0


def test_own_equipment_that_contradicts_itself_names_its_field(demo):
    converter = item(catalogue().inverters, "tarnlight-5").with_(weighted_efficiency=0.6)
    with pytest.raises(PlanError, match=r"wanted 9\d\.\d% to"):
        plan(demo.with_(own_equipment=Catalogue(inverters=(converter,))))


def test_an_unknown_climate_names_those_there_are(demo):
    site = demo.site.with_(weather={"kind": "preset", "climate": "lunar"})
    with pytest.raises(PlanError, match="central-europe"):
        plan(demo.with_(site=site))


def test_a_climate_of_the_other_hemisphere_turns_its_seasons(demo):
    north = demo.site.with_(latitude=41.0, time_zone="Europe/Rome", longitude=14.0)
    year = site_year(north, library(), Path.cwd())
    june, december = (year.weather.ghi[year.calendar.month == month].mean() for month in (6, 12))
    assert june > 2 * december
    assert climates()[demo.site.weather.climate].latitude < 0


def test_place_and_design_temperatures_do_not_remake_the_weather(demo):
    first = site_year(demo.site, library(), Path.cwd())
    assert site_year(demo.site.with_(place="Elsewhere", coldest_c=-12.0), library(), Path.cwd()) is first


def test_design_temperatures_come_from_the_job_or_its_year(demo, demo_plan):
    stated = design_temperatures(demo, demo_plan.site, demo_plan.faces)
    assert (stated.cold_c, stated.hot_c) == (-3.0, 65.0)
    free = demo.with_(site=demo.site.with_(coldest_c=None, hottest_c=None))
    derived = design_temperatures(free, demo_plan.site, demo_plan.faces)
    up = ~demo_plan.site.night
    assert derived.cold_c == np.floor(demo_plan.site.weather.temp_air[up].min() - 8)
    assert derived.hot_c == max(face.made.cell_c.max() for face in demo_plan.faces)
    assert "made year" in derived.cold_source
    munich = new_job("J", "Munich, Germany", "Germany", 48.14, 11.58, "Europe/Berlin", 4000.0, library(), 12)
    of_a_place = plan(munich).options[0].context.temperatures
    assert of_a_place.cold_source == "mean of the yearly lowest, of the assumed climate"


def test_the_evening_peak_is_after_outage_and_before_midnight(demo_plan):
    peak = demo_plan.demand.evening_peak_at.astype(object)
    assert peak.hour >= 16
    assert demo_plan.demand.worst_season == "winter"
    assert demo_plan.demand.evening_peak_kw < demo_plan.demand.kw.max() + 1e-9


def test_metered_demand_replaces_the_shape_and_machines_to_come_are_on_top(demo, demo_plan, tmp_path):
    stamps = np.datetime64("2025-01-01T00:00") + np.arange(8760) * np.timedelta64(1, "h")
    (tmp_path / "m.csv").write_text("time,kwh\n" + "\n".join(f"{stamp},0.5" for stamp in stamps))
    kiln = ScheduledLoad(name="Kiln", kw=6, days=("tue",), start="14:00", hours=2)
    job = demo.with_(demand=MeteredDemand(path="m.csv", loads=(kiln,)))
    demand = demand_year(job, tmp_path, demo_plan.site)
    # What is there the meter has counted.
    assert demand.yearly_kwh == pytest.approx(8760 * 0.5)
    later = job.with_(demand=job.demand.with_(loads=(kiln.with_(planned=True),)))
    assert demand_year(later, tmp_path, demo_plan.site).yearly_kwh == pytest.approx(8760 * 0.5 + 52 * 12)
    assert demand.source == "meter file m.csv, plus kiln"
    with pytest.raises(InputError, match="no such file"):
        demand_year(job, tmp_path / "elsewhere", demo_plan.site)


def test_the_first_window_that_matches_sets_the_price(demo, demo_plan):
    calendar = demo_plan.site.calendar
    price = price_series(demo.tariff, calendar)
    minute, weekend = calendar.wall_minute, calendar.wall_weekday >= 5
    assert set(price[(minute >= 23 * 60) | (minute < 7 * 60)].tolist()) == {0.17}
    assert set(price[(minute >= 17 * 60) & (minute < 21 * 60) & ~weekend].tolist()) == {0.46}
    assert set(price[(minute >= 17 * 60) & (minute < 21 * 60) & weekend].tolist()) == {0.33}


def test_the_least_limit_sets_the_power_of_a_bank():
    converter, pack = item(catalogue().inverters, "mossgate-5"), item(catalogue().packs, "fern-48")
    one, many = Bank(pack, 1), Bank(pack, 6)
    assert discharge_ac_kw(one, converter)[1] in {"battery's current", "battery's C-rate"}
    assert discharge_ac_kw(many, converter)[1] == "inverter's battery port"
    assert discharge_ac_kw(many, converter)[0] > discharge_ac_kw(one, converter)[0]
    assert charge_dc_kw(many, converter, 1.0)[1] == "limit set for the window"
    high = Bank(item(catalogue().packs, "slate-26"), 4)
    assert high.full_v == pytest.approx(4 * high.pack.full_v)


def test_the_line_rearranges_with_the_coupling(demo_plan):
    lines = {option.coupling: line_of(demo_plan, option) for option in demo_plan.options[:3]}
    names = {coupling: [station.name for station in line.stations] for coupling, line in lines.items()}
    assert "Battery" not in names["none"]
    assert "Battery inverter" in names["AC"]
    assert "Battery inverter" not in names["DC"]
    column = {coupling: lines[coupling].station("Battery").column for coupling in ("AC", "DC")}
    inverter = lines["DC"].station("Inverter").column
    joins = {c: next(leg.start[0] for leg in lines[c].legs if leg.start[1] != leg.end[1]) for c in ("AC", "DC")}
    assert joins["DC"] < inverter < joins["AC"]
    assert column["DC"] == joins["DC"]
    station = lines["DC"].station("Inverter")
    assert station.headroom.caption == "1.20 of 1.33 array over inverter"
    assert station.headroom.fraction == pytest.approx(1.2 / 1.33)


def test_scales_hold_every_option_and_yearly_figures_are_marked(demo_plan):
    scales = scales_of(demo_plan)
    assert all(len(scale.values) == len(scale.texts) == len(architectures()) for scale in scales)
    assert {scale.key for scale in scales if not scale.yearly} == {"outlay", "backup", "evening"}
    score = scales[0]
    assert score.top == 100
    assert score.values[1] == pytest.approx(demo_plan.choice.scores["ac-addon"].total * 100)
    assert demo_plan.assumed_note == "assumed climate"


def test_a_refused_option_says_why_and_the_others_go_on(with_battery):
    made = plan(with_battery(pack="wharfell-10", count=1))
    swap = made.option("hybrid-swap")
    assert isinstance(swap, RefusedOption)
    assert "inverters of this kind speaks to Wharfell 10 pack" in swap.findings[0].sentence
    assert made.choice.key in {"as-is", "ac-addon", "two-units"}
    assert line_of(made, swap).station("Inverter").headline == "none fits"
    document = document_of(made)
    assert document.options[2].year is None
    assert document.options[2].refused


def test_a_stated_unit_is_taken_and_refused_only_for_what_cannot_be_connected(with_battery):
    made = plan(with_battery(battery_inverter="mossgate-3", hybrid="skerrin-h6"))
    assert made.option("ac-addon").design.battery_converter.inverter.key == "mossgate-3"
    assert isinstance(made.option("hybrid-swap"), RefusedOption)
    with pytest.raises(PlanError, match=r"battery\.hybrid|nothing"):
        plan(with_battery(hybrid="nothing"))


def test_the_document_is_what_the_plan_says(demo_plan):
    document = json.loads(document_of(demo_plan).model_dump_json())
    assert document["assumed_climate"] is True
    assert document["choice"]["key"] == demo_plan.choice.key
    assert max(option["largest_residual_kwh"] or 0.0 for option in document["options"]) < 1e-9
    assert document["options"][0]["money"]["payback_years"] == 0.0
    assert document["cautions"]
    assert demo_plan.equipment.pack("fern-48", "").name in document["options"][1]["money"]["lines"][1]["label"]


def test_a_year_is_run_anew_only_where_an_edit_touches_it(demo, with_battery):
    first = plan(demo)

    def same(job):
        made = plan(job)
        keys = [option.key for option in made.live]
        return {key for key in keys if made.option(key).outcome.year is first.option(key).outcome.year}

    everything = {option.key for option in first.live}
    dearer = demo.with_(tariff=demo.tariff.with_(price=0.5))
    assert same(dearer) == everything
    assert plan(dearer).option("ac-addon").outcome.money.bill > first.option("ac-addon").outcome.money.bill
    assert same(demo.with_(name="Another")) == everything
    assert same(with_battery(count=4)) == {"as-is", "clock-bank"}
    assert same(with_battery(reserve=0.1)) == {"as-is"}
    assert same(demo.with_(losses=demo.losses.with_(soiling=0.1))) == set()
    assert same(demo.with_(demand=demo.demand.with_(yearly_kwh=6000))) == set()


@pytest.mark.parametrize("field", ["battery_inverter", "hybrid", "string_inverter", "microinverter"])
def test_a_unit_that_is_asked_for_and_not_known_is_told_whether_an_option_uses_it_or_not(demo, field):
    with pytest.raises(PlanError, match=f"^battery.{field}: no .*inverter has the key 'nothing-such'; add it"):
        plan(demo.with_(battery=demo.battery.with_(**{field: "nothing-such"})))


def test_a_plan_draws_on_the_library_it_is_given_and_on_no_other(demo):
    """A battery that only this library holds is found; one that only ships with the application is not."""
    shipped = library()
    packs = tuple(pack.with_(key=f"own-{pack.key}") for pack in shipped.catalogue.packs)
    mine = Library(shipped.catalogue.with_(packs=packs), shipped.climates, shipped.rule_packs)
    with pytest.raises(PlanError, match="no battery pack has the key"):
        plan_with(demo, mine)
    job = demo.with_(battery=demo.battery.with_(pack=f"own-{demo.battery.pack}"))
    assert plan_with(job, mine).bank.pack.key == job.battery.pack
    strict = shipped.rule_packs["new-zealand"]
    rules = tuple(rule.with_(limit=100.0) if rule.kind == "array volts" else rule for rule in strict.rules)
    packs = {**shipped.rule_packs, "new-zealand": strict.with_(rules=rules)}
    stopped = plan_with(demo, Library(shipped.catalogue, shipped.climates, packs))
    assert stopped.rules.of("array volts").limit == 100.0
    # What runs today above a rule is asked about; what is new is stopped by it or laid otherwise.
    (asked,) = (item for item in stopped.option("as-is").findings if item.check == "cold voltage")
    assert asked.limit == 100.0 and asked.severity is Severity.CHECK
    assert isinstance(stopped.option("hybrid-swap"), RefusedOption) or stopped.option("hybrid-swap").stopped
    windless = shipped.climates[demo.site.weather.climate].with_(name="Another climate")
    elsewhere = Library(shipped.catalogue, {**shipped.climates, windless.key: windless}, shipped.rule_packs)
    assert "Another climate" in plan_with(demo, elsewhere).site.source


def test_who_gives_more_than_is_asked_gives_all_of_it(demo):
    """“4.7 of 3.9 kW” would be read as a limit that is passed."""
    made = plan(demo.with_(battery=demo.battery.with_(count=8, units=2)))
    seen = set()
    for option in made.live:
        note = next((item for item in option.findings if item.check == "evening power"), None)
        station = next((item for item in line_of(made, option).stations if item.name == "Battery"), None)
        if note is None or station is None or station.headroom is None:
            continue
        enough = note.measured >= note.limit
        seen.add(enough)
        given = "all" if enough else f"{note.measured:.1f}"
        assert station.headroom.caption == f"{given} of {note.limit:.1f} kW evening peak"
    assert seen == {True, False}
