"""What the benches show: moments, sweeps, sun tracks, figures and tables."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import library
from calm_relay.job.demand import Car
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.architecture.ways import as_is
from calm_relay.planning.common.progress import Cancelled
from calm_relay.planning.studies.battery_sweep import flags_of, fullness_of, sweep_battery
from calm_relay.planning.studies.inverter_sweep import clipped_day, load_hours, sweep_inverter
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import SHOWS, figures_of
from calm_relay.planning.views.moment import day_of, moment_of, spots_of, strip_of
from calm_relay.planning.views.roof import face_months, sun_tracks
from calm_relay.planning.views.scales import cost_scales_of, loss_scales_of, scales_of
from calm_relay.planning.views.seasons import site_months, typical_days
from calm_relay.planning.views.tables import tables_of
from tests.plans import plan, without_findings

KEYS = ("as-is", "ac-addon", "hybrid-swap")


@pytest.mark.parametrize("key", KEYS)
def test_live_powers_meet_at_the_board(demo_plan, key):
    option = demo_plan.option(key)
    for step in (0, 5_000, 12_345, 20_000, 33_000):
        moment = moment_of(demo_plan, option, step)
        given = sum(kw for name, kw in moment.legs.items() if name.endswith(":ac"))
        standby = option.outcome.year.of("standby")[step]
        assert given == pytest.approx(moment.legs["home"] + moment.legs["grid"] + standby)
        assert {leg.flow for leg in line_of(demo_plan, option).legs} <= set(moment.legs)
        assert all(bar.caption for bar in moment.bars.values())


def test_a_day_is_local_and_its_parts_are_the_year_s(demo_plan):
    option = demo_plan.option("hybrid-swap")
    day = day_of(demo_plan, option, 12_345)
    wall = demo_plan.site.calendar.wall
    assert set(wall[day.first : day.last].astype("datetime64[D]")) == {wall[12_345].astype("datetime64[D]")}
    assert day.hours[0] == 0.0
    year = option.outcome.year
    assert day.made["clipped"].sum() == pytest.approx(year.of("clipped")[day.first : day.last].sum())
    assert day.level.min() >= 0
    assert day.level.max() <= 1
    assert day_of(demo_plan, demo_plan.option("as-is"), 12_345).level is None


def test_days_on_which_the_clock_turns_are_23_and_25_hours(demo_plan):
    option = demo_plan.option("as-is")
    steps = {day_of(demo_plan, option, start).home.size for start in range(0, 35_040, 96)}
    assert steps == {92, 96, 100} or steps == {4, 92, 96, 100}


def test_the_strip_sums_to_the_year(demo_plan):
    option = demo_plan.option("ac-addon")
    strip = strip_of(demo_plan, option)
    assert strip.made_kwh.sum() == pytest.approx(option.outcome.figures.pv_dc_kwh)
    assert strip.imported_kwh.sum() == pytest.approx(option.outcome.figures.import_kwh)
    assert strip.home_kwh.size == 365


def test_spots_are_what_they_are_called(demo_plan):
    option = demo_plan.option("ac-addon")
    year = option.outcome.year
    spots = {spot.key: spot.step for spot in spots_of(demo_plan, option)}
    strip = strip_of(demo_plan, option)
    assert spots["best"] // 96 == strip.made_kwh.argmax()
    assert year.of("clipped")[spots["clipped"]] > 0
    assert year.of("clipped")[: spots["clipped"]].max() <= 1e-3
    assert demo_plan.site.night[spots["worst"]]
    assert year.of("stored", 1)[spots["empty"]] == pytest.approx(0.4 * demo_plan.bank.usable_kwh, rel=0.05)
    none = {spot.key: spot for spot in spots_of(demo_plan, demo_plan.option("as-is"))}
    assert none["empty"].step is None
    assert none["empty"].label == "There is no battery"


@pytest.mark.parametrize("key", KEYS)
def test_the_converter_sweep_meets_the_plan_at_today_s_size(demo_plan, key):
    option = demo_plan.option(key)
    sweep = sweep_inverter(demo_plan, option)
    assert sweep.ac_kw.size >= 40
    at = int(np.flatnonzero(sweep.ac_kw == sweep.chosen_kw)[0])
    assert sweep.import_kwh[at] == pytest.approx(option.outcome.figures.import_kwh)
    assert sweep.clipped_kwh[at] == pytest.approx(option.outcome.figures.clipped_kwh)
    assert (np.diff(sweep.clipped_kwh) <= 1e-6).all()
    assert sweep.idle_kwh[-1] > sweep.idle_kwh[0]


def test_load_hours_are_the_hours_of_giving(demo_plan):
    option = demo_plan.option("as-is")
    result = load_hours(option)
    given = (option.outcome.year.of("ac", 0) > 0).sum() * 0.25
    assert result.hours.sum() == pytest.approx(given)
    assert result.mean_efficiency == pytest.approx(option.outcome.paths.direct / 0.995, abs=0.002)


def test_the_clipped_day_is_the_one_that_clips_most(demo_plan):
    result = clipped_day(demo_plan, demo_plan.option("as-is"))
    by_day = demo_plan.option("as-is").outcome.year.of("clipped").reshape(365, -1).sum(axis=1)
    assert result.clipped.sum() == pytest.approx(by_day.max())
    assert result.given.max() == pytest.approx(5.0)


def test_the_battery_sweep_meets_the_plan_at_today_s_count(demo_plan):
    option = demo_plan.option("ac-addon")
    sweep = sweep_battery(demo_plan, option)
    assert sweep.counts.tolist() == list(range(1, 9))
    assert sweep.counts[sweep.chosen] == 3
    assert sweep.worth[sweep.chosen] == pytest.approx(option.outcome.money.saving)
    assert sweep.words == "NZ$ saved a year"
    assert sweep_battery(demo_plan, demo_plan.option("as-is")) is None


def test_every_rule_of_thumb_is_a_flag_with_its_source(demo_plan):
    flags = {flag.name: flag for flag in flags_of(demo_plan, demo_plan.option("ac-addon"))}
    assert list(flags) == ["night", "70% of a day", "8 h outage", "winter sun", "cheap window", "one size up"]
    assert all(flag.source and flag.usable_kwh > 0 for flag in flags.values())
    assert flags["one size up"].usable_kwh == pytest.approx(4 / 3 * demo_plan.bank.usable_kwh)
    a_day = demo_plan.demand.yearly_kwh / 365
    assert flags["70% of a day"].usable_kwh == pytest.approx(0.7 * a_day / 0.6)


def test_fullness_counts_days_and_cycles(demo_plan):
    result = fullness_of(demo_plan.option("ac-addon"))
    assert 0 < result.full_days <= 365
    year = demo_plan.option("ac-addon").outcome.figures
    assert result.cycles == pytest.approx(year.discharge_kwh / demo_plan.bank.usable_kwh)


def test_long_work_can_be_called_off(demo, demo_plan):
    def refuse(done, what):
        raise Cancelled

    for work in (
        lambda: plan(demo, None, refuse),
        lambda: sweep_battery(demo_plan, demo_plan.option("ac-addon"), refuse),
        lambda: sweep_inverter(demo_plan, demo_plan.option("ac-addon"), refuse),
    ):
        with pytest.raises(Cancelled):
            work()


def test_progress_rises_to_the_end(demo):
    summary = []
    plan(demo, None, lambda done, what: summary.append(done))
    assert summary == sorted(summary)
    assert summary[0] == 0.0
    assert summary[-1] < 1.0


def test_the_sun_stands_north_at_noon_in_the_south(demo_plan):
    june, _, december = sun_tracks(demo_plan)
    assert june.elevation.max() == pytest.approx(90 - 40.8 - 23.4, abs=0.5)
    assert december.elevation.max() == pytest.approx(90 - 40.8 + 23.4, abs=0.5)
    assert min(june.azimuth[june.elevation.argmax()], 360 - june.azimuth[june.elevation.argmax()]) < 5


def test_months_sum_to_the_face_s_year(demo_plan):
    for months in face_months(demo_plan):
        assert months.kwh.sum() == pytest.approx(months.face.yearly_kwh)
        assert months.kwh[5] < months.kwh[11]


def test_a_kept_array_and_a_second_battery_join_at_the_board(demo_plan):
    swap, addon = demo_plan.option("hybrid-swap").design, demo_plan.option("ac-addon").design
    old, battery = addon.converters
    for converters, extra in (
        ((swap.converters[0], old), "Kept inverter"),
        ((swap.converters[0], battery), "Second battery"),
    ):
        design = Design(as_is.ARCHITECTURE, "Both", "both", converters)
        outcome, context = demo_plan.option("ac-addon").outcome, demo_plan.options[0].context
        line = line_of(demo_plan, without_findings(Option(design, outcome, context, demo_plan.site)))
        assert line.station("Battery").words == "right"
        joined = line.station(extra)
        assert joined.row == 1
        hung = [leg for leg in line.legs if leg.kind == "AC" and leg.start[1] != leg.end[1]]
        assert len(hung) == 1
        assert hung[0].start[0] > line.station("Inverter").column


def test_every_station_has_figures_or_a_bench_and_says_what_it_shows(demo_plan):
    for option in demo_plan.options:
        for station in ("Site", "Strings", "Home", "Grid"):
            figures = figures_of(demo_plan, option, station)
            assert len(figures) >= 2, station
            assert all(figure.source and figure.value for figure in figures)
            assert SHOWS[station]


def test_months_and_seasons_are_means_of_the_year(demo_plan):
    sky = site_months(demo_plan)
    climate = library().climates[demo_plan.job.site.weather.climate]
    assert sky.daily_range_c == pytest.approx(np.mean(climate.daily_range_c), rel=0.1)
    assert sky.wind_mean == pytest.approx(climate.wind_mean, rel=0.1)
    days = np.array([31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
    assert (sky.ghi_kwh_per_day * days).sum() == pytest.approx(demo_plan.site.weather.ghi.sum() / 4000)
    assert (sky.lowest_c <= sky.mean_c).all()
    seasons = typical_days(demo_plan)
    assert seasons["winter"].mean() == pytest.approx(demo_plan.demand.worst_season_mean_kw, rel=0.01)
    # The kiln is fired from two to nine in the afternoon.
    assert all(day[15] > day[12] + 1.0 for day in seasons.values())


def test_losses_and_costs_stand_on_one_scale_each(demo_plan):
    losses = loss_scales_of(demo_plan)
    assert len({scale.top for scale in losses}) == 1
    swap = demo_plan.options.index(demo_plan.option("hybrid-swap"))
    total = sum(scale.values[swap] for scale in losses)
    assert total == pytest.approx(sum(demo_plan.option("hybrid-swap").outcome.figures.losses.values()))
    costs = cost_scales_of(demo_plan)
    outlay = sum(scale.values[swap] for scale in costs)
    assert outlay == pytest.approx(demo_plan.option("hybrid-swap").outcome.money.outlay)


def test_tables_are_rectangles_with_heads(demo_plan):
    for name, rows in tables_of(demo_plan).items():
        assert len(rows) > 1, name
        assert {len(row) for row in rows} == {len(rows[0])}, name


def test_a_battery_inverter_that_draws_says_that_it_charges(demo_plan):
    option = demo_plan.option("ac-addon")
    ac = option.outcome.year.of("ac", option.design.converters.index(option.design.battery_converter))
    for step, words in ((int(ac.argmin()), "charging"), (int(ac.argmax()), "now")):
        caption = moment_of(demo_plan, option, step).bars["Battery inverter"].caption
        assert caption == f"{abs(ac[step]):.1f} of 5 kW {words}"


def test_home_never_stands_above_its_most_with_what_controlled_loads_take(demo):
    car = Car(name="Car", kwh_per_day=20.0, charger_kw=11.0, control="on surplus", start="08:00", end="18:00")
    made = plan(demo.with_(demand=demo.demand.with_(cars=(car,))))
    option = made.option("hybrid-swap")
    home = option.outcome.year.at_bus("home")
    bar = moment_of(made, option, int(home.argmax())).bars["Home"]
    assert bar.used == bar.limit == pytest.approx(home.max()) and home.max() > made.demand.kw.max()


def test_a_payback_beyond_all_telling_does_not_shrink_the_others(demo_plan):
    payback = next(scale for scale in scales_of(demo_plan) if scale.key == "payback")
    finite = [value for value in payback.values if value is not None and value != float("inf")]
    assert max(finite) > 60.0 and payback.top == 60.0
    assert "more than 60 years" in payback.texts
    worth = next(scale for scale in scales_of(demo_plan) if scale.key == "bill")
    assert worth.top == max(value for value in worth.values if value is not None)
