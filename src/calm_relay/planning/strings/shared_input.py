"""What unlike faces lose when their strings hang in parallel on one tracker."""

from functools import lru_cache

import numpy as np

from calm_relay.physics.iv_curve import CurvePoints, parallel_mismatch, points_at
from calm_relay.planning.strings.stringing import Input, StringRun

# Every so many steps of the year are looked at, and only those with light worth converting.
EVERY, WORTH_KW_PER_KWP = 31, 0.03


def run_points(run: StringRun, irradiance: float, cell_c: float) -> CurvePoints:
    """Short-circuit, maximum-power and open-circuit points of one string of a run [A, V]."""
    module = run.module
    return points_at(
        module.short_circuit_a,
        module.max_power_a,
        module.max_power_v,
        module.open_circuit_v,
        isc_per_c=module.isc_per_c,
        vmp_per_c=module.vmp_per_c,
        voc_per_c=module.voc_per_c,
        irradiance=irradiance,
        cell_c=cell_c,
        in_series=run.in_series,
    )


def shared_loss(item: Input) -> float:
    """Share of the year's energy that an input's unlike faces lose against a tracker for each; 0 for one face."""
    return _shared_loss(item.runs) if item.is_mixed else 0.0


@lru_cache(maxsize=32)
def _shared_loss(runs: tuple[StringRun, ...]) -> float:
    light = [run.face.made.dc_kw[::EVERY] / run.face.rated_kw for run in runs]
    cells = [run.face.made.cell_c[::EVERY] for run in runs]
    weight = lost = 0.0
    for t in np.flatnonzero(np.max(light, axis=0) > WORTH_KW_PER_KWP):
        strings = [
            (run_points(run, max(1000.0 * lit[t], 1.0), cell[t]), run.parallel)
            for run, lit, cell in zip(runs, light, cells, strict=True)
        ]
        power = sum(lit[t] * run.kw for run, lit in zip(runs, light, strict=True))
        weight += power
        lost += power * parallel_mismatch(strings)
    return float(lost / weight) if weight > 0 else 0.0
