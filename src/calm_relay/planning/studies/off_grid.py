"""An off-grid house: what its year leaves unmet, burns and throws away, and how big it should be."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from calm_relay.job.model import Job, RoofFace
from calm_relay.job.tariff import Costs
from calm_relay.physics.money import present_value
from calm_relay.physics.plant.generators import NO_GENERATORS
from calm_relay.physics.plant.inputs import run_survival, sum_inputs
from calm_relay.physics.plant.island_figures import SERVING
from calm_relay.planning.architecture.cost import cost_lines
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.fuel import fuel_litres
from calm_relay.planning.operation.island import forms_grid, island_of
from calm_relay.planning.operation.simulate import bill_of, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.battery_sweep import with_bank
from calm_relay.planning.verdict.option import Option, RefusedOption

AUTONOMY_DAYS = 14
ARRAY_FACTORS = (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0)


@dataclass(frozen=True, eq=False)
class OffGridYear:
    """A year off grid, read off.

    Energies are kWh, `litres` fuel. `autonomy_h` is usable energy over the worst season's mean load, as on the
    back of an envelope; `autonomy_worst_h` what a full battery lasts without sun and generator from the worst start
    of the year, `autonomy_mean_h` from the mean one. Series by month have twelve entries.
    """

    unmet_kwh: float
    unmet_share: float
    unserved_hours: float
    trips: int
    generator_hours: float
    generator_starts: int
    generator_kwh: float
    litres: float
    curtailed_kwh: float
    autonomy_h: float
    autonomy_mean_h: float
    autonomy_worst_h: float
    unmet_by_month: np.ndarray
    generator_by_month: np.ndarray
    curtailed_by_month: np.ndarray
    made_by_month: np.ndarray
    asked_by_month: np.ndarray
    longest_unserved_h: float
    longest_unserved_from: int | None


def off_grid_year_of(plan: Plan, option: Option | RefusedOption) -> OffGridYear | None:
    """What a year off grid comes to; None where there is one, or the option cannot be built."""
    if plan.job.supply.on_grid or isinstance(option, RefusedOption):
        return None
    year, calendar = option.outcome.island_year, plan.site.calendar
    month = calendar.month

    def by_month(series: np.ndarray) -> np.ndarray:
        return np.array([series[month == m].sum() for m in range(1, 13)]) * year.step_h

    generator_kwh = year.bus_kwh("import")
    first, longest = _longest(year.outage.state != SERVING)
    envelope, mean, worst = _autonomy(plan, option)
    return OffGridYear(
        year.unmet_kwh,
        option.outcome.unserved,
        year.unserved_hours,
        year.trips,
        year.generator_hours,
        year.generator_starts,
        generator_kwh,
        fuel_litres(year, plan.job),
        option.outcome.figures.curtailed_kwh,
        envelope,
        mean,
        worst,
        by_month(year.unmet),
        by_month(year.at_bus("import")),
        by_month(year.of("curtailed")),
        by_month(year.of("pv_dc")),
        by_month(year.outage.asked_kw),
        longest * year.step_h,
        first,
    )


def _longest(backup: np.ndarray) -> tuple[int | None, int]:
    """First step and length of the longest stretch; None and 0 without one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], backup, [False]]).astype(int)))
    if not edges.size:
        return None, 0
    lengths = edges[1::2] - edges[::2]
    at = int(lengths.argmax())
    return int(edges[::2][at]), int(lengths[at])


def _autonomy(plan: Plan, option: Option) -> tuple[float, float, float]:
    """Hours a full battery lasts by the envelope, and without sun from the mean and the worst start of the year."""
    converter = option.design.battery_converter
    if not forms_grid(converter):
        return 0.0, 0.0, 0.0
    island = island_of(option.design, plan.job, plan.demand)
    alone = replace(
        island,
        limits=island.limits._replace(generators=NO_GENERATORS),
        joins=np.zeros(island.joins.size, dtype=bool),
    )
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    inputs = replace(inputs, pv_kw=np.zeros(inputs.pv_kw.shape), island=alone)
    full = np.array([[inputs.plant[number].bank.usable_kwh] for number in island.forming])
    usable = float(full.sum())
    per_hour = round(1.0 / inputs.step_h)
    starts = np.arange(0, 8760, 6) * per_hour
    hours = run_survival(inputs, np.tile(full, starts.size), starts, AUTONOMY_DAYS * 24 * per_hour)
    worst_mean = float(island.load_kw[:, plan.demand.worst_season_steps].sum(axis=0).mean())
    return usable / max(worst_mean, 1e-9), float(hours.mean()), float(hours.min())


