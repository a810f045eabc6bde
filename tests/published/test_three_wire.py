"""Services of three phases without neutral, 3 x 230 V, against the phasors of a delta and the trade's round figures.

Sources: IEC 60050-141:2004 (IEV 141-02-10 and 141-02-12, line and phase currents of a delta, from memory); IEC
60364-3/-5-52 for the drop over balanced lines; sizes of services in such networks: common practice, no source.
"""

from math import sqrt

import numpy as np
import pytest

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.model import Supply
from calm_relay.physics.cables import voltage_drop_v
from calm_relay.physics.three_wire import line_kva


@pytest.mark.parametrize(
    "amps, kw",
    # A main fuse of a home on 3 x 230 V and what it carries: common practice, no source.
    [(25.0, 10.0), (32.0, 12.7), (40.0, 15.9), (50.0, 19.9), (63.0, 25.1)],
)
def test_a_main_fuse_carries_what_an_electrician_says_it_does(amps, kw):
    supply = Supply(phases="three-wire", volts=230.0, main_fuse_a=amps)
    assert supply.import_limit_kw == pytest.approx(kw, abs=0.05)
    assert Supply(phases="three", volts=230.0, main_fuse_a=amps).import_limit_kw == pytest.approx(
        kw * sqrt(3.0), abs=0.1
    )


def test_what_hangs_between_two_lines_flows_in_both_and_in_no_other():
    """A charger of 7.36 kW between L2 and L3 draws 32 A on each of them."""
    lines_a = line_kva(np.array([[0.0], [7.36], [0.0]]))[:, 0] / 0.230
    assert lines_a == pytest.approx([0.0, 32.0, 32.0])


def test_over_even_pairs_a_line_carries_root_three_times_a_pair():
    assert line_kva(np.full((3, 2), 2.3)) == pytest.approx(np.full((3, 2), 2.3 * sqrt(3.0)))


def test_lines_carry_what_the_phasors_of_a_delta_say():
    """Each pair's current in phase with its own voltage, some of them backwards."""
    kw = np.random.default_rng(5).uniform(-6.0, 6.0, (3, 500))
    amps = kw / 0.230
    pairs = amps * np.exp(-2j * np.pi / 3.0 * np.arange(3))[:, None]
    first, second, third = pairs
    lines = np.abs([first - third, second - first, third - second])
    assert np.abs(line_kva(kw)) / 0.230 == pytest.approx(lines, abs=1e-9)
    # A line feeds where its two pairs together do.
    assert np.array_equal(line_kva(kw) > 0.0, kw + np.roll(kw, 1, axis=0) > 0.0)


def test_a_balanced_cable_loses_root_three_times_a_conductor_between_its_lines():
    """40 m of 10 mm2 at 1.83 ohm/km and 32 A: 2.34 V in each conductor, 4.06 V between lines."""
    drop = voltage_drop_v(32.0, 1.83, 40.0, "three-wire")
    assert drop == pytest.approx(sqrt(3.0) * 32.0 * 1.83 * 0.040)
    assert drop == pytest.approx(4.06, abs=0.01)
    assert voltage_drop_v(32.0, 1.83, 40.0, "two-wire") == pytest.approx(4.68, abs=0.01)


def test_its_cables_have_no_neutral():
    """Three phases and earth, or two phases and earth: common practice, no source."""
    assert CIRCUITS["three-wire"].cores == ("L1", "L2", "L3", "PE")
    assert CIRCUITS["two-wire"].cores == ("L1", "L2", "PE")
    assert CIRCUITS["three-wire"].poles == 3 and CIRCUITS["two-wire"].poles == 2
