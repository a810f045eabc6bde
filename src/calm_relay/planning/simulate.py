"""A design's simulated year and the figures read off it."""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.model import Job
from calm_relay.job.tariff import Tariff
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.control import Control
from calm_relay.physics.money import net_present_value, simple_payback_years, yearly_bill
from calm_relay.physics.plant import ConverterPart, Street
from calm_relay.physics.year import PlantSums, PlantYear, run_plant, sum_plant
from calm_relay.planning.bank import discharge_ac_kw
from calm_relay.planning.cost import CostLine, cost_lines
from calm_relay.planning.demand import DemandYear
from calm_relay.planning.design import Design
from calm_relay.planning.orders import export_limit_kw, home_of, orders_of
from calm_relay.planning.paths import Paths, paths_of
from calm_relay.planning.shared_input import shared_loss
from calm_relay.planning.site_year import SiteYear
from calm_relay.planning.store_air import fit_for_charge, fit_for_discharge, store_air_c


@dataclass(frozen=True)
class YearFigures:
    """Energies of a year [kWh] and the two shares made of them.

    `self_sufficiency` is 1 - import/home; `self_use` is 1 - export/(PV less clipped and curtailed).
    """

    home_kwh: float
    pv_dc_kwh: float
    import_kwh: float
    export_kwh: float
    charge_kwh: float
    discharge_kwh: float
    clipped_kwh: float
    curtailed_kwh: float
    losses: dict[str, float]
    self_sufficiency: float
    self_use: float


@dataclass(frozen=True)
class Money:
    """Bill, outlay and what becomes of them, in the job's currency; savings are against "as it is"."""

    bill: float
    outlay: float
    lines: tuple[CostLine, ...]
    saving: float
    payback_years: float
    npv: float


@dataclass(frozen=True)
class Dark:
    """What the store can do when the street is dark.

    `power_kw` is grid-down; `held_kwh` is what lies in the store, at the AC side, in nine of ten dark
    quarter-hours of the worst season; `hours` is that over the season's mean demand.
    """

    power_kw: float
    held_kwh: float
    hours: float


NO_BACKUP = Dark(0.0, 0.0, 0.0)


@dataclass(frozen=True)
class PowerLimit:
    """Power the store gives to the home [kW], what limits it, and what that costs.

    `bought_kwh` is what the street gave in the year while the store gave power and still held charge.
    """

    power_kw: float
    limited_by: str
    bought_kwh: float


@dataclass(frozen=True, eq=False)
class Outcome:
    """Everything simulated and counted for one design."""

    year: PlantYear
    figures: YearFigures
    money: Money
    paths: Paths
    dark: Dark
    limit: PowerLimit | None


@lru_cache(maxsize=8)
def price_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """Price of imported energy in each step, by local clock."""
    return _by_window(tariff.price, tariff.windows, calendar)


@lru_cache(maxsize=8)
def feed_in_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """What is paid for exported energy in each step, by local clock."""
    return _by_window(tariff.feed_in, tariff.feed_in_windows, calendar)


def _by_window(price, windows, calendar):
    series = np.full(calendar.steps, price)
    weekend = calendar.wall_weekday >= 5
    for window in reversed(windows):
        here = calendar.in_window(minutes_of(window.start), minutes_of(window.end))
        if window.days != "all":
            here &= weekend if window.days == "weekends" else ~weekend
        series[here] = window.price
    return series


@dataclass(frozen=True, eq=False)
class Inputs:
    """All that a run of the plant reads."""

    plant: tuple[ConverterPart, ...]
    pv_kw: np.ndarray
    home_kw: np.ndarray
    step_h: float
    street: Street
    control: Control
    fit: np.ndarray | None = None

    def scaled(self, array: float = 1.0, home: float = 1.0) -> "Inputs":
        """The same plant with more or less array, or home."""
        return replace(self, pv_kw=self.pv_kw * array, home_kw=self.home_kw * home)


