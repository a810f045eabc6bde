"""What is read off a run's series, against NumPy's own sums."""

import numpy as np
import pytest

from calm_relay.physics.plant.readings import BLOCK, bus_totals, given_by, priced


@pytest.mark.parametrize("steps", [0, 1, BLOCK - 1, BLOCK, BLOCK + 1, 35_040])
def test_sums_of_a_bus_are_those_of_numpy(steps):
    rng = np.random.default_rng(steps)
    home, imported, exported, price, feed_in = rng.uniform(0.0, 9.0, (5, steps))
    *sums, highest = bus_totals(home, imported, exported)
    assert sums == pytest.approx([home.sum(), imported.sum(), exported.sum()], rel=1e-14)
    assert highest == (imported.max() if steps else 0.0)
    paid, earned = priced(imported, price, exported, feed_in)
    assert paid == pytest.approx(float((imported * price).sum()), rel=1e-13)
    assert earned == pytest.approx(float((exported * feed_in).sum()), rel=1e-13)


def test_what_a_battery_gave_is_the_sum_of_its_falls():
    stored = np.array([3.0, 5.0, 4.0, 4.0, 1.0, 2.0])
    assert given_by(stored) == pytest.approx(4.0)
    level = np.random.default_rng(1).uniform(0.0, 10.0, 35_040)
    assert given_by(level) == pytest.approx(float(np.maximum(-np.diff(level), 0.0).sum()), rel=1e-12)
