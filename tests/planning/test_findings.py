"""Each check: when it stops, warns and holds, and that its mends mend."""

import pytest

from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.equipment import Catalogue
from calm_relay.job.model import GridCharge, RatioRule
from calm_relay.job.survey import ExistingInverter, PlannedString, StringPlan
from calm_relay.planning.findings import Severity
from calm_relay.planning.findings.backed_up_loads import backup_board_mend
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import figures_of
from tests.plans import optimised_over_two_faces, plan


def result(made, key, check):
    return next((item for item in made.option(key).findings if item.check == check), None)


def mended(job, finding, number=0):
    return finding.mends[number].apply(job)


@pytest.fixture
def with_faces(demo):
    return lambda **changes: demo.with_(faces=tuple(face.with_(**changes) for face in demo.faces))


def test_findings_come_worst_first_and_name_rule_and_unit(demo_plan):
    for option in demo_plan.options:
        severities = [item.severity for item in option.findings]
        assert severities == sorted(severities)
        for item in option.findings:
            assert item.rule
            assert item.sentence.endswith(".")
            assert item.unit or item.measured is None


def test_array_ratio_names_the_limit_that_binds(demo, demo_plan):
    off_grid, swapped = (result(demo_plan, key, "array ratio") for key in ("as-is", "hybrid-swap"))
    assert off_grid.severity is swapped.severity is Severity.OK
    assert off_grid.measured == pytest.approx(1.2)
    assert "Rural solar loan (invented) binds at 1.33 (string voltage" in swapped.sentence
    assert "the maker with a battery on it 2.00)" in swapped.sentence
    tight = demo.with_(rules=(demo.rules[0].with_(ratio_max=1.1),))
    over = result(plan(tight), "as-is", "array ratio")
    assert over.severity is Severity.CHECK
    assert over.limit == 1.1
    assert "condition 4, 2026-03" in over.rule
    assert result(plan(mended(tight, over)), "as-is", "array ratio").severity is Severity.OK


def test_array_ratio_over_the_maker_s_limit_stops_even_when_a_rebate_binds_first(demo):
    there, more = (face.with_(count=14, strings=1, rectangle=None) for face in demo.faces)
    job = demo.with_(
        faces=(there, more.with_(fate="new")),
        rules=(RatioRule(name="Loan", ratio_max=1.1, authority="a", clause="1", dated="2026-01"),),
    )
    # The planner itself finds it another inverter.
    assert all(unit.array_kw <= 5.0 * 1.33 for unit in plan(job).option("clock-bank").design.pv_converters)
    strings = tuple(PlannedString(face=face.name, modules=14, input=1 + (face is not there)) for face in job.faces)
    made = plan(job.with_string_plan("tarnlight-5", StringPlan(inverter="tarnlight-5", strings=strings)))
    over = result(made, "clock-bank", "array ratio")
    assert over.severity is Severity.STOP
    assert "Loan binds first, at 1.10." in over.sentence and "today" not in over.sentence
    assert made.option("clock-bank").stopped


def test_cold_voltage_stops_and_the_mend_takes_whole_modules_off(demo):
    cold = demo.with_(site=demo.site.with_(coldest_c=-10.0), faces=(demo.faces[0].with_(count=15), demo.faces[1]))
    over = result(plan(cold), "as-is", "cold voltage")
    assert over.severity is Severity.STOP
    assert over.measured == pytest.approx(15 * 39.8 * (1 + catalogue().modules[0].voc_per_c * -35.0))
    assert over.limit == 600
    assert result(plan(mended(cold, over)), "as-is", "cold voltage").severity is not Severity.STOP


def test_cold_voltage_says_when_the_table_is_stricter(demo):
    edge = demo.with_(faces=(demo.faces[0].with_(count=13), demo.faces[1]), site=demo.site.with_(coldest_c=-15.0))
    note = result(plan(edge), "as-is", "cold voltage")
    assert note.measured < note.limit
    assert note.severity is Severity.CHECK
    assert "by the table method" in note.sentence


