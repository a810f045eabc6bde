"""Fuel of the generators that run: litres and money, each generator by what it gave."""

import numpy as np

from calm_relay.job.existing_supply import litres_of
from calm_relay.job.model import Job
from calm_relay.physics.plant.year import PlantBus


def generator_kwh(run: PlantBus) -> tuple[float, ...]:
    """Energy of each generator over a run [kWh]."""
    return tuple(float(kwh) for kwh in run.by_generator.sum(axis=1) * run.step_h)


def fuel_litres(run: PlantBus, job: Job) -> float:
    """Fuel of a run [l]."""
    kwh = generator_kwh(run)
    return litres_of(job.running_generators[: len(kwh)], kwh)


def fuel_cost(run: PlantBus, job: Job) -> float:
    """What the fuel of a run costs [currency]."""
    return float(fuel_cost_by_step(run, job).sum())


def fuel_cost_by_step(run: PlantBus, job: Job) -> np.ndarray:
    """What the fuel of each step of a run costs, shape (steps,) [currency]."""
    given = run.by_generator
    prices = np.array([item.price_per_kwh for item in job.running_generators[: len(given)]])
    return (prices @ given if prices.size else np.zeros(given.shape[1])) * run.step_h


def fuel_price(run: PlantBus, job: Job) -> float:
    """What a kWh of a run's generators costs in the mean, by the first of them where none ran [currency]."""
    kwh = sum(generator_kwh(run))
    if kwh > 0.0:
        return fuel_cost(run, job) / kwh
    return job.generator.price_per_kwh if job.generator is not None else 0.0
