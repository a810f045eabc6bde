"""What a design's simulated year comes to: energies, money, what is left when the grid fails."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from calm_relay.job.model import Job
from calm_relay.job.survey import BatteryPlace
from calm_relay.physics.fade import DOUBLES_PER_C, REFERENCE_C, left_by_year
from calm_relay.physics.kept import kept
from calm_relay.physics.money import payback_years, present_value
from calm_relay.physics.plant.inputs import Inputs
from calm_relay.physics.plant.island import IslandYear
from calm_relay.physics.plant.readings import given_by, imported_while_held
from calm_relay.physics.plant.year import PlantBus, PlantSums, PlantYear
from calm_relay.physics.shares import shares_of
from calm_relay.planning.architecture.bus_rating import place_served
from calm_relay.planning.architecture.cost import CostLine, cost_lines
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.backed_up_loads import asked_where_served, served_share
from calm_relay.planning.operation.finance import (
    ENERGY,
    EXPORT,
    LEAST_LEFT,
    OUTAGES,
    bill_kinds,
    bill_of_kinds,
    in_force,
    money_rows,
    replaced_after,
)
from calm_relay.planning.operation.fuel import HOURS_A_YEAR, stand_in, stand_in_cost
from calm_relay.planning.operation.island import forming_kw
from calm_relay.planning.operation.lasting import LastingStarts, lasting_starts
from calm_relay.planning.operation.path_efficiency import Paths, paths_of
from calm_relay.planning.operation.simulate import old_year_of
from calm_relay.planning.site.battery_temperature import battery_air_c
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.site_year import SiteYear


@dataclass(frozen=True)
class YearFigures:
    """Energies of a year [kWh] and the two shares made of them.

    `self_sufficiency` is 1 - import/home; `self_use` is 1 - export/(PV less clipped and curtailed). Without a
    grid "import" is what the generator gives, and `unmet_kwh` what nobody serves.
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
    unmet_kwh: float


@dataclass(frozen=True)
class Money:
    """Bill, outlay and what becomes of them, in the job's currency; savings are against "as it is".

    `saving` is of the bill, `in_outages` what is saved a year of the fuel that a generator burns in outages,
    less what of the bill is not charged in them.

    `payback_years` and `npv` are of all that comes in and goes out over the years, `operation.finance`; `kinds` is the
    bill by what rises as one, and that fuel, `lost` what of the first year's saving of each is lost by the last
    year, and `last_kinds` that year's bill in today's prices, empty where it was not run.
    """

    bill: float
    outlay: float
    lines: tuple[CostLine, ...]
    saving: float
    payback_years: float
    npv: float
    kinds: dict[str, float] = field(default_factory=dict, hash=False)
    lost: dict[str, float] = field(default_factory=dict, hash=False)
    last_kinds: dict[str, float] = field(default_factory=dict, hash=False)
    in_outages: float = 0.0


@dataclass(frozen=True)
class Backup:
    """What the battery can do when the grid is down.

    `power_kw` is grid-down; `held_kwh` is what lies in the battery, at the AC side, in nine of ten night
    quarter-hours of the worst season; `hours` is that over the season's mean demand. `lasting` is the share of outages
    begun all through the year that it rides through for the hours the job wants, with the board as wired; `served` the
    share of what is to stay on that it reaches: a unit of one phase leaves two of three dark. `peak_kw` and `mean_kw`
    are the worst evening half hour and the worst season's mean of all that hangs where it reaches; `place` is the one
    of three that it reaches, empty where it reaches all.
    """

    power_kw: float
    held_kwh: float
    hours: float
    lasting: float
    served: float
    peak_kw: float
    mean_kw: float
    place: str = ""

    @property
    def hours_where_served(self) -> float:
        """Hours that what is held lasts with the mean of what hangs where it reaches."""
        return self.held_kwh / self.mean_kw if self.mean_kw > 0.0 else self.hours

    @property
    def kept_on(self) -> float:
        """Share of outages that it rides through, weighed by how much of what is to stay on it reaches."""
        return self.lasting * self.served