def test_strings_without_an_input_and_hot_voltage_and_current(demo, with_faces):
    crowded = demo.with_(faces=(*demo.faces, demo.faces[0].with_(name="Shed", azimuth=180.0, count=8)))
    assert result(plan(crowded), "as-is", "tracker inputs").severity is Severity.STOP
    short = result(plan(with_faces(count=2)), "as-is", "hot voltage")
    assert short.severity is Severity.STOP
    assert short.measured < short.limit
    converter = next(item for item in catalogue().inverters if item.key == "tarnlight-5")
    weak = tuple(tracker.with_(usable_a=8.0, short_circuit_a=9.0) for tracker in converter.pv.trackers)
    own = Catalogue(inverters=(converter.with_(pv=converter.pv.with_(trackers=weak)),))
    current = result(plan(demo.with_(own_equipment=own)), "as-is", "short-circuit current")
    assert current.severity is Severity.STOP
    assert (current.measured, current.limit) == (1.25 * 9.75, 9.0)


def test_evening_power_is_the_least_of_battery_and_unit_and_the_mend_gives_more(demo, with_battery):
    job = with_battery(count=1)
    note = result(plan(job), "ac-addon", "evening power")
    assert note.severity is Severity.CHECK
    assert note.measured < note.limit
    assert "battery" in note.sentence
    after = result(plan(mended(job, note)), "ac-addon", "evening power")
    assert after.measured > note.measured * 1.05
    easy = demo.with_(demand=demo.demand.with_(loads=(), yearly_kwh=1500))
    assert result(plan(easy), "ac-addon", "evening power").severity is Severity.OK


def test_an_evening_that_asks_the_grid_for_next_to_nothing_is_no_worry(demo_plan):
    """Power below the worst half hour is told, and warned of only where the grid serves worth speaking of."""
    for option in demo_plan.live:
        limit = option.outcome.limit
        if limit is None or limit.power_kw >= demo_plan.demand.evening_peak_kw:
            continue
        (note,) = [note for note in option.findings if note.check == "evening power"]
        assert (note.severity is Severity.CHECK) == (limit.imported_kwh >= 5.0)
        said = f"{limit.imported_kwh:,.0f} kWh" if limit.imported_kwh >= 1.0 else "less than a kWh"
        assert f"{said} a year while charge is left" in note.sentence
    little = [option.outcome.limit.imported_kwh < 5.0 for option in demo_plan.live if option.outcome.limit]
    assert any(little) and not all(little)


def test_charge_window_too_short_for_the_battery_offers_earlier_and_faster(demo, demo_plan):
    note = result(demo_plan, "ac-addon", "charge window")
    assert note.severity is Severity.CHECK
    assert note.measured < note.limit
    labels = [mend.label for mend in note.mends]
    assert labels == ["Start at 02:45", "Lift the window's power limit"]
    for number in range(2):
        assert result(plan(mended(demo, note, number)), "ac-addon", "charge window").severity is Severity.OK
    free = demo.with_(battery=demo.battery.with_(charge_windows=()))
    assert result(plan(free), "ac-addon", "charge window") is None


def test_charge_window_is_counted_over_midnight(with_battery):
    window = GridCharge(start="22:00", end="06:00", target=1.0)
    assert (
        result(plan(with_battery(charge_windows=(window,))), "ac-addon", "charge window").severity is Severity.OK
    )


def test_pass_through_is_never_backup_capacity(demo, demo_plan):
    note = result(demo_plan, "ac-addon", "grid down")
    assert note.sentence.startswith("63 A pass-through is 14.5 kW while the grid is up. In an outage")
    assert note.measured < 5.0 < note.limit
    assert note.severity is Severity.CHECK
    assert result(demo_plan, "as-is", "grid down").measured == 0.0
    careless = demo.with_(
        purposes=tuple(p.with_(weight=0) if p.kind == "ride_through_outage" else p for p in demo.purposes)
    )
    assert result(plan(careless), "as-is", "grid down").severity is Severity.OK


def test_a_stronger_hybrid_mends_evening_and_outage(demo, demo_plan):
    note = result(demo_plan, "hybrid-swap", "grid down")
    assert note.mends[1].label == "Take the Umberlow 8 hybrid"
    after = plan(mended(demo, note, 1)).option("hybrid-swap")
    assert after.outcome.backup.power_kw > demo_plan.option("hybrid-swap").outcome.backup.power_kw
    assert after.design.battery_converter.inverter.key == "umberlow-h8"


