"""What a step of an island came to, booked for every converter."""

import numpy as np

from calm_relay.physics.compiling import inlined
from calm_relay.physics.plant.converter import drained_by, harvest_dc, inverter_dc
from calm_relay.physics.plant.flows import EXPORT, HOME, IMPORT, begin_step, book
from calm_relay.physics.plant.island_figures import SERVING, IslandRecord, Served


@inlined
def _harvested(c: np.ndarray, w: np.ndarray, j: int, pv_kw: np.ndarray, t: int) -> float:
    """Sets down what the array of a converter offers and what its tracker takes; returns the rest [kW]."""
    begin_step(w, j)
    if not c[j].has_pv:
        return 0.0
    offered = pv_kw[j, t]
    w[j].pv = offered
    w[j].tracker = offered * (1.0 - c[j].tracker_efficiency)
    harvest = harvest_dc(c, j, offered)
    w[j].clipped = offered - w[j].tracker - harvest
    return harvest


@inlined
def book_array(
    c: np.ndarray, w: np.ndarray, j: int, pv_kw: np.ndarray, ac_kw: np.ndarray, t: int, share: float
) -> None:
    """Sets down a converter on the bus that does not form it, with the share of its power that is used."""
    harvest = _harvested(c, w, j, pv_kw, t)
    full = ac_kw[j, t]
    drawn_full = harvest
    if full >= c[j].ac_limit_kw:
        drawn_full = min(inverter_dc(c, j, full), harvest)
    w[j].clipped += harvest - drawn_full
    ac = full * share
    drawn = min(inverter_dc(c, j, ac), drawn_full)
    w[j].curtailed = drawn_full - drawn
    w[j].inverter = drawn
    w[j].ac = ac


@inlined
def book_step(
    c: np.ndarray,
    w: np.ndarray,
    former: int,
    arrays_kw: tuple[np.ndarray, np.ndarray],
    switches: np.ndarray,
    t: int,
    joined_kw: tuple[float, float],
    served: Served,
    step_h: float,
    page: np.ndarray,
    row: int,
) -> None:
    """Books a step for every converter.

    `arrays_kw` are the arrays' DC power and the AC power they could give, `joined_kw` the sums of what follows the
    frequency and of what is only on or off, the latter named by `switches`.
    """
    smooth, switched = joined_kw
    on = served.used >= switched - 1e-9
    share = 0.0
    if smooth > 1e-12:
        share = min(max((served.used - (switched if on else 0.0)) / smooth, 0.0), 1.0)
    pv_kw, ac_kw = arrays_kw
    for j in range(c.size):
        if j == former:
            harvest = _harvested(c, w, j, pv_kw, t)
            w[j].curtailed = harvest - served.from_pv - served.into - served.on_dc
            w[j].charge = served.into
            w[j].rectifier = served.rectified
            w[j].discharge = served.given
            w[j].inverter = served.from_pv
            w[j].ac = served.ac
        else:
            book_array(c, w, j, pv_kw, ac_kw, t, (1.0 if on else 0.0) if switches[j] else share)
        w[j].stored = book(c, w, j, w[j].stored, step_h, page, row)
    w[former].stored = min(max(w[former].stored, 0.0), c[former].usable_kwh)


@inlined
def tell_step(
    out: IslandRecord,
    k: int,
    want: float,
    state: int,
    cause: int,
    served: Served,
    offered: float,
    running: np.ndarray,
    able_kw: np.ndarray,
    generator_kw: float,
    shed: np.ndarray,
) -> None:
    """Books what a step came to beside the flows of the converters."""
    bus = out.book.bus
    bus[HOME, k], bus[IMPORT, k], bus[EXPORT, k] = want, served.generator, 0.0
    for g in range(out.generators.shape[0]):
        mine = able_kw[g] if running[g] else 0.0
        out.generators[g, k] = served.generator * mine / generator_kw if mine > 0.0 else 0.0
    out.state[k], out.cause[k] = state, cause
    out.ac_offered[k], out.ac_used[k] = offered, served.used
    for i in range(shed.size):
        out.on[k, i] = state == SERVING and not shed[i]


@inlined
def energy_after(c: np.ndarray, w: np.ndarray, former: int, served: Served, step_h: float) -> float:
    """Energy in the former's battery after a step of which no flow is kept [kWh]."""
    into = (served.into + served.rectified) * c[former].dc_dc_efficiency * c[former].charge_efficiency
    given = drained_by(c, former, served.given * c[former].per_dc_dc)
    return min(max(w[former].stored + (into - given) * step_h, 0.0), c[former].usable_kwh)
