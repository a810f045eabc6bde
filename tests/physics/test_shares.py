"""Who serves whom: attribution closes for every plant."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from calm_relay.physics.plant.control import filled_in
from calm_relay.physics.plant.year import run_plant
from calm_relay.physics.shares import shares_of
from tests.examples import examples

from .plants import GRID_TIED, battery_only, hybrid


@pytest.mark.parametrize("name", GRID_TIED)
@settings(max_examples=examples(30), deadline=None)
@given(data=st.data())
def test_the_home_s_servers_add_up_to_what_it_takes(name, data):
    plant = GRID_TIED[name]
    kw = st.floats(0.0, 9.0)
    pv = data.draw(arrays(float, (len(plant), 24), elements=kw)) * np.array([[part.pv] for part in plant])
    home = data.draw(arrays(float, 24, elements=kw))
    window = filled_in(data.draw(arrays(bool, 24)), 0.8)
    year = run_plant(plant, pv, home, 1.0, control=window)
    shares = shares_of(year)
    needed = home + year.of("standby")
    served = shares.pv_to_home + shares.battery_to_home + shares.grid_to_home
    assert served == pytest.approx(needed, abs=1e-9)
    assert shares.grid_to_home + shares.grid_to_battery == pytest.approx(year.at_bus("import"), abs=1e-12)
    assert min(series.min() for series in vars(shares).values()) >= 0.0


def test_each_server_is_found_where_it_stands_alone():
    night = shares_of(run_plant((battery_only(initial=0.9),), np.zeros((1, 1)), np.array([2.0]), 1.0))
    assert night.battery_to_home[0] == pytest.approx(2.0)
    noon = shares_of(run_plant((hybrid(initial=0.5),), np.array([[4.0]]), np.array([1.0]), 1.0))
    assert noon.pv_to_home[0] == pytest.approx(1.0)
    assert noon.pv_to_battery[0] > 2.0
    fill = filled_in(np.ones(1, dtype=bool), 1.0)
    filled = shares_of(
        run_plant((battery_only(initial=0.2),), np.zeros((1, 1)), np.array([1.0]), 1.0, control=fill)
    )
    assert filled.grid_to_home[0] == pytest.approx(1.0)
    assert filled.grid_to_battery[0] > 3.0
