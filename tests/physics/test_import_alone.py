"""A house behind its array from what came in alone, against houses of which all is known."""

import numpy as np
import pytest

from calm_relay.physics.demand_shape import shaped_year
from calm_relay.physics.import_alone import house_behind_import, on_days_of_import

STEPS = 365 * 96
STEP = np.arange(STEPS)
HOUR = STEP % 96 / 4.0
DAY = STEP // 96
MONTH = np.repeat(np.repeat(np.arange(1, 13), (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)), 96)
SUN = np.maximum(np.cos((HOUR - 12.5) / 12.0 * np.pi) + 0.25 * np.cos((DAY - 172) / 365 * 2 * np.pi), 0.0)
ZENITH = np.where(SUN > 0.0, 60.0, 100.0)


def array_kw(seed, kwp=4.0):
    """Days of every kind from dark to clear."""
    clear = np.random.default_rng(seed).beta(0.9, 0.7, 365)
    return kwp * 0.75 * SUN * np.repeat(clear, 96)


def house(kwh, shape):
    return shaped_year(kwh, 1.3, 50.0, STEP % 96 * 15, DAY % 7, 0.25, 5, shape)


def counted(kw, minutes):
    """What a meter of such intervals shows of power on quarter hours."""
    each = minutes // 15
    return np.repeat(kw.reshape(-1, each).mean(axis=1), each)


@pytest.mark.parametrize("minutes", [15, 30, 60])
@pytest.mark.parametrize("shape", ["household", "all-electric", "small shop"])
@pytest.mark.parametrize("kwh", [2500.0, 5200.0, 9000.0])
def test_a_house_is_found_from_its_import(kwh, shape, minutes):
    drawn, made = house(kwh, shape), array_kw(3)
    came = counted(np.maximum(drawn - made, 0.0), minutes)
    found = house_behind_import(came, made, ZENITH, MONTH, minutes)
    # Import alone is a third to a half less.
    assert came.sum() < 0.75 * drawn.sum()
    assert found.kw.sum() == pytest.approx(drawn.sum(), rel=0.08)
    assert found.kw[found.unseen].sum() == pytest.approx(drawn[found.unseen].sum(), rel=0.25)
    assert np.all(found.kw >= came - 1e-9) and np.all(found.kw <= came + made + 1e-9)


def test_without_an_array_a_house_is_its_import():
    drawn = house(4000.0, "household")
    found = house_behind_import(drawn, np.zeros(STEPS), ZENITH, MONTH, 30)
    assert found.kw == pytest.approx(drawn) and not found.unseen.any()


def test_a_meter_that_shows_nothing_all_year_is_no_fault():
    found = house_behind_import(np.zeros(STEPS), array_kw(3), ZENITH, MONTH, 30)
    assert np.isfinite(found.kw).all() and found.kw.max() < 0.01


def test_days_of_a_modelled_array_are_laid_on_those_of_the_meter():
    made, other = array_kw(3), array_kw(8)
    came = np.maximum(house(5200.0, "household") - made, 0.0)
    laid = on_days_of_import(other, came, MONTH)
    for number in range(1, 13):
        assert laid[number == MONTH].sum() == pytest.approx(other[number == MONTH].sum())
    alike = [np.corrcoef(series.reshape(365, 96).sum(axis=1), made.reshape(365, 96).sum(axis=1))[0, 1]
             for series in (laid, other)]  # fmt: skip
    assert alike[0] > 0.8 > 0.3 > alike[1]