def inputs_of(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> Inputs:
    """A design on the site's year, ready to run."""
    calendar = site.calendar
    plant, pv_kw = _plant_of(design, job, site)
    street = Street(job.supply.import_limit_kw, export_limit_kw(job))
    control = orders_of(design, job, calendar)
    home_kw = home_of(job, demand.kw)
    return Inputs(plant, pv_kw, home_kw, calendar.step_h, street, control, _fit(design, job, site))


def _fit(design, job, site):
    """What cold and heat leave of each store's power; None where all is left all year."""
    shares = np.ones((2, len(design.boxes), 365))
    for number, box in enumerate(design.boxes):
        if box.bank and box.is_new:
            air = store_air_c(job.place, site)
            shares[:, number] = fit_for_charge(box.bank.pack, air), fit_for_discharge(box.bank.pack, air)
    return None if (shares == 1.0).all() else shares


def _plant_of(design, job, site):
    pv_kw = np.zeros((len(design.boxes), site.calendar.steps))
    for row, box in zip(pv_kw, design.boxes, strict=True):
        for item in box.stringing.inputs if box.stringing else ():
            left = 1.0 - shared_loss(item)
            for run in item.runs:
                row += run.face.made.dc_kw * (
                    run.modules / run.face.plan.count * left * own_tracking(box, run, job)
                )
    return tuple(_part(box, design, job) for box in design.boxes), pv_kw


def _part(box, design, job):
    """A box as the simulation sees it on this supply."""
    reserve = job.store.reserve
    if box.bank and not box.is_new and job.battery and job.battery.reserve is not None:
        reserve = job.battery.reserve
    on_one = job.supply.phases == "three" and box.converter.phases == "single"
    by_clock = design.by_clock and box is design.store_box
    return replace(box.part(reserve), phase=job.supply.single_on if on_one else 0, by_clock=by_clock)


def own_tracking(box, run, job: Job) -> float:
    """What a tracker under each module makes of the string's power: no mismatch, less its own loss."""
    if box.micro:
        return 1.0 / (1.0 - job.losses.mismatch)
    return run.optimiser.efficiency / (1.0 - job.losses.mismatch) if run.optimiser else 1.0


def production_of(design: Design, job: Job, site: SiteYear) -> np.ndarray:
    """AC power of a design's arrays alone, as modelled [kW]."""
    without = replace(design, boxes=tuple(replace(box, bank=None) for box in design.boxes if box.has_array))
    nothing = np.zeros(site.calendar.steps)
    plant, pv_kw = _plant_of(without, job, site)
    year = run_plant(plant, pv_kw, nothing, site.calendar.step_h)
    return np.maximum(year.of("ac"), 0.0)


def run_inputs(inputs: Inputs) -> PlantYear:
    """Runs the plant."""
    return run_plant(**vars(inputs))


def sum_inputs(inputs: Inputs) -> PlantSums:
    """Runs the plant and keeps its sums, the bus and the stores' levels."""
    return sum_plant(**vars(inputs))


def simulate(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> PlantYear:
    """Runs a design through the site's year."""
    return run_inputs(inputs_of(design, job, site, demand))


def bill_of(year: PlantSums, job: Job, site: SiteYear) -> float:
    """The year's bill under the job's tariff."""
    tariff = job.tariff
    return yearly_bill(
        year.at_bus("import"),
        year.at_bus("export"),
        price_series(tariff, site.calendar),
        feed_in_series(tariff, site.calendar),
        tariff.standing_per_day,
        year.step_h,
    )


def outcome(design: Design, job: Job, site: SiteYear, demand: DemandYear, bill_now: float | None) -> Outcome:
    """Simulates a design and counts; `bill_now` is the bill of "as it is", None for that design itself."""
    return outcome_of(simulate(design, job, site, demand), design, job, site, demand, bill_now)


def outcome_of(year: PlantYear, design, job, site, demand, bill_now) -> Outcome:
    """What a simulated year comes to; see `outcome`."""
    return Outcome(
        year,
        figures_of(year),
        _money(design, job, site, year, bill_now),
        paths_of(year, design.boxes.index(design.store_box) if design.store_box else None),
        _dark(design, year, demand, site),
        _power_limit(design, year),
    )


def figures_of(year: PlantYear) -> YearFigures:
    """The year's energies from its flows."""
    losses = year.losses_kwh
    home, bought, sold = (year.bus_kwh(name) for name in ("home", "import", "export"))
    made = year.kwh("pv_dc")
    kept = made - losses["clipped"] - losses["curtailed"]
    return YearFigures(
        home_kwh=home,
        pv_dc_kwh=made,
        import_kwh=bought,
        export_kwh=sold,
        charge_kwh=year.kwh("charge"),
        discharge_kwh=year.kwh("discharge"),
        clipped_kwh=losses["clipped"],
        curtailed_kwh=losses["curtailed"],
        losses=losses,
        self_sufficiency=max(0.0, 1.0 - bought / home),
        self_use=1.0 - sold / kept if kept > 0 else 0.0,
    )


def _money(design, job, site, year, bill_now):
    costs = job.costs
    bill = bill_of(year, job, site)
    lines = cost_lines(design, job)
    outlay = sum(line.amount for line in lines)
    saving = 0.0 if bill_now is None else bill_now - bill
    return Money(
        bill,
        outlay,
        lines,
        saving,
        simple_payback_years(outlay, saving),
        net_present_value(outlay, saving, costs.horizon_years, costs.discount_rate, costs.price_rise),
    )


def _dark(design, year, demand, site):
    box = design.store_box
    if box is None or box.converter.backup is None:
        return NO_BACKUP
    number = design.boxes.index(box)
    power = min(box.converter.backup.continuous_kw, discharge_ac_kw(box.bank, box.converter)[0])
    battery = year.plant[number].battery
    out = battery.discharge_efficiency * battery.dc_dc_efficiency
    out *= float(year.plant[number].loss.efficiency(0.2))
    held = float(np.percentile(year.of("store", number)[demand.worst_season_steps & site.dark], 10)) * out
    return Dark(power, held, held / demand.worst_season_mean_kw)


def _power_limit(design, year):
    box = design.store_box
    if box is None:
        return None
    number = design.boxes.index(box)
    power, limited_by = discharge_ac_kw(box.bank, box.converter)
    part = year.plant[number].battery
    held = year.of("store", number) > part.usable_kwh * (part.reserve + 0.02)
    giving = year.of("discharge", number) > 0
    bought = np.where(held & giving, year.at_bus("import"), 0.0).sum() * year.step_h
    return PowerLimit(power, limited_by, float(bought))
