"""Fuel of the generators that run: litres and money, each generator by what it gave and how long it ran."""

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.generator_fuel import litres_an_hour
from calm_relay.physics.plant.year import PlantBus


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


def _litres(run: PlantBus, job: Job) -> np.ndarray:
    """Fuel of each generator in each step, shape (generators, steps) [l]."""
    given = run.by_generator
    litres = np.zeros(given.shape)
    for place, item in enumerate(job.running_generators[: len(given)]):
        burns = litres_an_hour(given[place], item.kw, item.litres_per_kwh, item.no_load_share)
        litres[place] = burns * run.step_h
    return litres
