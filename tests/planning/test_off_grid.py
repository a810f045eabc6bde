"""An off-grid house: its year read off, its size searched, its findings, and what a file may say of it."""

import json

import numpy as np
import pytest

from calm_relay.exchange.job_file import read_job, write_job
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.existing_supply import Generator
from calm_relay.planning.findings.off_grid import _without
from calm_relay.planning.studies.battery_map import battery_map
from calm_relay.planning.studies.battery_sweep import full_and_empty, sweep_battery
from calm_relay.planning.studies.futures import futures_of
from calm_relay.planning.studies.off_grid import off_grid_year_of, size_off_grid
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.search import filter_of, plant_rows, search
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import figures_of
from calm_relay.planning.views.moment import moment_of
from calm_relay.planning.views.scales import scales_of
from tests.plans import of_few_futures, plan


@pytest.fixture(scope="module")
def hut():
    return plan(demo_job("hut"))


@pytest.fixture(scope="module")
def hybrid(hut):
    return hut.option("hybrid-swap")


@pytest.fixture(scope="module")
def sized(hut, hybrid):
    return size_off_grid(hut, hybrid)


def result(option, check):
    return next((item for item in option.findings if item.check == check), None)


def replanned(job, key="hybrid-swap", **changes):
    made = plan(job.with_(**changes))
    return made, made.option(key)


def test_every_balance_of_a_year_alone_closes(hut):
    for option in hut.live:
        year = option.outcome.year
        for name in ("dc_residuals_kwh", "battery_residuals_kwh", "ac_residuals_kwh"):
            assert np.abs(getattr(year, name)()).max(initial=0.0) < 1e-9, (option.key, name)
        assert abs(year.year_residual_kwh()) < 1e-9
        assert year.bus_kwh("export") == 0.0


def test_what_was_asked_is_served_or_unmet(hut):
    for option in hut.live:
        off_grid, year = off_grid_year_of(hut, option), option.outcome.year
        asked = hut.demand.yearly_kwh
        assert off_grid.asked_by_month.sum() == pytest.approx(asked)
        assert off_grid.unmet_kwh + year.bus_kwh("home") == pytest.approx(asked)
        assert off_grid.unmet_share == pytest.approx(off_grid.unmet_kwh / asked)
        assert off_grid.unmet_by_month.sum() == pytest.approx(off_grid.unmet_kwh)
        assert off_grid.generator_by_month.sum() == pytest.approx(off_grid.generator_kwh)
        assert off_grid.curtailed_by_month.sum() == pytest.approx(off_grid.curtailed_kwh)
        diesel = hut.job.generator
        full, idle = diesel.litres_per_kwh, diesel.no_load_share * diesel.kw * off_grid.generator_hours
        burnt = full * ((1.0 - diesel.no_load_share) * off_grid.generator_kwh + idle)
        assert off_grid.litres == pytest.approx(burnt)
        assert off_grid.autonomy_worst_h <= off_grid.autonomy_mean_h


def test_a_generator_alone_serves_the_whole_year(hut):
    off_grid = off_grid_year_of(hut, hut.option("as-is"))
    assert off_grid.generator_hours == 8760.0
    # What it gives in thin air falls short of the highest quarter hours by a trace.
    assert off_grid.generator_kwh + off_grid.unmet_kwh == pytest.approx(hut.demand.yearly_kwh)
    assert 0.0 < off_grid.unmet_kwh < 0.5 and off_grid.autonomy_h == 0.0
    assert "the generator runs whenever" in result(hut.option("as-is"), "forming power").sentence


