"""Units side by side against one of twice the size, and against the sum of what each gives."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import catalogue
from calm_relay.physics.plant.control import filled_in
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import run_plant
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.equipment.bank import Bank

KIT = catalogue()
STEPS = 96 * 30
HOUR = np.arange(STEPS) % 96 / 4.0
SUN = np.clip(np.sin((HOUR - 6) / 12 * np.pi), 0.0, None) * (0.4 + 0.6 * (np.arange(STEPS) // 96 % 3) / 2)
HOME = 0.4 + 3.5 * ((HOUR >= 18) & (HOUR < 22)) + 0.3 * np.sin(np.arange(STEPS)) ** 2


@pytest.mark.parametrize("key", ["umberlow-h5", "mossgate-5", "skerrin-h10t"])
@pytest.mark.parametrize("units", [2, 3])
def test_alike_units_equal_one_of_their_size(key, units):
    """Twice the units under twice the sun and load do in every flow twice what one does: by scaling, to 1e-9."""
    inverter = next(item for item in KIT.inverters if item.key == key)
    pack = next(item for item in KIT.packs if item.family in inverter.battery.families)
    count = 1 if pack.stacking == "parallel" else max(pack.count_min, 4)
    years = []
    for n in (1, units):
        part = Converter(inverter.times(n), held=Bank(pack, count, units=n)).part(0.1)
        pv = SUN[None, :] * 4.0 * n
        if inverter.pv is not None:
            part = ConverterPart(**{**vars(part), "pv": True, "pv_limit_kw": inverter.pv.usable_dc_kw * n})
        window = (HOUR >= 2) & (HOUR < 4)
        control = filled_in(window, 0.6, 1.5 * n)
        years.append(run_plant((part,), pv, HOME * n, 0.25, GridConnection(60.0 * n, 3.0 * n), control))
    assert years[1].flows == pytest.approx(units * years[0].flows, abs=1e-9)
    assert years[1].bus == pytest.approx(units * years[0].bus, abs=1e-9)


def test_two_units_halve_the_evening_s_import_where_power_binds():
    """Common practice, no source: one unit of 3 kW leaves 3 of a 6 kW evening to the grid, two leave none of it."""
    evening = (HOUR >= 18) & (HOUR < 20)
    home = np.where(evening, 9.0, 0.0)
    battery = BatteryPart(40.0, 3.0, 3.0, from_ac_kw=3.0, initial=1.0)
    unit = ConverterPart(3.0, battery=battery)
    sun = np.zeros((1, STEPS))
    day = slice(0, 96)
    bought = []
    for n in (1, 2):
        year = run_plant((unit,) * n, np.repeat(sun, n, axis=0), home, 0.25)
        bought.append(float(year.at_bus("import")[day].sum()) * 0.25)
    assert bought[0] == pytest.approx(12.0) and bought[1] == pytest.approx(bought[0] / 2)
