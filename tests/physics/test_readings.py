"""What is read off a run's series, against NumPy's own sums."""

import numpy as np
import pytest

from calm_relay.physics.plant.readings import BLOCK, bus_totals, given_by, phase_peaks, priced


@pytest.mark.parametrize("steps", [0, 1, BLOCK - 1, BLOCK, BLOCK + 1, 35_040])
def test_sums_of_a_bus_are_those_of_numpy(steps):
    rng = np.random.default_rng(steps)
    home, imported, exported, price, feed_in = rng.uniform(0.0, 9.0, (5, steps))
    *sums, highest, most = bus_totals(home, imported, exported)
    assert sums == pytest.approx([home.sum(), imported.sum(), exported.sum()], rel=1e-14)
    assert highest == (imported.max() if steps else 0.0)
    assert most == (exported.max() if steps else 0.0)
    paid, earned = priced(imported, price, exported, feed_in)
    assert paid == pytest.approx(float((imported * price).sum()), rel=1e-13)
    assert earned == pytest.approx(float((exported * feed_in).sum()), rel=1e-13)


def test_what_a_battery_gave_is_the_sum_of_its_falls():
    stored = np.array([3.0, 5.0, 4.0, 4.0, 1.0, 2.0])
    assert given_by(stored) == pytest.approx(4.0)
    level = np.random.default_rng(1).uniform(0.0, 10.0, 35_040)
    assert given_by(level) == pytest.approx(float(np.maximum(-np.diff(level), 0.0).sum()), rel=1e-12)


def test_the_most_of_each_phase_is_that_of_its_series():
    rng = np.random.default_rng(4)
    home, loads = rng.uniform(0.0, 3.0, (3, 500)), rng.uniform(0.0, 4.0, (2, 500))
    ac_side = np.stack([rng.uniform(-4.0, 6.0, (3, 500)), rng.uniform(0.0, 0.1, (3, 500))], axis=1)
    loads_on = np.array([[0.0, 1.0, 0.0], [1 / 3, 1 / 3, 1 / 3]])
    units_on = np.array([[1 / 3, 1 / 3, 1 / 3], [1.0, 0.0, 0.0], [1 / 3, 1 / 3, 1 / 3]])
    drawn = home + loads_on.T @ loads - units_on.T @ (ac_side[:, 0] - ac_side[:, 1])
    imported, exported = np.maximum(drawn.sum(axis=0), 0.0), np.maximum(-drawn.sum(axis=0), 0.0)
    peaks = phase_peaks(home, loads, loads_on, ac_side, units_on, imported, exported)
    assert peaks[0] == pytest.approx(drawn.max(axis=1), rel=1e-12)
    assert peaks[1] == pytest.approx(-drawn.min(axis=1), rel=1e-12)
    none = phase_peaks(np.zeros((3, 5)), loads[:0, :5], loads_on[:0], ac_side[:0], units_on[:0], *np.zeros((2, 5)))
    assert none.tolist() == [[0.0, 0.0, 0.0], [0.0, 0.0, 0.0]]