def test_without_the_generator_more_goes_unserved_and_the_outage_is_found(hut, hybrid):
    made, option = replanned(hut.job.with_generator(None))
    off_grid, before = off_grid_year_of(made, option), off_grid_year_of(hut, hybrid)
    assert off_grid.unmet_kwh > before.unmet_kwh
    assert (off_grid.generator_kwh, off_grid.litres, off_grid.generator_starts) == (0.0, 0.0, 0)
    assert 0 < off_grid.longest_unserved_h <= off_grid.unserved_hours
    steps = round(off_grid.longest_unserved_h * 4)
    backup = option.outcome.year.outage.state[
        off_grid.longest_unserved_from : off_grid.longest_unserved_from + steps
    ]
    assert (backup != 0).all()
    few, unmet = result(option, "autonomy"), result(option, "unmet")
    assert few.severity.name == "CHECK" and unmet.mends
    # A battery that stops at its reserve is as empty as one without.
    held, kept = replanned(made.job, battery=made.job.battery.with_(reserve=0.3))
    assert [mend.label for mend in result(kept, "unmet").mends] == [mend.label for mend in unmet.mends]
    # As many packs as the days take, or the most that fit.
    more = few.mends[0].apply(held.job)
    lasting = result(plan(more).option(option.key), "autonomy")
    pack = option.design.battery_converter.bank.pack
    assert more.battery.count > held.job.battery.count
    assert (lasting.measured >= lasting.limit) == (lasting.severity.name == "OK")
    assert lasting.severity.name == "OK" or more.battery.count == pack.count_max


def test_what_mends_a_weak_former_makes_it_give_more(hut):
    busy = hut.job.demand.with_(yearly_kwh=8.0 * hut.job.demand.yearly_kwh)
    mended = 0
    for service in ("single", "three"):
        supply = hut.job.supply.with_(phases=service, volts=230.0)
        made = plan(hut.job.with_(demand=busy, supply=supply, backup_board=None))
        for option in made.live:
            note = next((item for item in option.findings if item.check == "forming power"), None)
            for mend in note.mends if note is not None else ():
                mended += 1
                after = plan(mend.apply(made.job)).option(option.key)
                assert result(after, "forming power").limit > note.limit * 1.05, (
                    service,
                    option.title,
                    mend.label,
                )
                was, now = (item.design.battery_converter.inverter.phases for item in (option, after))
                assert now in (was, service), mend.label
    assert mended >= 3


def test_a_full_battery_without_sun_lasts_usable_energy_over_a_constant_load(hut):
    flat = hut.job.demand.with_(loads=(), heat_pumps=(), cars=())
    made, option = replanned(hut.job, demand=flat, backup_board=None)
    off_grid = off_grid_year_of(made, option)
    mean = made.demand.kw[made.demand.worst_season_steps].mean()
    assert off_grid.autonomy_h == pytest.approx(option.design.battery_converter.bank.usable_kwh / mean)
    # Losses and the inverter's own draw make it shorter than the envelope says.
    assert off_grid.autonomy_worst_h < off_grid.autonomy_h


def test_where_there_is_a_grid_nothing_is_read_alone(demo_plan):
    option = demo_plan.option("ac-addon")
    assert off_grid_year_of(demo_plan, option) is None
    assert size_off_grid(demo_plan, option) is None


def test_the_option_s_own_place_is_its_own_year(hut, hybrid, sized):
    off_grid = off_grid_year_of(hut, hybrid)
    assert sized.counts[sized.here[0]] == hut.job.battery.count
    assert sized.unmet[sized.here] == pytest.approx(off_grid.unmet_share)
    assert sized.generator_hours[sized.here] == pytest.approx(off_grid.generator_hours)
    assert sized.array_kw[sized.here[1]] == pytest.approx(
        sum(converter.array_kw for converter in hybrid.design.converters)
    )


def test_the_best_place_is_the_cheapest_within_target_and_makers_limits(sized):
    fit = sized.allowed & (sized.unmet <= sized.target)
    assert fit[sized.best]
    assert sized.cost[sized.best] == sized.cost[fit].min()
    assert (np.diff(sized.generator_hours, axis=1) <= 40).all()
    assert sized.allowed.any() and not sized.allowed.all()


def test_a_place_becomes_the_job_and_does_what_the_map_says(hut, sized):
    job = sized.apply(hut.job, sized.best)
    made = plan(job)
    off_grid = off_grid_year_of(made, made.option("hybrid-swap"))
    # Modules are whole: the array is only nearly the one tried.
    assert off_grid.unmet_share == pytest.approx(sized.unmet[sized.best], abs=0.004)
    assert job.battery.count == sized.counts[sized.best[0]]
    assert result(made.option("hybrid-swap"), "unmet").severity.name == "OK"


