"""The home's demand by phase or leg: what hangs on one stands there, the rest is spread as the house is."""

import numpy as np

from calm_relay.job.model import Supply
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.loads import LoadsRun
from calm_relay.planning.site.demand import DemandYear

# Loads that hang on one phase or leg, each with its number: `Job.load_phases`.
Phases = tuple[tuple[str, int], ...]


def spread_of(supply: Supply) -> np.ndarray:
    """How the house is spread over the phases or legs of its service, shape (phases,)."""
    count = supply.circuit.live
    return np.array(supply.home_shares) if count == 3 else np.full(count, 1.0 / count)


@kept
def demand_by_phase(supply: Supply, phases: Phases, demand: DemandYear) -> np.ndarray:
    """What the home asks on each phase or leg, without what a control moves, shape (phases, steps) [kW]."""
    on = dict(phases)
    load_kw = np.zeros((supply.circuit.live, demand.kw.size))
    for part in demand.parts[1:]:
        if part.name in on:
            load_kw[on[part.name] - 1] += part.kw
    return load_kw + spread_of(supply)[:, None] * (demand.kw - load_kw.sum(axis=0))


def controlled_by_phase(supply: Supply, run: LoadsRun) -> np.ndarray:
    """What controlled loads took on each phase or leg, shape (phases, steps); the rest is spread evenly [kW]."""
    return np.asarray(loads_on_phases(supply, run).T @ run.kw)


def loads_on_phases(supply: Supply, run: LoadsRun) -> np.ndarray:
    """The share of each controlled load on each phase or leg, shape (loads, phases); none of one on a DC bus."""
    count = supply.circuit.live
    shares = np.zeros((len(run.loads), count))
    for share, load in zip(shares, run.loads, strict=True):
        if 0 < load.phase <= count and load.converter == 0:
            share[load.phase - 1] = 1.0
        elif load.converter == 0:
            share[:] = 1.0 / count
    return shares
