"""Hand-made figures for strings and money."""

import numpy as np
import pytest

from calm_relay.physics.money import payback_years, present_value, yearly_bill
from calm_relay.physics.strings import cold_open_circuit_v, cold_table_factor, hot_max_power_v


def test_string_voltages_move_with_temperature():
    assert cold_open_circuit_v(40.0, -0.003, 10, -10.0) == pytest.approx(400 * 1.105)
    assert hot_max_power_v(32.0, -0.004, 10, 65.0) == pytest.approx(320 * 0.84)


def test_the_table_method_steps_by_bands_and_ends():
    assert [cold_table_factor(t) for t in (30, 24, 0, -0.5, -40)] == [1.0, 1.02, 1.10, 1.12, 1.25]
    with pytest.raises(ValueError, match="-40"):
        cold_table_factor(-41)


def test_a_bill_adds_energy_and_standing_charge_and_pays_for_export():
    imported, exported = np.array([2.0, 0.0, 1.0, 0.0]), np.array([0.0, 4.0, 0.0, 0.0])
    bill = yearly_bill(imported, exported, np.array([0.1, 0.1, 0.5, 0.5]), 0.05, 24.0, 1.0)
    assert bill == pytest.approx(2 * 0.1 + 1 * 0.5 - 4 * 0.05 + 24.0 * 4 / 24)


def test_payback_and_present_value_at_their_edges():
    assert payback_years([-1000, *[100] * 12]) == 10
    assert payback_years([-1000, -1, -1]) is None
    assert payback_years([0, 100]) == 0
    assert present_value([-1000, *[100] * 10], 0.0) == pytest.approx(0.0)
