"""What each phase or leg of the service carries."""

from functools import lru_cache

import numpy as np

from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.model import Job, Supply
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.backed_up_loads import whole_house
from calm_relay.planning.site.demand import DemandYear

COUNT = {"single": 1, "split": 2, "three": 3}


def units_by_phase(design: Design, job: Job) -> np.ndarray:
    """Share of each unit's AC power on each phase or leg, shape (units, phases)."""
    supply, count = job.supply, COUNT[job.supply.phases]
    shares = np.full((len(design.converters), count), 1.0 / count)
    if supply.phases == "three":
        for number, converter in enumerate(design.converters):
            if converter.inverter.phases == "single":
                shares[number] = np.eye(3)[supply.single_on - 1]
    return shares


def import_by_phase(design: Design, job: Job, demand: DemandYear, year: PlantYear) -> np.ndarray:
    """What each phase or leg draws from the grid, shape (phases, steps) [kW]; 0 where it feeds.

    The house is spread as its circuits are, else evenly over two legs and by the job's shares over three phases; units
    give and draw on the phases they hang on.
    """
    load_kw = _house_by_phase(job.backup_board, job.supply, demand).copy()
    ac_kw = np.array([year.of("ac", number) for number in range(len(design.converters))])
    standby_kw = np.array([year.of("standby", number) for number in range(len(design.converters))])
    if ac_kw.size:
        load_kw -= units_by_phase(design, job).T @ (ac_kw - standby_kw)
    return np.maximum(load_kw, 0.0)


@lru_cache(maxsize=8)
def _house_by_phase(backup_board: BackupBoard | None, supply: Supply, demand: DemandYear) -> np.ndarray:
    count = COUNT[supply.phases]
    spread = np.array(supply.home_shares) if count == 3 else np.full(count, 1.0 / count)
    load_kw = np.zeros((count, demand.kw.size))
    if backup_board is not None:
        house = whole_house(backup_board, supply, demand)
        load_kw += house.legs[:, :count].T @ house.kw
    # Circuits need not hold all of the house: the rest is spread as the house is.
    load_kw += spread[:, None] * (demand.kw - load_kw.sum(axis=0))
    return load_kw
