"""A house found behind its array from what came from the grid, against arrays of which all is known."""

import numpy as np
import pytest

from calm_relay.physics.net_use import MOST_RUNS, Window, scales_behind

STEPS = 365 * 96
HOUR = np.arange(STEPS) % 96 / 4.0
SUN = np.maximum(np.sin((HOUR - 6.0) / 12.0 * np.pi), 0.0) * 4.0
SHAPE = 0.3 + 0.5 * ((HOUR > 17.0) & (HOUR < 22.0))
MONTHS = np.array_split(np.arange(365), 12)


def beside(made_kw, most_out_kw=np.inf):
    runs = []

    def exchange(kw):
        runs.append(kw)
        return np.maximum(kw - made_kw, 0.0), np.minimum(np.maximum(made_kw - kw, 0.0), most_out_kw)

    exchange.runs = runs
    return exchange


def by_months(kw):
    daily = kw.reshape(365, 96).sum(axis=1) * 0.25
    return [daily[days].sum() for days in MONTHS]


@pytest.fixture
def house():
    """A scale for each month."""
    return np.linspace(0.5, 2.5, 12)


def power_of(house):
    return SHAPE * np.repeat(np.concatenate([np.full(d.size, s) for d, s in zip(MONTHS, house, strict=True)]), 96)


@pytest.mark.parametrize("balance", [False, True])
def test_a_house_is_found_from_its_months(house, balance):
    exchange = beside(SUN)
    came, went = (by_months(flow) for flow in exchange(power_of(house)))
    counted = np.subtract(came, went) if balance else came
    windows = [Window(days, kwh, balance) for days, kwh in zip(MONTHS, counted, strict=True)]
    found = scales_behind(SHAPE, 0.25, windows, exchange)
    assert found.scales == pytest.approx(house, rel=0.005)
    assert found.in_kwh == pytest.approx(came, rel=0.002)
    assert len(exchange.runs) < 12


def test_an_export_limit_does_not_lead_astray(house):
    exchange = beside(SUN, 1.0)
    came, went = (by_months(flow) for flow in exchange(power_of(house)))
    windows = [Window(days, i - o, True) for days, i, o in zip(MONTHS, came, went, strict=True)]
    assert scales_behind(SHAPE, 0.25, windows, exchange).scales == pytest.approx(house, rel=0.01)


def test_without_an_array_a_house_uses_what_it_takes():
    found = scales_behind(SHAPE, 0.25, [Window(np.arange(365), 4000.0)], beside(np.zeros(STEPS)))
    assert found.scales[0] * SHAPE.sum() * 0.25 == pytest.approx(4000.0, rel=0.002)


def test_less_than_a_house_at_rest_takes_comes_to_rest():
    idle = beside(SUN)

    def exchange(kw):
        taken, sent = idle(kw)
        return taken + 0.1, sent

    found = scales_behind(SHAPE, 0.25, [Window(np.arange(365), 500.0)], exchange)
    assert found.scales[0] == pytest.approx(0.0, abs=1e-6) and found.in_kwh[0] == pytest.approx(876.0)
    assert len(idle.runs) < MOST_RUNS


def test_of_a_day_in_two_bills_the_later_counts_and_bare_days_go_with_the_rest(house):
    exchange = beside(SUN)
    whole = by_months(exchange(power_of(house))[0])
    # March is told twice, first wrongly, and from October on nothing is.
    told = [Window(MONTHS[2], 10.0)] + [Window(d, k) for d, k in zip(MONTHS[:9], whole[:9], strict=True)]
    found = scales_behind(SHAPE, 0.25, told, exchange)
    assert found.scales[1:] == pytest.approx(house[:9], rel=0.005)
    last = exchange.runs[-1].reshape(365, 96).sum(axis=1) / SHAPE.reshape(365, 96).sum(axis=1)
    assert last[300:].std() == pytest.approx(0.0, abs=1e-9) and last[300] == pytest.approx(
        last[:273].mean(), rel=0.01
    )


def test_nothing_counted_of_nothing_shaped_is_no_fault():
    found = scales_behind(np.zeros(STEPS), 0.25, [Window(np.arange(365), 0.0)], beside(SUN))
    assert found.scales[0] == 0.0
