"""Latin hypercube draws and first-order indices against what is known of them.

Sources: McKay, Beckman and Conover 1979 (one draw in each part); Ishigami and Homma 1990, whose indices stand in
Saltelli et al. 2008, Global Sensitivity Analysis: S1 = 0.3139, S2 = 0.4424, S3 = 0 for a = 7, b = 0.1.
"""

import numpy as np
import pytest

from calm_relay.physics.sensitivity import first_order, latin_hypercube


@pytest.mark.parametrize("draws, inputs", [(100, 2), (500, 6), (1000, 3)])
def test_each_column_has_one_draw_in_each_part(draws, inputs):
    made = latin_hypercube(draws, inputs, 3)
    for column in made.T:
        assert sorted(np.floor(column * draws).astype(int)) == list(range(draws))
    # Mean and variance of a uniform draw: 1/2 and 1/12.
    assert made.mean(axis=0) == pytest.approx(0.5, abs=1.0 / draws)
    assert made.var(axis=0) == pytest.approx(1.0 / 12.0, rel=0.02)
    assert np.array_equal(made, latin_hypercube(draws, inputs, 3))


def test_the_indices_of_ishigamis_function():
    draws = (2.0 * latin_hypercube(8000, 3, 1) - 1.0) * np.pi
    x1, x2, x3 = draws.T
    result = np.sin(x1) + 7.0 * np.sin(x2) ** 2 + 0.1 * x3**4 * np.sin(x1)
    found = first_order(draws, result, bins=40)
    assert found == pytest.approx([0.3139, 0.4424, 0.0], abs=0.03)


def test_a_sum_of_inputs_is_parted_by_their_variances():
    draws = latin_hypercube(500, 3, 2)
    found = first_order(draws, 3.0 * draws[:, 0] + 1.0 * draws[:, 1])
    assert found == pytest.approx([0.9, 0.1, 0.0], abs=0.04)


def test_what_does_not_vary_varies_with_nothing():
    assert first_order(latin_hypercube(100, 2, 2), np.full(100, 7.0)).tolist() == [0.0, 0.0]
