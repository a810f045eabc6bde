"""Fade: rainflow against the standard's example, power laws, the calendar."""

import numpy as np
import pytest

from calm_relay.physics.fade import (
    Cycles,
    calendar_fade,
    count_cycles,
    cycle_fade,
    cycles_at,
    life_exponent,
    turning_points,
)


def test_turning_points_keep_ends_and_turns():
    assert turning_points([1.0, 2.0, 2.0, 3.0, 1.0, 1.0, 2.0]).tolist() == [1.0, 3.0, 1.0, 2.0]
    assert turning_points([1.0, 1.0, 1.0]).tolist() == [1.0]
    assert turning_points([0.0, 1.0]).tolist() == [0.0, 1.0]


def test_a_full_cycle_a_day_counts_as_one_a_day():
    day = np.concatenate([np.linspace(0.1, 0.9, 48), np.linspace(0.9, 0.1, 48)])
    cycles = count_cycles(np.tile(day, 365))
    assert cycles.full_equivalent == pytest.approx(365 * 0.8, rel=0.01)
    spent = cycles.by_depth()
    assert spent.sum() == pytest.approx(cycles.full_equivalent)
    assert spent.argmax() in {7, 8}


def test_a_battery_that_does_not_move_has_no_cycles():
    cycles = count_cycles(np.full(100, 0.4))
    assert cycles.full_equivalent == 0.0
    assert cycle_fade(cycles, [0.8], [6000], 0.8) == 0.0


def test_between_its_points_life_runs_straight_in_logarithms_and_one_point_is_equal_energy():
    depths, lives = [0.8, 0.15], [650.0, 3250.0]
    assert cycles_at([0.8, 0.15], depths, lives) == pytest.approx([650.0, 3250.0])
    middle = np.sqrt(0.8 * 0.15)
    assert cycles_at(middle, depths, lives) == pytest.approx(np.sqrt(650.0 * 3250.0))
    assert cycles_at([0.4, 0.8], [0.8], [6000.0]) == pytest.approx([12000.0, 6000.0])


def test_the_life_of_cycles_takes_its_share_and_shallow_ones_take_less():
    whole = Cycles(np.array([0.8]), np.array([7000.0]))
    assert cycle_fade(whole, [0.8, 1.0], [7000.0, 5000.0], 0.8) == pytest.approx(0.2)
    shallow = Cycles(np.array([0.4]), np.array([7000.0]))
    assert cycle_fade(shallow, [0.8, 1.0], [7000.0, 5000.0], 0.8) < 0.1
    assert whole.of(0.5).depth[0] == pytest.approx(0.4)


def test_standing_takes_the_root_of_time_and_warmth_takes_more():
    assert calendar_fade(10.0, 25.0, 0.1) == pytest.approx(0.1)
    assert calendar_fade(2.5, 25.0, 0.1) == pytest.approx(0.05)
    assert calendar_fade(10.0, 35.0, 0.1) == pytest.approx(0.1 * np.sqrt(2.0))
    assert calendar_fade(0.0, 25.0, 0.1) == 0.0


def test_the_exponent_of_lead_acid():
    """650 cycles at 80 % and 3,250 at 15 %: near 0.96 (common practice, no source)."""
    assert life_exponent([0.8, 0.15], [650.0, 3250.0]) == pytest.approx(0.96, abs=0.005)
    assert life_exponent([0.8], [650.0]) == 1.0
