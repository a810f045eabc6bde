"""The car that is assumed until its own figures are known."""

from typing import Any

from calm_relay.job.demand import Car
from calm_relay.job.model import Supply

# 15,000 km a year: common practice, no source.
KWH_PER_DAY = 8.0
# Least current of a charging car [A], IEC 61851-1.
LEAST_A = 6.0
# What its cable carries on one phase and on each of three [A]: common practice, no source.
ONE_PHASE_A, THREE_PHASE_A = 32.0, 16.0


def usual_car(supply: Supply, **changes: Any) -> Car:
    """A car on the usual charger of a service: of three phases where there are three, at the service's voltage.

    Off grid it is there by day and waits for the sun: common practice, no source.

    Parameters
    ----------
    supply : Supply
        The service; its volts are from line to neutral, or between the legs of a split phase.
    **changes
        Fields of the car that are otherwise.
    """
    amps = 3.0 * THREE_PHASE_A if supply.phases == "three" else ONE_PHASE_A
    least = 3.0 * LEAST_A if supply.phases == "three" else LEAST_A
    usual: dict[str, Any] = {
        "kwh_per_day": KWH_PER_DAY,
        "charger_kw": round(amps * supply.volts / 1000.0, 1),
        "least_kw": round(least * supply.volts / 1000.0, 1),
    }
    if not supply.on_grid:
        usual |= {"control": "on surplus", "start": "09:00", "end": "16:00"}
    return Car(**(usual | changes))