NO_BACKUP = Backup(0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class PowerLimit:
    """Power that all batteries give to the home [kW], what limits the one under discussion, and what that costs.

    `imported_kwh` is what the grid gave in the year while the battery gave power and still held charge.
    """

    power_kw: float
    limited_by: str
    imported_kwh: float
    batteries: int = 1

    @property
    def giver(self) -> str:
        """What gives it."""
        return "the battery" if self.batteries == 1 else f"the {self.batteries} batteries"


@dataclass(frozen=True, eq=False)
class Brief:
    """The figures by which a design is weighed; `self_sufficiency` is 1 - import/home.

    `unmet` is the share of the demand that is not served; None on the grid.
    """

    self_sufficiency: float
    money: Money
    backup: Backup
    unmet: float | None


@dataclass(frozen=True, eq=False)
class Outcome(Brief):
    """Everything simulated and counted for one design."""

    year: PlantYear | IslandYear
    figures: YearFigures
    battery: int | None
    limit: PowerLimit | None

    @cached_property
    def paths(self) -> Paths:
        """Path efficiencies, by way of the battery of the unit numbered `battery`."""
        return paths_of(self.year, self.battery)

    @property
    def controlled_kwh(self) -> float:
        """What the loads that a control starts and stops took in the year [kWh]."""
        return self.year.loads.kwh("taken") if self.year.loads.loads else 0.0

    @property
    def island_year(self) -> IslandYear:
        """The year of a site off grid."""
        assert isinstance(self.year, IslandYear), "it has no grid"
        return self.year

    @property
    def unserved(self) -> float:
        """The share of the demand that is not served off grid."""
        assert self.unmet is not None, "it has no grid"
        return self.unmet


def outcome_of(
    year: PlantYear,
    design: Design,
    job: Job,
    site: SiteYear,
    demand: DemandYear,
    now: Mapping[str, float] | None,
    lost: Mapping[str, float],
    ridden: float | None = None,
    left: np.ndarray | None = None,
    kinds: Mapping[str, float] | None = None,
) -> Outcome:
    """What a simulated year comes to; `now` is the bill of "as it is" by kind, None for that design itself.

    See `brief_of`.
    """
    battery = design.converters.index(design.battery_converter) if design.battery_converter else None
    brief = brief_of(year, design, job, site, demand, now, lost, ridden=ridden, left=left, kinds=kinds)
    figures = figures_of(year)
    if job.control.export_windows and job.tariff.stored_export and job.supply.on_grid:
        figures = _attributed(figures, year)
        brief = replace(brief, self_sufficiency=figures.self_sufficiency)
    more = figures, battery, _power_limit(design, year)
    return Outcome(brief.self_sufficiency, brief.money, brief.backup, brief.unmet, year, *more)


def brief_of(
    year: PlantBus,
    design: Design,
    job: Job,
    site: SiteYear,
    demand: DemandYear,
    now: Mapping[str, float] | None,
    lost: Mapping[str, float],
    backup: Backup | None = None,
    lasting: LastingStarts | None = None,
    ridden: float | None = None,
    lines: tuple[CostLine, ...] | None = None,
    left: np.ndarray | None = None,
    kinds: Mapping[str, float] | None = None,
) -> Brief:
    """The figures by which a design is weighed, from what its bus and batteries did.

    `backup` is what it can do in an outage, where that is known and has not changed; `lasting` the outages that it is
    held against, where they have been made ready; `ridden` the share of them ridden through, where they have been run;
    `lost` is `Money.lost`, `lines` are those of its cost, `left` is `battery_left`, `kinds` its year's `bill_kinds`,
    where they are known.
    """
    lines = cost_lines(design, job) if lines is None else lines
    left = battery_left(design, job, site, year) if left is None else left
    backup = _backup(design, year, job, demand, site, lasting, ridden) if backup is None else backup
    burnt = stand_in_cost(job, demand, backup.kept_on)
    kinds = bill_kinds(year, job, site) if kinds is None else kinds
    money = _money(design, job, kinds, now, lost, lines, left, burnt)
    unmet = None if job.supply.on_grid else year.unmet_kwh / (year.bus_kwh("home") + year.unmet_kwh)
    return Brief(self_sufficiency_of(year), money, backup, unmet)


def self_sufficiency_of(year: PlantBus) -> float:
    """Share of what the home asks that is neither imported, nor burnt, nor left unmet."""
    asked = year.bus_kwh("home") + year.unmet_kwh
    return max(0.0, 1.0 - (year.bus_kwh("import") + year.unmet_kwh) / asked)


def figures_of(year: PlantSums) -> YearFigures:
    """The year's energies from its flows."""
    losses = year.losses_kwh
    home, imported, exported = (year.bus_kwh(name) for name in ("home", "import", "export"))
    made = year.kwh("pv_dc")
    kept = made - losses["clipped"] - losses["curtailed"]
    return YearFigures(
        home_kwh=home,
        pv_dc_kwh=made,
        import_kwh=imported,
        export_kwh=exported,
        charge_kwh=year.kwh("charge"),
        discharge_kwh=year.kwh("discharge"),
        clipped_kwh=losses["clipped"],
        curtailed_kwh=losses["curtailed"],
        losses=losses,
        self_sufficiency=self_sufficiency_of(year),
        self_use=1.0 - exported / kept if kept > 0 else 0.0,
        unmet_kwh=year.unmet_kwh,
    )


def _attributed(figures: YearFigures, year: PlantYear) -> YearFigures:
    """The two shares where batteries sell: what they export is no more the home's, and what they bought is no sun."""
    shares = shares_of(year)
    step_h = year.step_h
    kept = figures.pv_dc_kwh - figures.clipped_kwh - figures.curtailed_kwh
    own = float((shares.pv_to_home + shares.pv_to_battery).sum() * step_h)
    needed = float((year.at_bus("home") + year.of("standby")).sum() * step_h)
    bought = float((shares.grid_to_home + shares.grid_to_battery).sum() * step_h)
    into = float((shares.pv_to_battery + shares.grid_to_battery).sum() * step_h)
    from_grid = float(shares.grid_to_battery.sum() * step_h) / into if into > 0 else 0.0
    by_grid = float(shares.grid_to_home.sum() * step_h) + from_grid * float(shares.battery_to_home.sum() * step_h)
    return replace(
        figures,
        self_use=min(max(own / kept, 0.0), 1.0) if kept > 0 else 0.0,
        self_sufficiency=min(max(1.0 - min(by_grid, bought) / needed, 0.0), 1.0) if needed > 0 else 0.0,
    )


def _money(
    design: Design,
    job: Job,
    kinds: Mapping[str, float],
    now: Mapping[str, float] | None,
    lost: Mapping[str, float],
    lines: tuple[CostLine, ...],
    middle: np.ndarray,
    burnt: float,
) -> Money:
    """Bill, outlay and worth; the first year's savings fade as battery and modules do, kind by kind.

    `kinds` is the first year's bill, `burnt` what fuel costs a year in outages that are not ridden through.
    """
    kinds = dict(kinds)
    if stand_in(job) is not None:
        # The simulated year has its grid in every hour: what it charges in those without one is not charged.
        kinds[OUTAGES] = burnt - job.finance.outage_hours / HOURS_A_YEAR * (kinds[ENERGY] + kinds[EXPORT])
    outlay = sum(line.amount for line in lines)
    saved = {kind: (now or kinds)[kind] - amount for kind, amount in kinds.items()}
    worn = replaced_after(design, job, middle)
    shape = _fading_shape(middle, worn)
    by_year = {kind: amount - shape * lost.get(kind, 0.0) for kind, amount in saved.items()}
    by_year = in_force(job, by_year)
    rows = money_rows(design, job, outlay, by_year, middle if worn is None else _renewed(middle, worn), worn)
    net = np.sum(list(rows.values()), axis=0)
    return Money(
        bill_of_kinds(kinds),
        outlay,
        lines,
        bill_of_kinds(saved),
        _payback(net),
        present_value(net, job.costs.discount_rate),
        kinds,
        dict(lost),
        in_outages=saved.get(OUTAGES, 0.0),
    )


def begun_with(middle: np.ndarray) -> np.ndarray:
    """What a battery holds when each year begins, from what it holds in the middle of each, shape (years,)."""
    return np.concatenate([[1.0], 0.5 * (middle[:-1] + middle[1:])])


def _renewed(series: np.ndarray, worn: int) -> np.ndarray:
    """A series by age once more from the year in which the packs are new again."""
    return np.concatenate([series[:worn], series[: series.size - worn]])


def _fading_shape(middle: np.ndarray, worn: int | None) -> np.ndarray:
    """How far each year is on the way from the first year's saving to the last's, 0 to 1, shape (years,)."""
    begun = begun_with(middle)
    lost = 1.0 - begun[-1]
    shape = (1.0 - begun) / lost if lost > 1e-6 else np.linspace(0.0, 1.0, middle.size)
    return shape if worn is None else _renewed(shape, worn)


def aged_kinds(
    inputs: Inputs,
    left: np.ndarray,
    job: Job,
    site: SiteYear,
    ageing: float,
    run: Callable[[Inputs], PlantBus] = old_year_of,
) -> dict[str, float]:
    """A design's bill by kind in the last of the job's years, in today's prices, all as old as it is then.

    Parameters
    ----------
    inputs : Inputs
        Of its first year.
    left : ndarray, shape (years,)
        From `battery_left`.
    job : Job
        The job.
    site : SiteYear
        Its year.
    ageing : float
        What the modules lose a year.
    run : callable
        Runs the last year.
    """
    years = job.costs.horizon_years
    old = inputs.faded(float(begun_with(left)[-1])).scaled(array=(1.0 - ageing) ** (years - 1))
    return bill_kinds(run(old), job, site)


def lost_of(
    first: Mapping[str, float], last: Mapping[str, float], now: Mapping[str, float], now_last: Mapping[str, float]
) -> dict[str, float]:
    """What of the first year's saving is lost by the last year, by kind of bill, in today's prices [currency].

    Parameters
    ----------
    first, last : mapping of str to float
        The design's bill by kind in the first and the last year.
    now, now_last : mapping of str to float
        That of "as it is".
    """
    return {kind: (now[kind] - amount) - (now_last[kind] - last[kind]) for kind, amount in first.items()}


def _payback(net: np.ndarray) -> float:
    """Years until what came in equals what went out; beyond the last year at its pace, infinite where it has none."""
    within = payback_years(net)
    if within is not None:
        return within
    lacking, pace = -float(net.sum()), float(net[-1])
    return net.size - 1 + lacking / pace if pace > 0.0 else float("inf")


def battery_left(design: Design, job: Job, site: SiteYear, year: PlantBus) -> np.ndarray:
    """Share of the new battery's energy in the middle of each of the job's years, shape (years,); 1 without one.

    As by the first year's throughput; `studies.battery_ageing` runs each year by itself and counts its cycles.
    """
    years, converter = job.costs.horizon_years, design.battery_converter
    if converter is None or not converter.battery_is_new:
        return np.ones(years)
    number, pack = design.converters.index(converter), converter.bank.pack
    given = given_by(year.stored[number])
    usable, nominal = converter.bank.usable_kwh, converter.bank.nominal_kwh
    depth = min(max(given / 365.0 / usable, 0.02), 1.0) * pack.depth_of_discharge
    left = left_by_year(
        years,
        _as_warm_as_c(job.battery_place, site),
        pack.calendar_fade,
        given / nominal,
        depth,
        [point.depth for point in pack.cycle_life],
        [point.cycles for point in pack.cycle_life],
        pack.cycles_to,
    )
    return np.maximum(left, LEAST_LEFT)


@kept
def _as_warm_as_c(place: BatteryPlace, site: SiteYear) -> float:
    """The steady temperature that ages a battery as the air of its place does [degC]."""
    pace = float(np.exp2((battery_air_c(place, site) - REFERENCE_C) / DOUBLES_PER_C).mean())
    return REFERENCE_C + DOUBLES_PER_C * float(np.log2(pace))


def _backup(
    design: Design,
    year: Any,
    job: Job,
    demand: DemandYear,
    site: SiteYear,
    lasting: LastingStarts | None,
    ridden: float | None,
) -> Backup:
    held = held_at_night(design, year, demand, site)
    if held is None:
        return NO_BACKUP
    if ridden is None:
        lasting = lasting or lasting_starts(design, job, demand, site)
        ridden = 0.0 if lasting is None else lasting.share(year)
    served = served_share(design, job, demand)
    hours, asked = held / demand.worst_season_mean_kw, asked_where_served(design, job, demand, site)
    return Backup(forming_kw(design), held, hours, ridden, served, *asked, place_served(design, job.supply))


def held_at_night(design: Design, year: PlantBus, demand: DemandYear, site: SiteYear) -> float | None:
    """What lies in the batteries that form a grid, at the AC side, in nine of ten nights of the worst season [kWh].

    None where no grid can be formed.
    """
    converter = design.battery_converter
    if converter is None or converter.inverter.backup is None:
        return None
    forming = design.forming
    bank, loss = year.plant[forming[0]].bank, year.plant[forming[0]].loss
    night = _night_steps(demand, site)
    stored = year.stored[forming[0]][night].copy()
    for number in forming[1:]:
        stored += year.stored[number][night]
    tenth = (stored.size - 1) // 10
    out = bank.discharge_efficiency * bank.dc_dc_efficiency * float(loss.efficiency(0.2))
    return float(np.partition(stored, tenth)[tenth]) * out


@kept
def _night_steps(demand: DemandYear, site: SiteYear) -> np.ndarray:
    """Numbers of the night steps of the worst season."""
    return np.flatnonzero(demand.worst_season_steps & site.night)


def _power_limit(design: Design, year: PlantYear | IslandYear) -> PowerLimit | None:
    converter = design.battery_converter
    if converter is None:
        return None
    number = design.converters.index(converter)
    power, limited_by = converter.gives
    beside = [other for other in design.converters if other.has_battery and other is not converter]
    power += sum(other.gives[0] for other in beside)
    part = year.plant[number].bank
    above = part.usable_kwh * (part.reserve + 0.02)
    imported = imported_while_held(
        year.stored[number], part.initial * part.usable_kwh, year.at_bus("import"), above
    )
    imported *= year.step_h
    return PowerLimit(power, limited_by, imported, 1 + len(beside))
