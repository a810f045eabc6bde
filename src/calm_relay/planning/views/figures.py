"""The figures of a station, each with where it comes from."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import isnan

from calm_relay.job.equipment import ISC_FACTOR
from calm_relay.job.quantity import measure_text
from calm_relay.job.tariff import Tariff
from calm_relay.planning.architecture.bus_rating import bus_rating
from calm_relay.planning.common.amounts import amount_text, degrees_text, price_text
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.fuel import fuel_litres
from calm_relay.planning.operation.island import forms_grid
from calm_relay.planning.plan import Plan
from calm_relay.planning.strings.limits import COLD, HOT
from calm_relay.planning.verdict.option import Option, RefusedOption


@dataclass(frozen=True)
class Figure:
    """A label, the value with its unit, where it comes from, and whether it is what the simulation found."""

    label: str
    value: str
    source: str
    result: bool = False


SHOWS = {
    "Site": "The weather year the plan rests on, and how far it can be believed.",
    "Roof": "Each face of modules, its months, and what is lost on the way to the inverter.",
    "Strings": "Every string on its tracker input, from the coldest morning to the hottest noon.",
    "Inverter": "Where the AC limit bites, and what another size would make of the same roof.",
    "Battery": "What more or less of the same battery would bring, and what the rules of thumb choose.",
    "Home": "The demand of the house: its year, its evening peak, its worst season.",
    "Grid": "The service, the tariff, and what the network operator adds up.",
}


@said_in_region
def figures_of(plan: Plan, option: Option | RefusedOption, station: str) -> tuple[Figure, ...]:
    """Figures of a station for an option; an option that is refused has those of the site only."""
    made = {
        "Site": _site,
        "Strings": _strings,
        "Home": _home,
        "Grid": _grid,
    }.get(station)
    return tuple(made(plan, option)) if made else ()


def _site(plan: Plan, option: Option | RefusedOption) -> Iterator[Figure]:
    site, weather = plan.site, plan.site.weather
    step_h = site.calendar.step_h
    source = plan.assumed_note or site.source
    place = plan.job.site
    yield Figure("Place", f"{place.place}, {place.latitude:.2f}°, {place.longitude:.2f}°", "the job's survey")
    yield Figure("Weather", site.source[:1].upper() + site.source[1:], "the job")
    if not site.assumed and not isnan(site.distance_km):
        yield Figure("Distance of the station", f"{site.distance_km:.0f} km", "site and file")
    yield Figure("Global on the horizontal", f"{weather.ghi.sum() * step_h / 1000:,.0f} kWh/m² a year", source)
    share = weather.dhi.sum() / max(weather.ghi.sum(), 1e-9)
    yield Figure("Of it diffuse", f"{share:.0%}", source)
    air = weather.temp_air
    yield Figure(
        "Air",
        f"{degrees_text(air.min(), 0)} to {degrees_text(air.max(), 0)}, mean {degrees_text(air.mean(), 1)}",
        source,
    )
    in_feet = plan.equipment.library.in_feet(plan.job)
    yield Figure("Wind", f"{measure_text(weather.wind_speed.mean(), 'm/s', 1, in_feet)} mean", source)
    if place.snow is not None:
        yield Figure("Fresh snow", place.snow.summary(in_feet), "the job's survey")


def _strings(plan: Plan, option: Option | RefusedOption) -> Iterator[Figure]:
    temperatures = option.context.temperatures
    yield Figure("Coldest cell", degrees_text(temperatures.cold_c, 0), temperatures.cold_source)
    yield Figure("Hottest cell", degrees_text(temperatures.hot_c, 0), temperatures.hot_source)
    converters = option.design.pv_converters if isinstance(option, Option) else ()
    runs = [(converter, run) for converter in converters for run in converter.stringing.runs]
    for converter, run in runs:
        module, tracker = run.face.module, run.tracker
        limits = run.limits(temperatures, option.context.survey.site_limit)
        sheet = f"{module.name} and {converter.inverter.name}, datasheets"
        per_module = converter.micro is not None
        parallel = 1 if per_module else run.parallel
        where = f"{run.face.plan.name}, {'each module' if per_module else f'input {run.tracker_number}'}"
        shorted = ISC_FACTOR * run.short_circuit_a / (run.parallel if per_module else 1)
        limit_a = tracker.short_circuit_a / (run.parallel if per_module else 1)
        yield Figure(
            where,
            f"{parallel} × {run.in_series} of {module.power_w:g} W: {run.open_v(temperatures.cold_c):.0f} of "
            f"{limits[COLD].limit_v:.0f} V coldest ({limits[COLD].owner}), "
            f"{run.working_v(temperatures.hot_c):.0f} V hottest (tracks from "
            f"{limits[HOT].limit_v:.0f} V), "
            f"{shorted:.1f} of {limit_a:.1f} A short-circuit with the factor {ISC_FACTOR:g}",
            sheet,
        )


def home_kwh(plan: Plan, option: Option | RefusedOption) -> float:
    """What a home takes in a year with its controlled loads as an option serves them, else as it is today [kWh]."""
    served = option if isinstance(option, Option) else plan.as_is
    return plan.demand.yearly_kwh + served.outcome.controlled_kwh


def _home(plan: Plan, option: Option | RefusedOption) -> Iterator[Figure]:
    demand = plan.demand
    peak = demand.evening_peak_at.astype(object)
    yield Figure(
        "Demand", f"{demand.yearly_kwh:,.0f} kWh a year, {demand.yearly_kwh / 365:.1f} a day", demand.source
    )
    more = home_kwh(plan, option) - demand.yearly_kwh
    if plan.job.demand.controlled:
        yield Figure("Controlled loads", f"{more:,.0f} kWh a year", "simulated with this option", result=True)
    at = f"{demand.evening_peak_kw:.1f} kW ({peak:%-d %b, %H:%M})"
    yield Figure("Worst evening half hour", at, "highest between sunset and midnight")
    season = f"{demand.worst_season}, mean {demand.worst_season_mean_kw:.2f} kW"
    yield Figure("Worst season", season, demand.source)
    for load in plan.job.demand.loads:
        days = ", ".join(day.capitalize() for day in load.days)
        yield Figure(
            load.name, f"{load.kw:g} kW, {load.hours:g} h from {load.start} on {days}", "the job's survey"
        )
    if isinstance(option, RefusedOption):
        return
    figures, backup = option.outcome.figures, option.outcome.backup
    note = f"simulated year, {plan.assumed_note or plan.site.source}"
    yield Figure("Self-sufficiency", f"{figures.self_sufficiency:.0%} of the home's energy", note, True)
    if not plan.job.supply.on_grid:
        return
    where = f" on {backup.place}" if backup.place else ""
    lasts = f"{backup.power_kw:.1f} kW for {backup.hours_where_served:.1f} h of mean load{where}"
    yield Figure("When the grid is down", lasts, note, True)


def _off_grid(plan: Plan, option: RefusedOption | Option) -> Iterator[Figure]:
    job = plan.job
    supply = job.supply
    text = f"{supply.circuit.adjective}, {supply.volts:g} V, main switch {supply.main_fuse_a:g} A"
    yield Figure("Service", f"none: off grid; {text}", "the job's survey")
    for generator in job.running_generators:
        starts = f"starts below {generator.start_below:.0%}, stops above {generator.stop_above:.0%}"
        yield Figure(generator.name, f"{generator.kw:g} kW, {starts}", "the job")
        price = f"{job.tariff.currency} {generator.price_per_litre:.2f} a litre"
        idle = f"{generator.no_load_share:.0%} of it while nothing is asked"
        yield Figure("Fuel", f"{generator.litres_per_kwh:g} l a kWh at full load, {idle}; {price}", "the job")
    yield Figure("May go unserved", f"{job.off_grid.unmet_max:.1%} of the demand", "the job")
    if isinstance(option, RefusedOption):
        return
    converter = option.design.battery_converter
    rating = bus_rating(option.design, option.context.job.supply) if forms_grid(converter) else None
    if rating is not None:
        text = (
            f"{rating.arrays_kw:g} kW of array; takes {rating.limit_kw:.3g}, practice {rating.practice_kw:.3g} kW"
        )
        yield Figure("On its AC bus", text, rating.owner)
    year, note = option.outcome.island_year, f"simulated year, {plan.assumed_note or plan.site.source}"
    yield Figure("Unserved", f"{year.unmet_kwh:,.0f} kWh a year, {option.outcome.unserved:.1%}", note, True)
    yield Figure("Without supply", f"{year.unserved_hours:,.0f} h a year, without machines' starts", note, True)
    if job.running_generators:
        burnt = fuel_litres(year, job)
        yield Figure("Generator runs", f"{year.generator_hours:,.0f} h, {burnt:,.0f} l a year", note, True)


def _also_charged(tariff: Tariff) -> str:
    """What a tariff charges or credits beside prices a kWh, in a few words."""
    words = []
    if tariff.tiers:
        edges = [f"{tier.above_kwh:g}{' (for all of it)' if tier.whole_month else ''}" for tier in tariff.tiers]
        words.append(f"tiers above {', '.join(edges)} kWh a month")
    if tariff.demand_charge is not None:
        words.append(f"{tariff.demand_charge.price_per_kw:g} a kW and month")
    if tariff.minimum_per_month:
        words.append(f"at least {tariff.minimum_per_month:g} a month")
    if tariff.tax:
        words.append(f"tax {tariff.tax:.0%}")
    if tariff.credit != "paid":
        how = "kWh for kWh" if tariff.credit == "kWh" else "at the import price"
        words.append(f"export credited {how}")
    return ", ".join(words)


def _grid(plan: Plan, option: RefusedOption | Option) -> Iterator[Figure]:
    if not plan.job.supply.on_grid:
        yield from _off_grid(plan, option)
        return
    job, tariff = plan.job, plan.job.tariff
    supply = job.supply
    text = f"{supply.circuit.adjective}, {supply.volts:g} V, {supply.main_fuse_a:g} A = {supply.import_limit_kw:.1f} kW"
    yield Figure("Service", text, "the job's survey")
    limit = "none stated" if tariff.export_limit_kw is None else f"{tariff.export_limit_kw:g} kW"
    yield Figure("Export limit", limit, "the job; the network operator decides")
    if isinstance(option, Option):
        yield Figure(
            "Operator counts", f"{option.design.counted_kw(supply):g} kW of inverter", "AC ratings, datasheets"
        )
    yield Figure("Price", f"{tariff.currency} {price_text(tariff.price)} a kWh", "the job's tariff")
    if tariff.hourly is not None:
        hourly = tariff.hourly
        yield Figure(
            "  and the spot price",
            f"{tariff.currency} {price_text(hourly.mean)} on average; a day's dearest four hours "
            f"{price_text(hourly.spread)} dearer than its cheapest",
            hourly.origin or "the job's tariff",
        )
    for window in tariff.windows:
        yield Figure(
            f"  {window.name}",
            f"{tariff.currency} {price_text(window.price)}, {window.summary}",
            "the job's tariff",
        )
    yield Figure("Paid for export", f"{tariff.currency} {price_text(tariff.feed_in)} a kWh", "the job's tariff")
    if tariff.standing_per_day > 0.0:
        standing = f"{tariff.currency} {tariff.standing_per_day:.2f} a day"
        yield Figure("Standing charge", standing, "the job's tariff")
    also = _also_charged(tariff)
    if also:
        yield Figure("Beside it", also, "the job's tariff")
    if isinstance(option, RefusedOption):
        return
    figures, money = option.outcome.figures, option.outcome.money
    note = f"simulated year, {plan.assumed_note or plan.site.source}"
    yield Figure("Imported", f"{figures.import_kwh:,.0f} kWh a year", note, True)
    yield Figure("Exported", f"{figures.export_kwh:,.0f} kWh a year", note, True)
    yield Figure("Bill", f"{amount_text(money.bill, tariff.currency)} a year", note, True)