def test_a_stricter_target_moves_the_best_place(hut, hybrid, sized):
    none = size_off_grid(*replanned(hut.job, off_grid=hut.job.off_grid.with_(unmet_max=0.0)))
    assert none.best is None or none.cost[none.best] >= sized.cost[sized.best]
    loose = size_off_grid(*replanned(hut.job, off_grid=hut.job.off_grid.with_(unmet_max=0.05)))
    assert loose.cost[loose.best] <= sized.cost[sized.best]


@pytest.fixture(scope="module")
def searched(hut):
    return search(hut, most=400)


def test_the_search_knows_the_target_and_leaves_out_what_stops(hut, searched):
    wanted = filter_of(hut.job)
    assert wanted.unmet_max == hut.job.off_grid.unmet_max
    kept = [plant for plant in searched.plants if wanted.met_by(plant)]
    assert 0 < len(kept) < len(searched.plants)
    assert max(plant.brief.unmet for plant in kept) <= wanted.unmet_max
    assert {"ac-bus", "hybrid-swap", "micro-ac"} <= {plant.key for plant in searched.plants}
    assert "ac-addon" not in {plant.key for plant in searched.plants}
    for plant in searched.plants:
        backup = plant.design.battery_converter.inverter.backup
        assert backup is not None and backup.generator_input
    head = plant_rows(searched)[0]
    assert "unserved" in head


