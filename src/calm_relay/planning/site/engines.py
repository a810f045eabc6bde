"""What the generators of a job give at its site."""

import numpy as np

from calm_relay.job.existing_supply import Generator
from calm_relay.job.model import Job
from calm_relay.physics.engine_power import engine_share
from calm_relay.physics.generator_fuel import litres_an_hour


def able_kw(generator: Generator, job: Job) -> float:
    """What a generator gives at the elevation of the job's site [kW]."""
    return generator.kw * engine_share(job.site.elevation_m, generator.full_power_to_m)


def tank_hours(generator: Generator, job: Job) -> float | None:
    """Hours that a full tank lasts at all it gives there [h]; None where it is not stated, or nothing is burnt."""
    able = able_kw(generator, job)
    burns = float(litres_an_hour(np.array(able), generator.kw, generator.litres_per_kwh, generator.no_load_share))
    return generator.tank_litres / burns if generator.tank_litres and burns > 0.0 else None