def test_what_is_shed_fits_the_unit_when_outage(demo, demo_plan):
    note = result(demo_plan, "ac-addon", "grid down")
    assert note.mends[0].label == "Shed “Kiln”, “Water heater”, “Range” in an outage"
    after = plan(mended(demo, note))
    assert result(after, "ac-addon", "grid down").severity is Severity.OK
    stack = result(after, "ac-addon", "backed-up load")
    assert stack.severity is Severity.OK
    assert stack.measured <= stack.limit
    # Nothing was dropped in vain: with any of the three it is too much, for half an hour or for minutes.
    for name in ("Kiln", "Water heater", "Range"):
        again = backup_board_mend("", {name: {"role": "backed up", "shed_below": 0.0}}).apply(after.job)
        assert result(plan(again), "ac-addon", "backed-up load").severity is Severity.CHECK


def test_main_fuse_is_asked_about_when_the_house_alone_draws_more(demo, demo_plan):
    assert result(demo_plan, "as-is", "main fuse").severity is not Severity.STOP
    weak = demo.with_(supply=demo.supply.with_(main_fuse_a=32))
    over = result(plan(weak), "as-is", "main fuse")
    assert over.severity is Severity.CHECK and "The home alone draws no less" in over.sentence
    assert over.measured > over.limit == pytest.approx(32 * 0.23)


def test_main_fuse_stops_what_draws_more_than_the_house_alone():
    """A battery of one phase, charged from the grid at night where the fullest phase of the house hangs."""
    job = demo_job("two-homes")
    night = (GridCharge(start="18:00", end="23:00", target=1.0),)
    job = job.with_(
        supply=job.supply.with_(main_fuse_a=16, single_on=1), battery=job.battery.with_(charge_windows=night)
    )
    made = plan(job)
    over = {key: result(made, key, "main fuse") for key in ("ac-addon", "old-packs")}
    alone = result(made, "as-is", "main fuse")
    assert over["old-packs"].severity is Severity.STOP
    assert over["old-packs"].measured > alone.measured + 1.0 > over["old-packs"].limit


def test_main_fuse_stops_when_the_array_feeds_more_and_a_limit_mends_it(demo):
    """Eight kilowatts of inverter behind a fuse of 20 A: what leaves at noon is more than it carries."""
    strong = demo.with_(
        supply=demo.supply.with_(main_fuse_a=20.0),
        tariff=demo.tariff.with_(export_limit_kw=None),
        demand=demo.demand.with_(yearly_kwh=1500.0, loads=()),
        faces=tuple(face.with_(count=face.count * 2, strings=face.strings * 2) for face in demo.faces),
    )
    strong = strong.with_(existing_inverters=(strong.existing_inverters[0].with_(inverter="umberlow-h8"),))
    made = plan(strong)
    over = result(made, "as-is", "main fuse, fed")
    exported = made.as_is.outcome.year.at_bus("export").max()
    assert over.severity is Severity.STOP and over.measured == pytest.approx(exported) and over.limit == 4.6
    assumed = plan(strong.with_(assumed=("supply.main_fuse_a",)))
    assert result(assumed, "as-is", "main fuse, fed").severity is Severity.CHECK
    (mend,) = over.mends
    held = result(plan(mend.apply(strong)), "as-is", "main fuse, fed")
    assert mend.label == "Limit export to 4.6 kW" and held.severity is Severity.OK
    assert held.measured == pytest.approx(4.6)
    # What feeds nothing is not told.
    bare = plan(demo.with_(tariff=demo.tariff.with_(export_limit_kw=0.0)))
    assert not [item for item in bare.as_is.findings if item.check == "main fuse, fed"]


def test_the_operator_adds_up_every_unit(demo_plan):
    assert result(demo_plan, "ac-addon", "operator's sum").measured == 10.0
    assert result(demo_plan, "hybrid-swap", "operator's sum").measured == 5.0
    assert result(demo_plan, "as-is", "operator's sum") is None


def test_a_single_phase_unit_backs_up_one_phase_of_three(demo):
    shares = (0.25, 0.6, 0.15)
    supply = demo.supply.with_(phases="three", home_shares=shares, single_on=2)
    made = plan(demo.with_(backup_board=None, demand=demo.demand.with_(loads=()), supply=supply))
    assert result(made, "ac-addon", "one phase").severity is Severity.CHECK
    # What hangs on the other phases asks nothing of it.
    down, whole_kw = result(made, "ac-addon", "grid down"), made.demand.evening_peak_kw
    assert down.limit == pytest.approx(0.6 * whole_kw)
    assert f"on phase 2 asks {0.6 * whole_kw:.1f} kW" in down.sentence
    home = next(item for item in line_of(made, made.option("ac-addon")).stations if item.name == "Home")
    assert home.headroom.caption.endswith("kW, phase 2 in outage")
    backup = made.option("ac-addon").outcome.backup
    figures = {figure.label: figure.value for figure in figures_of(made, made.option("ac-addon"), "Home")}
    assert f"for {backup.hours_where_served:.1f} h of mean load on phase 2" in figures["When the grid is down"]
    assert backup.hours_where_served == pytest.approx(backup.hours / 0.6)
    (carries,) = (item for item in made.choice.reasons["ac-addon"] if "Carries" in item.sentence)
    assert f"load on phase 2 for {backup.hours_where_served:.1f} h" in carries.sentence