def test_a_plant_of_the_search_is_the_option_it_becomes(hut, searched):
    for plant in searched.plants[:: len(searched.plants) // 4]:
        option = plan(plant.job).option(plant.key)
        assert option.outcome.unmet == pytest.approx(plant.brief.unmet)
        assert option.outcome.money.bill == pytest.approx(plant.brief.money.bill)
        assert {"generator", "bus rating"}.isdisjoint(
            {item.check for item in option.findings if item.severity.name == "STOP"}
        )


def test_hours_without_supply_are_told_as_they_are(hut):
    words = {0.0: "never without supply", 0.25: "less than an hour", 41.0: "Without supply for 41 h"}
    assert all(said in _without(hours) for hours, said in words.items())
    for option in hut.live:
        finding = result(option, "unmet")
        hours = option.outcome.island_year.unserved_hours
        assert ("never without supply" in finding.sentence) == (hours == 0.0)


def test_the_unmet_target_is_held_and_a_pack_more_mends(hut, hybrid):
    note = result(hybrid, "unmet")
    assert note.severity.name == "CHECK"
    assert note.measured == pytest.approx(hybrid.outcome.unmet * 100)
    after = plan(note.mends[0].apply(hut.job)).option("hybrid-swap")
    assert after.outcome.year.generator_hours < hybrid.outcome.year.generator_hours
    allowed = replanned(hut.job, off_grid=hut.job.off_grid.with_(unmet_max=0.02))[1]
    assert result(allowed, "unmet").severity.name == "OK"


def test_sizes_are_judged_by_what_they_serve_where_no_power_is_paid_for(hut):
    assert sweep_battery(hut, hut.option("hybrid-swap")).words.endswith("saved a year")
    made, option = replanned(hut.job, generators=())
    sweep, field = sweep_battery(made, option), battery_map(made, option)
    assert sweep.words == field.words == "kWh served a year"
    assert sweep.worth[sweep.chosen] == pytest.approx(option.outcome.year.bus_kwh("home"))
    assert (np.diff(sweep.worth) > 0).all() and sweep.worth[-1] < made.demand.yearly_kwh
    # With the least power it trips, whatever it holds.
    assert (np.diff(field.worth[:, 1:], axis=0) > -1.0).all()


def test_where_no_power_is_paid_for_futures_tell_of_no_saving(hut):
    made, option = replanned(of_few_futures(hut.job), generators=())
    told = []
    futures_of(made, option, lambda share, words: told.append(words))
    assert "saves" not in " ".join(told) and told[-1].endswith("of the home on its own")
    served, _ = replanned(hut.job.with_(demand=hut.job.demand.with_(yearly_kwh=200.0, loads=())))
    reasons = {reason.sentence for spoken in served.choice.reasons.values() for reason in spoken}
    assert "Nothing that is asked in a year goes unserved." in reasons


def test_a_battery_is_full_where_arrays_are_held_back(hut):
    # Arrays on an island's bus are held back before it is charged to the brim.
    option = hut.option("ac-bus")
    number = option.design.converters.index(option.design.battery_converter)
    held = option.outcome.year.of("curtailed").reshape(365, -1).sum(axis=1) > 0.5
    full, _ = full_and_empty(option, number)
    assert held.sum() > 100 and full[held].mean() > 0.8


def test_the_ac_bus_is_held_against_what_forms_the_grid(hut):
    note = result(hut.option("ac-bus"), "bus rating")
    assert (note.measured, note.limit) == (6.0, 5.0)
    assert note.severity.name == "STOP"
    side_by_side = next(mend for mend in note.mends if mend.label == "2 units side by side")
    mended = plan(side_by_side.apply(hut.job)).option("ac-bus")
    assert result(mended, "bus rating").severity.name == "OK"
    assert result(hut.option("hybrid-swap"), "bus rating") is None
    summary = {figure.label: figure.value for figure in figures_of(hut, hut.option("ac-bus"), "Grid")}
    assert summary["On its AC bus"] == "6 kW of array; takes 5, practice 5 kW"
    assert "On its AC bus" not in {figure.label for figure in figures_of(hut, hut.option("hybrid-swap"), "Grid")}


def test_a_circuit_on_the_grid_is_never_fed_and_mended(hut):
    circuits = tuple(c.with_(role="grid only") if c.name == "Rooms" else c for c in hut.job.backup_board.circuits)
    made, option = replanned(hut.job, backup_board=hut.job.backup_board.with_(circuits=circuits))
    assert option.outcome.unmet > 0.05
    note = result(option, "dead circuits")
    after = plan(note.mends[0].apply(made.job)).option("hybrid-swap")
    assert result(after, "dead circuits") is None


def test_scales_are_called_by_what_they_are_without_a_grid(hut, demo_plan):
    off_grid = {scale.key: scale.label for scale in scales_of(hut)}
    assert (off_grid["bill"], off_grid["backup"]) == ("Fuel", "Power of the grid")
    assert "unmet" in off_grid and "hours" not in off_grid
    tied = {scale.key: scale.label for scale in scales_of(demo_plan)}
    assert tied["bill"] == "Bill"
    assert "unmet" not in tied


def test_nothing_speaks_of_a_grid_that_is_not_there(hut):
    checks = {item.check for option in hut.live for item in option.findings}
    assert checks.isdisjoint({"grid down", "pass-through", "main fuse", "export limit", "service"})
    assert {"unmet", "forming power", "fuel", "black start"} <= checks
    for option in hut.live:
        station = next(station for station in line_of(hut, option).stations if station.name == "Grid")
        assert "generator" in station.headline
        moment_of(hut, option, 4_000)


def test_a_night_of_the_hut_is_rehearsed_with_its_generator(hut, hybrid):
    run = rehearse(hut, hybrid, 12_000, 48.0)
    assert run.run.largest_residual_kwh < 1e-9
    diesel = hut.job.generator
    ran = run.generator_kw[run.generator_kw > 0.0]
    burns = diesel.litres_per_kwh * (0.25 * diesel.kw + 0.75 * ran)
    assert run.litres(hut.job) == pytest.approx(burns.sum() * run.step_h)


def test_a_job_that_states_one_generator_the_old_way_still_opens(tmp_path, hut):
    path = tmp_path / "one.relay.json"
    write_job(hut.job, path)
    document = json.loads(path.read_text())
    document["generator"], _ = document.pop("generators")
    path.write_text(json.dumps(document))
    assert read_job(path) == hut.job.with_(generators=hut.job.generators[:1])
    document["generator"] = {"kw": 6.0, "tank_litres": 0}
    path.write_text(json.dumps(document))
    with pytest.raises(ValueError, match=r"generators\.0\.tank_litres"):
        read_job(path)


def test_fuel_costs_what_it_burns():
    assert Generator(kw=6, litres_per_kwh=0.4, price_per_litre=2.5).price_per_kwh == pytest.approx(1.0)
