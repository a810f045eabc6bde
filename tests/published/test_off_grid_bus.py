"""An AC bus off grid: what forms it and what follows it add up while the sun is there; common practice, no source."""

import numpy as np
import pytest

from calm_relay.physics.plant import island_figures
from calm_relay.physics.plant.island import Island, run_island
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart

STEPS = 24
FORMING, FOLLOWING = 12.0, 18.0
PLANT = (
    ConverterPart(FORMING, battery=BatteryPart(400.0, FORMING, FORMING, from_ac_kw=FORMING, initial=0.7)),
    *(ConverterPart(6.0, True),) * 3,
)


def served(load_kw, sunny):
    """Whether a load is carried for a day of noon or of night by 12 kW that form and 3 x 6 kW that follow."""
    limits = Limits(continuous_kw=FORMING, surge_kw=FORMING, legs=1.0, leg_start_kw=1e9, locked_min=1e9)
    # What follows joins once the bus stands.
    asked = np.full(STEPS, load_kw)
    asked[:2] = 1.0
    pv = np.zeros((4, STEPS))
    pv[1:] = 6.0 if sunny else 0.0
    island = Island(
        0,
        limits,
        asked[None, :],
        np.array([[1.0, 0.0, 0.0]]),
        np.zeros(1),
        np.array([False, True, True, True]),
        np.zeros(4, dtype=bool),
        asked,
    )
    run = run_island(PLANT, pv, 0.25, island)
    assert run.largest_residual_kwh < 1e-9
    return bool((run.outage.state == island_figures.SERVING).all())


def test_forming_and_following_carry_thirty_kilowatts_at_noon_and_twelve_at_night():
    assert served(FORMING + FOLLOWING, sunny=True)
    assert not served(FORMING + FOLLOWING + 0.1, sunny=True)
    assert served(FORMING, sunny=False)
    assert not served(FORMING + 0.1, sunny=False)


@pytest.mark.parametrize("load_kw", [1.0, 17.0, 25.0])
def test_what_follows_gives_no_more_than_is_asked_and_charged(load_kw):
    assert served(load_kw, sunny=True)
