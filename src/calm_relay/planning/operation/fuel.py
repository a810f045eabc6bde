"""Fuel of the generators that run: litres and money, each generator by what it gave and how long it ran."""

import numpy as np

from calm_relay.job.existing_supply import ON_CHANGEOVER, Generator
from calm_relay.job.model import Job
from calm_relay.physics.generator_fuel import litres_an_hour
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.engines import able_kw

HOURS_A_YEAR = 8760.0
# Share of the year without grid from which on a year that has it throughout misleads.
OFTEN_AWAY = 0.05


def fuel_by_generator(run: PlantBus, job: Job) -> tuple[float, ...]:
    """Fuel of each generator over a run [l]."""
    return tuple(float(litres) for litres in _litres(run, job).sum(axis=1))


def fuel_litres(run: PlantBus, job: Job) -> float:
    """Fuel of a run [l]."""
    return float(_litres(run, job).sum())


def fuel_cost(run: PlantBus, job: Job) -> float:
    """What the fuel of a run costs [currency]."""
    return float(fuel_cost_by_step(run, job).sum())


def fuel_cost_by_step(run: PlantBus, job: Job) -> np.ndarray:
    """What the fuel of each step of a run costs, shape (steps,) [currency]."""
    litres = _litres(run, job)
    prices = np.array([item.price_per_litre for item in job.running_generators[: len(litres)]])
    return np.asarray(prices @ litres) if prices.size else np.zeros(litres.shape[1])


def fuel_price(run: PlantBus, job: Job) -> float:
    """What a kWh of a run's generators costs in the mean, by the first of them where none ran [currency]."""
    kwh = float(run.by_generator.sum()) * run.step_h
    if kwh > 0.0:
        return fuel_cost(run, job) / kwh
    return job.generator.price_per_kwh if job.generator is not None else 0.0


def share_away(job: Job) -> float:
    """Share of the year in which the grid is away, where that is often; else nothing."""
    share = job.finance.outage_hours / HOURS_A_YEAR
    return share if job.supply.on_grid and share >= OFTEN_AWAY else 0.0


def stand_in(job: Job) -> Generator | None:
    """The generator that is switched over to by hand when the grid fails; None where none is."""
    if not job.supply.on_grid:
        return None
    return next((item for item in job.generators if item.on == ON_CHANGEOVER and not item.goes), None)


def stand_in_litres(job: Job, demand: DemandYear) -> float:
    """What the generator behind a changeover burns in the hours without grid of a year, at the mean demand [l]."""
    generator = stand_in(job)
    if generator is None:
        return 0.0
    mean_kw = np.array(min(demand.yearly_kwh / HOURS_A_YEAR, able_kw(generator, job)))
    an_hour = litres_an_hour(mean_kw, generator.kw, generator.litres_per_kwh, generator.no_load_share)
    return float(an_hour) * job.finance.outage_hours


def stand_in_cost(job: Job, demand: DemandYear, lasting: float) -> float:
    """What it burns in a year's outages that a battery does not ride through, a share [currency]."""
    generator = stand_in(job)
    if generator is None:
        return 0.0
    return (1.0 - lasting) * stand_in_litres(job, demand) * generator.price_per_litre


def _litres(run: PlantBus, job: Job) -> np.ndarray:
    """Fuel of each generator in each step, shape (generators, steps) [l]."""
    given = run.by_generator
    litres = np.zeros(given.shape)
    for place, item in enumerate(job.running_generators[: len(given)]):
        burns = litres_an_hour(given[place], item.kw, item.litres_per_kwh, item.no_load_share)
        litres[place] = burns * run.step_h
    return litres
