"""What unlike faces lose when their strings hang in parallel on one tracker."""

from functools import lru_cache

import numpy as np

from calm_relay.physics.iv_curve import Amount, CurvePoints, parallel_mismatch, points_at
from calm_relay.planning.strings.stringing import Input, StringRun

# Every so many steps of the year are looked at, and only those with light worth converting.
EVERY, WORTH_KW_PER_KWP = 31, 0.03


def run_points(run: StringRun, irradiance: Amount, cell_c: Amount) -> CurvePoints[Amount]:
    """Short-circuit, maximum-power and open-circuit points of one string of a run [A, V], of a moment or of many."""
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
    light = np.array([run.face.made.dc_kw[::EVERY] / run.face.rated_kw for run in runs])
    worth = light.max(axis=0) > WORTH_KW_PER_KWP
    lit = light[:, worth]
    power = np.array([run.kw for run in runs]) @ lit
    if not power.sum() > 0.0:
        return 0.0
    strings = [
        (run_points(run, np.maximum(1000.0 * own, 1.0), run.face.made.cell_c[::EVERY][worth]), run.parallel)
        for run, own in zip(runs, lit, strict=True)
    ]
    return float(power @ parallel_mismatch(strings) / power.sum())
