"""Who serves whom: the year's flows attributed to array, battery and grid."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.plant.year import PlantYear


@dataclass(frozen=True, eq=False)
class Shares:
    """Mean powers of each step [kW], at the AC side but for `pv_to_battery`, which is at the DC bus.

    In every step pv_to_home + battery_to_home + grid_to_home = home + standby.
    """

    pv_to_home: np.ndarray
    pv_to_battery: np.ndarray
    battery_to_home: np.ndarray
    grid_to_home: np.ndarray
    grid_to_battery: np.ndarray


def shares_of(year: PlantYear) -> Shares:
    """Attributes a year's flows.

    Where array and battery share an inverter, its output is split as its DC input is. What is imported while a
    rectifier draws counts as charge first: a battery only draws from a short bus when it is filled on purpose.
    """
    battery_ac = np.zeros_like(year.at_bus("home"))
    own_charge = np.zeros_like(battery_ac)
    for number, part in enumerate(year.plant):
        if part.battery is None:
            continue
        given = year.of("discharge", number) * part.battery.dc_dc_efficiency
        kept = sum(year.of(name, number) for name in ("tracker", "clipped", "curtailed"))
        charged = year.of("charge", number) / part.battery.dc_dc_efficiency
        rectified = np.maximum(-year.of("ac", number), 0.0) - year.of("rectifier", number)
        direct = np.maximum(charged - rectified, 0.0)
        array = np.maximum(year.of("pv_dc", number) - kept - direct, 0.0)
        out = np.maximum(year.of("ac", number), 0.0)
        battery_ac += out * np.divide(given, given + array, out=np.zeros_like(out), where=given > 0)
        own_charge += direct
    drawn = sum(np.maximum(-year.of("ac", number), 0.0) for number in range(len(year.plant)))
    imported = year.at_bus("import")
    grid_to_battery = np.minimum(drawn, imported)
    grid_to_home = imported - grid_to_battery
    needed = year.at_bus("home") + year.of("standby")
    return Shares(
        pv_to_home=np.maximum(needed - grid_to_home - battery_ac, 0.0),
        pv_to_battery=own_charge + drawn - grid_to_battery,
        battery_to_home=battery_ac,
        grid_to_home=grid_to_home,
        grid_to_battery=grid_to_battery,
    )
