"""Loss curves fitted to datasheets."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.physics.conversion import LossCurve, fit_peak_and_weighted, fit_points


# The first example imports the solver.
@settings(deadline=None)
@given(k0=st.floats(0, 0.02), k1=st.floats(0, 0.05), k2=st.floats(0, 0.05))
def test_points_on_a_curve_give_the_curve_back(k0, k1, k2):
    curve = LossCurve(k0, k1, k2)
    loads = (0.05, 0.2, 0.5, 1.0)
    again = fit_points(loads, curve.efficiency(loads))
    assert again.efficiency(loads) == pytest.approx(curve.efficiency(loads), abs=1e-9)


def test_no_fitted_coefficient_is_negative():
    curve = fit_points((0.1, 0.2, 0.5, 1.0), (0.97, 0.975, 0.975, 0.96))
    assert min(curve.k0, curve.k1, curve.k2) >= 0


@pytest.mark.parametrize(
    ("loads", "efficiencies"), [((0.1, 0.5), (0.9, 0.95)), ((0.1, 0.5, 1.0), (0.9, 1.2, 0.9))]
)
def test_too_few_or_impossible_points_are_refused(loads, efficiencies):
    with pytest.raises(ValueError, match="wanted"):
        fit_points(loads, efficiencies)


@pytest.mark.parametrize(("weighting", "weighted"), [("european", 0.970), ("cec", 0.973)])
def test_peak_and_weighted_efficiency_are_both_met(weighting, weighted):
    curve = fit_peak_and_weighted(0.976, weighted, weighting, 0.4)
    loads = [i / 100 for i in range(2, 101)]
    best = max(loads, key=lambda load: curve.efficiency(load))
    assert curve.efficiency(best) == pytest.approx(0.976, abs=1e-6)
    assert best == pytest.approx(0.4, abs=0.011)
    assert curve.weighted_efficiency(weighting) == pytest.approx(weighted, abs=1e-9)


def test_contradicting_figures_are_refused_with_what_is_possible():
    with pytest.raises(ValueError, match=r"wanted \d+\.\d% to 97\.6%"):
        fit_peak_and_weighted(0.976, 0.80)


def test_a_rectifier_loses_what_the_polynomial_says():
    curve = LossCurve(0.01, 0.02, 0.03)
    assert curve.rectified_kw(2.0, 4.0) == pytest.approx(2.0 - 0.04 - 0.04 - 0.03)
    assert curve.rectified_kw(0.01, 4.0) == 0.0