@dataclass(frozen=True, eq=False)
class Sizing:
    """Unmet share, generator hours and cost over packs and array, each of shape (packs, arrays).

    `cost` is the outlay and the fuel of the job's years at today's worth; `best` the cheapest place that leaves at
    most `target` unmet, None where none does; `here` the place of the option itself, None where it is not tried.
    """

    counts: tuple[int, ...]
    usable_kwh: np.ndarray
    factors: tuple[float, ...]
    array_kw: np.ndarray
    unmet: np.ndarray
    generator_hours: np.ndarray
    cost: np.ndarray
    allowed: np.ndarray
    target: float
    best: tuple[int, int] | None
    here: tuple[int, int] | None

    def apply(self, job: Job, place: tuple[int, int]) -> Job:
        """The job with the packs and modules of a place."""
        count, factor = self.counts[place[0]], self.factors[place[1]]
        faces = tuple(_grown(face, factor) for face in job.faces)
        return job.with_(battery=job.battery.with_(count=count), faces=faces, string_plans=())


def _grown(face: RoofFace, factor: float) -> RoofFace:
    """A face with so many times its modules, in strings of equal length."""
    if not face.will_be_there:
        return face
    return face.with_(count=face.strings * max(1, round(face.in_series * factor)))


def size_off_grid(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> Sizing | None:
    """Tries packs and array sizes on an option's units through the year; None on the grid.

    Units stay as they are: an array beyond what they allow is tried but not proposed.
    """
    if plan.job.supply.on_grid or isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if converter is None or not converter.is_new or not converter.battery_is_new:
        return None
    pack_, job = converter.bank.pack, plan.job
    counts = [
        count
        for count in range(pack_.count_min, pack_.count_max + 1)
        if not battery_refusals(replace(converter.bank, count=count), converter.inverter, job)
    ]
    if not counts:
        return None
    array_kw = sum(item.array_kw for item in option.design.converters)
    unmet, hours, cost = (np.zeros((len(counts), len(ARRAY_FACTORS))) for _ in range(3))
    usable = np.zeros(len(counts))
    for i, count in enumerate(counts):
        progress(i / len(counts), "Trying packs and modules")
        design = with_bank(option.design, replace(converter.bank, count=count))
        usable[i] = design.leader.bank.usable_kwh
        inputs = inputs_of(design, job, plan.site, plan.demand)
        outlay = sum(line.amount for line in cost_lines(design, job))
        for j, factor in enumerate(ARRAY_FACTORS):
            year: Any = sum_inputs(inputs.scaled(array=factor))
            unmet[i, j] = year.unmet_kwh / (year.unmet_kwh + year.bus_kwh("home"))
            hours[i, j] = year.generator_hours
            cost[i, j] = outlay + _modules(plan, factor) + _fuel(bill_of(year, job, plan.site), job.costs)
    allowed = np.tile(_allowed(option), (len(counts), 1))
    target = job.off_grid.unmet_max
    fit = allowed & (unmet <= target + 1e-12)
    best = None
    if fit.any():
        row, column = np.unravel_index(np.where(fit, cost, np.inf).argmin(), cost.shape)
        best = (int(row), int(column))
    here = (
        (counts.index(converter.bank.count), ARRAY_FACTORS.index(1.0)) if converter.bank.count in counts else None
    )
    return Sizing(
        tuple(counts),
        usable,
        ARRAY_FACTORS,
        array_kw * np.array(ARRAY_FACTORS),
        unmet,
        hours,
        cost,
        allowed,
        target,
        best,
        here,
    )


def _modules(plan: Plan, factor: float) -> float:
    """What more, or fewer, modules cost than those of the job."""
    costs = plan.job.costs
    return sum(
        (factor - 1.0) * face.plan.count * (face.module.price + costs.module_labour)
        for face in plan.faces
        if face.plan.will_be_there
    )


def _fuel(a_year: float, costs: Costs) -> float:
    rows = [a_year * (1.0 + costs.price_rise) ** year for year in range(costs.horizon_years)]
    return present_value([0.0, *rows], costs.discount_rate)


def _allowed(option: Option) -> np.ndarray:
    """Which array sizes the makers allow on the option's units, with every module on an input."""
    result, survey = [], option.context.survey
    for factor in ARRAY_FACTORS:
        fits = True
        for converter in option.design.converters:
            if converter.has_array and converter.inverter.pv:
                pv = converter.inverter.pv
                ratio = pv.ratio_max_with_battery if converter.has_battery else pv.ratio_max
                fits &= converter.array_kw * factor / converter.inverter.ac_kw <= ratio + 1e-9
                if fits and converter.micro is None:
                    grown = tuple(replace(face, plan=_grown(face.plan, factor)) for face in converter.faces)
                    fits &= not survey.lay(converter.inverter, grown).left_out
        result.append(fits)
    return np.array(result, dtype=bool)
