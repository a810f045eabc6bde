"""The least a year can cost with the same hardware and perfect foresight, as a linear program.

Losses that do not grow in proportion are left out, so that the program may only be cheaper than the plant.
"""

import numpy as np
from scipy.optimize import linprog
from scipy.sparse import csr_matrix, diags, eye, hstack, vstack


def least_cost(plant, pv_kw, home_kw, step_h, price, feed_in, export_limit_kw):
    """Cost of import less export under the best dispatch.

    Variables of a converter and step: array used, charge, discharge (at the terminals), AC out, AC in, level.
    """
    steps = home_kw.size
    one, none = eye(steps, format="csr"), csr_matrix((steps, steps))
    before = diags([np.ones(steps - 1)], [-1], format="csr")
    columns, bounds, dc_rows, store_rows, store_given = [], [], [], [], []
    for row, part in enumerate(plant):
        battery = part.battery
        usable = battery.usable_kwh if battery else 0.0
        most = {
            "charge": battery.charge_kw if battery else 0.0,
            "discharge": battery.discharge_kw if battery else 0.0,
            "in": battery.from_ac_kw if battery else 0.0,
        }
        harvest = np.minimum(pv_kw[row] * part.tracker_efficiency, part.pv_limit_kw) * part.pv
        dc_dc = battery.dc_dc_efficiency if battery else 1.0
        into = battery.charge_efficiency if battery else 1.0
        out = battery.discharge_efficiency if battery else 1.0
        floor = min(battery.reserve, battery.initial) * usable if battery else 0.0
        bounds += [(0.0, value) for value in harvest]
        for high in (most["charge"], most["discharge"], part.ac_limit_kw, most["in"]):
            bounds += [(0.0, high)] * steps
        bounds += [(floor, usable)] * steps
        # What leaves the DC bus is no more than what reaches it.
        dc_rows.append(
            [-one, one / dc_dc, -one * dc_dc, one * (1 + part.loss.k1), -one * (1 - part.loss.k1), none]
        )
        store_rows.append([none, -one * into * step_h, one / out * step_h, none, none, one - before])
        first = np.zeros(steps)
        first[0] = battery.initial * usable if battery else 0.0
        store_given.append(first)
        columns.append([none, none, none, one, -one, none])
    count = len(plant)
    bounds += [(0.0, None)] * steps + [(0.0, export_limit_kw)] * steps

    def wide(blocks, row):
        return hstack([*([none] * 6 * row), *blocks, *([none] * 6 * (count - row - 1)), none, none])

    upper = vstack([wide(blocks, row) for row, blocks in enumerate(dc_rows)])
    equal = vstack(
        [wide(blocks, row) for row, blocks in enumerate(store_rows)]
        + [hstack([*(block for blocks in columns for block in blocks), one, -one])]
    )
    cost = np.concatenate([np.zeros(6 * count * steps), price * step_h, -np.full(steps, feed_in * step_h)])
    done = linprog(
        cost,
        A_ub=upper,
        b_ub=np.zeros(count * steps),
        A_eq=equal,
        b_eq=np.concatenate([*store_given, home_kw]),
        bounds=bounds,
        method="highs",
    )
    assert done.status == 0, done.message
    return done.fun
