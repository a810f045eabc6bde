"""A design's simulated year and the figures read off it."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from calm_relay.exchange.array_cache import many_jobs
from calm_relay.job.base import minutes_of
from calm_relay.job.control import Control
from calm_relay.job.demand import MeteredDemand, ShapedDemand
from calm_relay.job.model import Job
from calm_relay.job.tariff import Tariff
from calm_relay.physics.array_yield import FaceYield
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.kept import OLD_YEARS_BYTES, YEARS_BYTES, kept
from calm_relay.physics.money import Terms, bill_by_month, yearly_bill
from calm_relay.physics.plant.inputs import (
    Inputs,
    YearCache,
    bus_inputs,
    lean_inputs,
    run_inputs,
)
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.parts import ConverterPart, GridConnection
from calm_relay.physics.plant.year import PlantBus, PlantYear, run_plant
from calm_relay.physics.unchanging import digest_of, frozen, times
from calm_relay.planning.architecture.car_charger import car_unit
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.operation.controls import control_of, export_limit_kw, home_of
from calm_relay.planning.operation.fuel import fuel_cost
from calm_relay.planning.operation.island import island_of
from calm_relay.planning.site.array import face_in
from calm_relay.planning.site.battery_temperature import battery_air_c, charge_derate, discharge_derate
from calm_relay.planning.site.controlled_loads import NamedLoad, controlled_loads
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.home_phases import Phases
from calm_relay.planning.site.prices import feed_in_series, price_series
from calm_relay.planning.site.site_year import SiteYear
from calm_relay.planning.strings.shared_input import shared_loss
from calm_relay.planning.strings.stringing import StringRun


def inputs_of(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> Inputs:
    """A design on the site's year, ready to run."""
    calendar = site.calendar
    plant, pv_kw = _plant_of(design, job, site)
    grid = GridConnection(job.supply.import_limit_kw, export_limit_kw(job))
    island = None if job.supply.on_grid else island_of(design, job, demand)
    home_kw = home_of(job.supply, job.load_phases, demand)
    return Inputs(
        plant,
        pv_kw,
        home_kw,
        calendar.step_h,
        grid,
        control_of(design, job, calendar, home_kw, pv_kw),
        _thermal_derate(design, job, site),
        island,
        on_units(tuple(item.load for item in loads_of(job, site)), design),
    )


def on_units(loads: tuple[ControlledLoad, ...], design: Design) -> tuple[ControlledLoad, ...]:
    """Loads that are to hang on a hybrid's DC charger, on the unit of a design that has one; else on AC.

    A charger serves one car: a further one hangs on AC. What it surely gives without sun is the inverter's AC rating.
    """
    number, found = car_unit(design), []
    for load in loads:
        if load.converter == 0:
            found.append(load)
        elif number is None:
            found.append(load.after(converter=0, gives_kw=0.0))
        else:
            inverter = design.converters[number].inverter
            most = min(load.max_kw, inverter.dc_charger_kw or 0.0)
            sure = min(1.0, inverter.ac_kw / most)
            gives = min(load.gives_kw, inverter.dc_charger_kw or 0.0) if inverter.car_to_house else 0.0
            left = load.hours_left if sure >= 1.0 else times(load.hours_left, sure)
            found.append(
                load.after(
                    converter=number + 1,
                    max_kw=most,
                    min_kw=min(load.min_kw, most),
                    gives_kw=gives,
                    hours_left=left,
                )
            )
            number = None
    return tuple(found)


def inputs_in(inputs: Inputs, design: Design, job: Job, weather: SiteYear) -> Inputs:
    """A design's inputs with its arrays and its batteries in another year's weather; the home asks as it did."""
    terms = tuple(
        tuple((face_in(job, weather, run.face).made, factor) for run, factor in _runs(converter, job))
        for converter in design.converters
    )
    pv_kw = _pv_kw(terms, weather.calendar.steps)
    return replace(inputs, pv_kw=pv_kw, thermal_derate=_thermal_derate(design, job, weather))


def loads_of(job: Job, site: SiteYear) -> tuple[NamedLoad, ...]:
    """The controlled loads of a job in the order in which they take surplus."""
    return _loads_of(job.demand, job.control, job.tariff if job.supply.on_grid else None, job.load_phases, site)


@kept
def _loads_of(
    demand: ShapedDemand | MeteredDemand, control: Control, tariff: Tariff | None, phases: Phases, site: SiteYear
) -> tuple[NamedLoad, ...]:
    on = dict(phases)
    return tuple(
        replace(item, load=item.load.after(phase=on[item.name])) if item.name in on else item
        for item in controlled_loads(demand, control, tariff, site)
    )


def _thermal_derate(design: Design, job: Job, site: SiteYear) -> np.ndarray | None:
    """What cold and heat leave of each battery that is new or grows, stated for its place; None where all is left."""
    shares = np.ones((2, len(design.converters), 365))
    for number, converter in enumerate(design.converters):
        if converter.battery_moves:
            air = battery_air_c(job.battery_place, site)
            shares[:, number] = charge_derate(converter.bank.pack, air), discharge_derate(converter.bank.pack, air)
    return None if (shares == 1.0).all() else shares


def _plant_of(design: Design, job: Job, site: SiteYear) -> tuple[tuple[ConverterPart, ...], np.ndarray]:
    terms = tuple(_terms(converter, job) for converter in design.converters)
    plant = tuple(
        _part(converter, design, job, phase)
        for converter, phase in zip(design.converters, design.phases(job.supply), strict=True)
    )
    return plant, _pv_kw(terms, site.calendar.steps)


