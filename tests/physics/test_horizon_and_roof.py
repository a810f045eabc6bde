"""Horizon lines, modules in rectangles, and current over voltage."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.physics.horizon import horizon_elevation, sky_view, sun_is_hidden
from calm_relay.physics.iv_curve import CurvePoints, parallel_mismatch, points_at, string_current
from calm_relay.physics.packing import pack_rectangle
from calm_relay.physics.strings import reverse_current_a, string_fuse_a
from calm_relay.physics.sun import SunPath


def test_the_line_runs_straight_between_points_and_closes_over_north():
    azimuths, heights = [10.0, 350.0], [4.0, 8.0]
    assert horizon_elevation([10.0, 350.0, 0.0, 360.0], azimuths, heights) == pytest.approx([4, 8, 6, 6])
    assert horizon_elevation(180.0, azimuths, heights) == pytest.approx(6.0)
    assert horizon_elevation([5.0, 200.0], [], []) == pytest.approx([0, 0])


def test_the_sun_is_hidden_below_the_line_only_when_it_is_up():
    sun = SunPath(np.array([80.0, 80.0, 95.0, 40.0]), np.array([90.0, 270.0, 90.0, 90.0]), np.full(4, 1361.0))
    hidden = sun_is_hidden(sun, [0.0, 89.0, 91.0, 180.0], [0.0, 15.0, 15.0, 0.0])
    assert hidden.tolist() == [True, False, False, False]


@pytest.mark.parametrize("height", [0.0, 10.0, 30.0, 60.0])
def test_a_level_ring_leaves_the_square_of_its_cosine(height):
    # Closed form for a horizontal plane under an isotropic sky: cos(h)^2.
    seen = sky_view(0.0, 0.0, [0.0, 180.0], [height, height])
    assert seen == pytest.approx(np.cos(np.radians(height)) ** 2, abs=0.02)


@given(st.floats(0, 90), st.floats(0, 359), st.lists(st.floats(0, 80), min_size=4, max_size=4))
def test_a_weather_view_is_a_share(tilt, azimuth, heights):
    assert 0.0 <= sky_view(tilt, azimuth, [0.0, 90.0, 180.0, 270.0], heights) <= 1.0


@pytest.mark.parametrize(
    ("layout", "rows", "columns", "upright"),
    [("upright", 2, 4, True), ("lying", 3, 2, False), ("best", 2, 4, True)],
)
def test_modules_are_packed_upright_or_lying(layout, rows, columns, upright):
    # 5.2 x 4.2 m less 0.3 m all round is 4.6 x 3.6 m, for modules of 1.7 x 1.1 m with 2 cm between.
    room = pack_rectangle(5.2, 4.2, 0.3, 0.02, 1.7, 1.1, layout)
    assert (room.rows, room.columns, room.upright) == (rows, columns, upright)
    assert room.count == rows * columns


def test_a_rectangle_too_small_holds_none():
    assert pack_rectangle(1.0, 1.0, 0.3, 0.02, 1.7, 1.1).count == 0
    assert pack_rectangle(0.5, 9.0, 0.3, 0.02, 1.7, 1.1).count == 0


@given(
    st.floats(1, 30),
    st.floats(1, 20),
    st.floats(0, 0.5),
    st.floats(0, 0.1),
    st.floats(1, 2.5),
    st.floats(0.5, 1.4),
)
def test_what_is_packed_fits(width, height, margin, gap, length, breadth):
    for layout in ("upright", "lying", "best"):
        room = pack_rectangle(width, height, margin, gap, length, breadth, layout)
        assert room.columns * (room.across_m + gap) - gap <= width - 2 * margin + 1e-4 or room.columns == 0
        assert room.rows * (room.up_m + gap) - gap <= height - 2 * margin + 1e-4 or room.rows == 0


DATASHEET = {"isc_per_c": 0.0005, "vmp_per_c": -0.0037, "voc_per_c": -0.0029}


def test_the_curve_goes_through_its_three_points():
    points = CurvePoints(9.75, 9.21, 326.0, 398.0)
    assert float(string_current(points, 0.0)) == pytest.approx(9.75)
    assert float(string_current(points, 326.0)) == pytest.approx(9.21, rel=1e-6)
    assert float(string_current(points, 397.9)) == pytest.approx(0.0, abs=0.05)
    assert float(string_current(points, 500.0)) == 0.0
    volts = np.linspace(0, 398, 4001)
    best = volts[(volts * string_current(points, volts)).argmax()]
    assert best == pytest.approx(326, rel=0.02)


def test_strings_that_are_alike_lose_nothing_in_parallel_and_unlike_ones_little():
    bright, dull = (
        points_at(9.75, 9.21, 32.6, 39.8, **DATASHEET, irradiance=light, cell_c=cell, in_series=10)
        for light, cell in ((900, 55), (250, 25))
    )
    assert parallel_mismatch([(bright, 1), (bright, 2)]) == pytest.approx(0, abs=1e-9)
    assert 0 < parallel_mismatch([(bright, 1), (dull, 1)]) < 0.05
    half = points_at(9.75, 9.21, 32.6, 39.8, **DATASHEET, irradiance=900, cell_c=55, in_series=5)
    assert parallel_mismatch([(bright, 1), (half, 1)]) > 0.1


@pytest.mark.parametrize(("parallel", "amps"), [(1, 0.0), (2, 9.75), (3, 19.5)])
def test_reverse_current_is_that_of_the_other_strings(parallel, amps):
    assert reverse_current_a(9.75, parallel) == pytest.approx(amps)


def test_a_fuse_lies_between_the_string_s_current_and_the_module_s_rating():
    assert string_fuse_a(9.75, 20.0) == 15.0
    assert string_fuse_a(9.75, 20.0, "NEC") == 16.0
    assert string_fuse_a(9.75, 12.0) is None
    # 1.5 to 2.4 times 3 A: 8 A is too large for the IEC's upper bound.
    assert string_fuse_a(3.0, 20.0) is None
    assert string_fuse_a(3.0, 20.0, "NEC") == 8.0
