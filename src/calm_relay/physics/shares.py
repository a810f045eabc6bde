"""Who serves whom: the year's flows attributed to array, store and street."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.year import PlantYear


@dataclass(frozen=True, eq=False)
class Shares:
    """Mean powers of each step [kW], at the AC side but for `pv_to_store`, which is at the DC bus.

    In every step pv_to_home + store_to_home + street_to_home = home + standby.
    """

    pv_to_home: np.ndarray
    pv_to_store: np.ndarray
    store_to_home: np.ndarray
    street_to_home: np.ndarray
    street_to_store: np.ndarray


def shares_of(year: PlantYear) -> Shares:
    """Attributes a year's flows.

    Where array and store share an inverter, its output is split as its DC input is. What is imported while a
    rectifier draws counts as charge first: a store only draws from a short bus when it is filled on purpose.
    """
    store_ac = np.zeros_like(year.at_bus("home"))
    own_charge = np.zeros_like(store_ac)
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
        store_ac += out * np.divide(given, given + array, out=np.zeros_like(out), where=given > 0)
        own_charge += direct
    drawn = sum(np.maximum(-year.of("ac", number), 0.0) for number in range(len(year.plant)))
    bought = year.at_bus("import")
    street_to_store = np.minimum(drawn, bought)
    street_to_home = bought - street_to_store
    needed = year.at_bus("home") + year.of("standby")
    return Shares(
        pv_to_home=np.maximum(needed - street_to_home - store_ac, 0.0),
        pv_to_store=own_charge + drawn - street_to_store,
        store_to_home=store_ac,
        street_to_home=street_to_home,
        street_to_store=street_to_store,
    )