def _terms(converter: Converter, job: Job) -> tuple[tuple[FaceYield, float], ...]:
    """What each face gives to a converter: its yield, and the factor that is taken of it."""
    return tuple((run.face.made, factor) for run, factor in _runs(converter, job))


def _runs(converter: Converter, job: Job) -> tuple[tuple[StringRun, float], ...]:
    """A converter's strings, and what is taken of each one's face."""
    return tuple(
        (run, run.modules / run.face.plan.count * (1.0 - shared_loss(item)) * own_tracking(converter, run, job))
        for item in (converter.stringing.inputs if converter.has_strings else ())
        for run in item.runs
    )


@kept
def _pv_kw(terms: tuple[tuple[tuple[FaceYield, float], ...], ...], steps: int) -> np.ndarray:
    """DC power at each converter's terminals [kW], shape (converters, steps)."""
    pv_kw = np.zeros((len(terms), steps))
    told = b"dc"
    for row, faces in zip(pv_kw, terms, strict=True):
        told += b"|"
        for made, factor in faces:
            row += made.dc_kw * factor
            told += digest_of(made.dc_kw) + repr(float(factor)).encode()
    return frozen(pv_kw, told)


def _part(converter: Converter, design: Design, job: Job, phase: int) -> ConverterPart:
    """A unit as the simulation sees it on this supply."""
    reserve = job.battery.reserve
    old = converter.battery_surveyed
    if old is not None and old.reserve is not None and not converter.is_new:
        reserve = old.reserve
    by_clock = design.by_clock and converter is design.battery_converter
    return replace(converter.part(reserve), phase=phase, by_clock=by_clock)


def own_tracking(converter: Converter, run: StringRun, job: Job) -> float:
    """What a tracker under each module makes of the string's power: no mismatch, less its own loss."""
    if converter.micro:
        return 1.0 / (1.0 - job.losses.mismatch)
    return run.optimiser.efficiency / (1.0 - job.losses.mismatch) if run.optimiser else 1.0


def production_of(design: Design, job: Job, site: SiteYear) -> np.ndarray:
    """AC power of a design's arrays alone, as modelled [kW]."""
    arrays = tuple(replace(converter, held=None) for converter in design.converters if converter.has_array)
    plant, pv_kw = _plant_of(replace(design, converters=arrays), job, site)
    year = run_plant(plant, pv_kw, np.zeros(site.calendar.steps), site.calendar.step_h)
    return np.maximum(year.of("ac"), 0.0)


def simulate(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> PlantYear:
    """Runs a design through the site's year."""
    return run_inputs(inputs_of(design, job, site, demand))


# The years of a plan of ten options and of the plan before it: a year takes about two megabytes.
YEARS = YearCache(YEARS_BYTES)


def year_of(inputs: Inputs) -> PlantYear:
    """The year of some inputs; one that an edit did not touch is not run anew."""
    return lean_inputs(inputs) if many_jobs() else YEARS.year(inputs, lean_inputs)


# Sums of last years: about one megabyte a converter.
OLD_YEARS = YearCache(OLD_YEARS_BYTES)


def old_year_of(inputs: Inputs) -> PlantBus:
    """What a later year of some inputs comes to; one that an edit did not touch is not run anew."""
    return bus_inputs(inputs) if many_jobs() else OLD_YEARS.year(inputs, bus_inputs)


def bill_of(year: PlantBus, job: Job, site: SiteYear) -> float:
    """The year's bill under the job's tariff; off grid what the generator burns."""
    tariff = job.tariff
    if not job.supply.on_grid:
        return fuel_cost(year, job)
    if not tariff.by_kwh_alone:
        return float(sum(kind.sum() for kind in bill_months(year, tariff, site).values()))
    return yearly_bill(
        year.at_bus("import"),
        year.at_bus("export"),
        price_series(tariff, site.calendar),
        feed_in_series(tariff, site.calendar),
        tariff.standing_per_day,
        year.step_h,
    )


def bill_months(year: PlantBus, tariff: Tariff, site: SiteYear) -> dict[str, np.ndarray]:
    """The year's bill by kind, twelve months each; see `physics.money.bill_by_month`."""
    calendar = site.calendar
    return bill_by_month(
        year.at_bus("import"),
        year.at_bus("export"),
        price_series(tariff, calendar),
        feed_in_series(tariff, calendar),
        calendar.month,
        year.step_h,
        terms_of(tariff, calendar),
    )


@lru_cache(maxsize=8)
def terms_of(tariff: Tariff, calendar: YearCalendar) -> Terms:
    """What a tariff charges beside a price a kWh, on a year's steps."""
    demand = tariff.demand_charge
    counted = None
    if demand is not None and (demand.start != demand.end or demand.days != "all"):
        counted = np.ones(calendar.steps, dtype=bool)
        if demand.start != demand.end:
            counted &= calendar.in_window(minutes_of(demand.start), minutes_of(demand.end))
        if demand.days != "all":
            weekend = calendar.wall_weekday >= 5
            counted &= weekend if demand.days == "weekends" else ~weekend
    return Terms(
        tariff.standing_per_day,
        tuple((tier.above_kwh, tier.surcharge, tier.whole_month) for tier in tariff.tiers),
        demand.price_per_kw if demand is not None else 0.0,
        max(round((demand.minutes if demand is not None else 15) / 60.0 / calendar.step_h), 1),
        counted,
        tariff.minimum_per_month,
        tariff.tax,
        tariff.credit,
        tariff.carried,
        tariff.rest_paid,
    )