def test_weather_that_is_assumed_or_far_off_is_said(demo_plan, greensboro):
    assert "assumed climate" in result(demo_plan, "as-is", "weather").sentence
    assert result(plan(greensboro), "as-is", "weather") is None
    far = greensboro.with_(site=greensboro.site.with_(latitude=38.1))
    note = result(plan(far), "as-is", "weather")
    assert note.measured == pytest.approx(222, abs=3)
    assert note.unit == "km"


def test_off_grid_no_mend_charges_from_a_grid():
    job = demo_job("hut")
    pack = next(item for item in catalogue().packs if "lead" in item.chemistry)
    made = plan(
        job.with_(battery=job.battery.with_(pack=pack.key, count=max(pack.count_min, 1), charge_windows=()))
    )
    told = [f for option in made.live for f in option.findings if f.check == "lead-acid duty"]
    assert told and not any("from the grid" in mend.label for finding in told for mend in finding.mends)


def test_a_stronger_unit_is_of_the_kind_that_the_option_is_made_of():
    """On a DC bus another unit with charge controllers, or none; a unit that is there is not exchanged by a mend."""
    kit = {item.key: item for item in catalogue().inverters}
    for demo in ("hut", "dairy", "two-homes"):
        made = plan(demo_job(demo))
        for option in made.live:
            lead = option.design.battery_converter
            for mend in (
                mend for finding in option.findings for mend in finding.mends if mend.label.startswith("Take the ")
            ):
                battery = mend.apply(made.job).battery
                if battery.hybrid != made.job.battery.hybrid and lead is not None and battery.hybrid is not None:
                    assert lead.is_new or not lead.has_array, (option.key, mend.label)
                    if lead.inverter.charge_controllers:
                        assert kit[battery.hybrid].charge_controllers, (option.key, mend.label)


def test_an_array_too_large_is_taken_off_the_unit_it_hangs_on():
    """Not off another unit's face, where a module less gives less away."""
    job = demo_job("pottery")
    units = tuple(
        ExistingInverter(name=name, inverter=key, fate="keep")
        for name, key in (("Garage", "tarnlight-5"), ("Barn", "tarnlight-3"))
    )
    small, large = (
        face.with_(module="quillmere-440", count=count, strings=1, wired_to=name, fate="reuse", azimuth=azimuth)
        for face, count, name, azimuth in zip(job.faces, (8, 12), ("Garage", "Barn"), (170.0, 0.0), strict=True)
    )
    crowded = job.with_(existing_inverters=units, faces=(small, large))
    option = plan(crowded).option("ac-addon")
    finding = next(f for f in option.findings if f.check == "array ratio" and f.severity is not Severity.OK)
    (mend,) = finding.mends
    assert large.name in mend.label
    mended = plan(mend.apply(crowded)).option("ac-addon")
    assert not any(f.check == "array ratio" and f.severity is not Severity.OK for f in mended.findings)


def test_optimisers_that_a_module_is_too_strong_for_are_exchanged():
    job = optimised_over_two_faces()
    weak = next(item for item in catalogue().optimisers if item.any_inverter)
    kit = own_kit(weak)
    made = plan(
        job.with_(
            own_equipment=kit,
            faces=tuple(face.with_(electronics="weak") if face.electronics else face for face in job.faces),
        )
    )
    option = made.option("ac-addon")
    finding = next(f for f in option.findings if f.check == "optimiser strings" and "survives" in f.sentence)
    (mend,) = finding.mends
    assert mend.label.startswith("Take the ") and " under " in mend.label
    mended = plan(mend.apply(made.job)).option("ac-addon")
    assert not any("survives" in item.sentence for item in mended.findings)


def own_kit(optimiser):
    """The optimiser as one of one's own that bears little current."""
    return Catalogue(optimisers=(optimiser.with_(key="weak", name="Weak 500", short_circuit_a=6.0, price=1.0),))
