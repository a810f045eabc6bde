"""A car on the DC charger of a unit: which unit, which car, and the current that its cable carries."""

from dataclasses import dataclass

from calm_relay.job.demand import ON_HYBRID, Car
from calm_relay.job.equipment import Inverter
from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter, Design

# The lowest voltage that a car of the usual kind, of 400 V, is charged at with full power: common practice, no source.
LEAST_V = 300.0
# What plugs and cables that charge with direct current are made for: IEC 62196-3, from memory.
MOST_V = 1000.0


@dataclass(frozen=True)
class CarCharger:
    """A DC charger that a car hangs on.

    Attributes
    ----------
    number : int
        Of the unit among the design's converters.
    unit : Converter
        The unit.
    car : Car
        The car.
    is_new : bool
        Whether the works bring it: with its unit, or with a car that comes.
    """

    number: int
    unit: Converter
    car: Car
    is_new: bool

    @property
    def kw(self) -> float:
        """What it gives at most [kW]."""
        return self.unit.inverter.dc_charger_kw or 0.0

    @property
    def amps(self) -> float:
        """Current at its full power and the lowest voltage that it gives it at [A]."""
        return charger_amps(self.unit.inverter)


def least_v(inverter: Inverter) -> float:
    """The lowest voltage at which a unit's DC charger gives its full power; `LEAST_V` where nobody states it [V]."""
    return LEAST_V if inverter.dc_charger_v is None else inverter.dc_charger_v


def charger_amps(inverter: Inverter) -> float:
    """Current of a unit's DC charger at its full power and the lowest voltage that it gives it at [A]."""
    return (inverter.dc_charger_kw or 0.0) * 1000.0 / least_v(inverter)


def car_unit(design: Design) -> int | None:
    """Number of the unit of a design that has a DC charger for a car; None where none has."""
    return next((n for n, unit in enumerate(design.converters) if unit.inverter.dc_charger_kw), None)


def car_on_dc(design: Design, job: Job) -> CarCharger | None:
    """The DC charger of a design with the car that hangs on it; None where none does."""
    number = car_unit(design)
    car = next((car for car in job.demand.cars if car.charger == ON_HYBRID), None)
    if number is None or car is None:
        return None
    unit = design.converters[number]
    return CarCharger(number, unit, car, unit.is_new or (car.planned and bool(design.new_converters)))
