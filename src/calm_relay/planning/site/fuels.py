"""What is burnt today where a heat pump or a car on electricity will come: how much a year, and in what unit."""

from typing import NamedTuple

from calm_relay.job.demand import Car, Fuel, HeatPump
from calm_relay.physics.demand_shape import heat_by_day
from calm_relay.planning.site.site_year import SiteYear

# Of the heat in the fuel a boiler brings into the house; a car on electricity, charging included [kWh/km]: common
# practice, no source.
BOILER, CAR_KWH_PER_KM = 0.85, 0.2
DAYS = 365


class FuelFacts(NamedTuple):
    """The unit in which a fuel is sold, its heat [kWh a unit], and what a middling car takes of it [a km]."""

    unit: str
    heat_kwh: float
    per_km: float


# Lower heating values, from memory: EN 590 and EN 228 fuels about 36 and 32 MJ/l, propane 46 MJ/kg at 0.51 kg/l,
# pellets of ISO 17225-2 class A1 at least 16.5 MJ/kg. Cars: common practice, no source.
FACTS: dict[Fuel, FuelFacts] = {
    "gas": FuelFacts("kWh", 1.0, 0.0),
    "heating oil": FuelFacts("l", 10.0, 0.0),
    "liquid gas": FuelFacts("l", 6.6, 0.0),
    "wood pellets": FuelFacts("kg", 4.8, 0.0),
    "petrol": FuelFacts("l", 8.9, 0.07),
    "diesel": FuelFacts("l", 9.9, 0.06),
}


def fuel_a_year(load: HeatPump | Car, year: SiteYear) -> float:
    """What is burnt in a year where a load will come, in the unit of its `FACTS`; 0 where nothing is.

    As stated, else what brings the same heat through a boiler, or takes a middling car as far.
    """
    today = load.instead_of
    if today is None:
        return 0.0
    if today.a_year is not None:
        return today.a_year
    facts = FACTS[today.fuel]
    if isinstance(load, Car):
        return load.kwh_per_day * len(load.days) / 7.0 * DAYS / CAR_KWH_PER_KM * facts.per_km
    heat_kw = heat_by_day(
        load.heat_kwh_per_day,
        load.water_kwh_per_day,
        load.heats_below_c,
        year.weather.temp_air,
        year.calendar.month,
    )
    return float(heat_kw.sum()) * year.calendar.step_h / BOILER / facts.heat_kwh
