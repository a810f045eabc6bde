"""What energy and power of a battery bring, over a field of both."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.physics.plant.inputs import bus_inputs
from calm_relay.physics.plant.parts import UNLIMITED
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import discharge_ac_kw
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.size_worth import worth_of, worth_words
from calm_relay.planning.verdict.option import Option, RefusedOption

ENERGIES, POWERS = 9, 8


@dataclass(frozen=True, eq=False)
class BatteryMap:
    """What a year brings over usable energy [kWh] and power [kW], shape (energies, powers), and where the option is.

    `words` says what `worth` counts: money saved, or where no power is paid for the kWh served. Power is that of the
    battery, charging and giving; a hybrid's AC limit towards the home stays as it is.
    """

    usable_kwh: np.ndarray
    power_kw: np.ndarray
    worth: np.ndarray
    here_kwh: float
    here_kw: float
    words: str

    @property
    def by_power(self) -> np.ndarray:
        """The same over power at the option's own energy."""
        return np.array([np.interp(self.here_kwh, self.usable_kwh, column) for column in self.worth.T])


def battery_map(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> BatteryMap | None:
    """Simulates a field of energies and powers on an option's units; None without a new battery."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if converter is None or not converter.battery_is_new:
        return None
    number = option.design.converters.index(converter)
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    part = inputs.plant[number]
    here_kw = discharge_ac_kw(converter.bank, converter.inverter)[0]
    energies = np.linspace(0.25, 2.5, ENERGIES) * converter.bank.usable_kwh
    powers = np.linspace(0.2, 1.3, POWERS) * max(here_kw, plan.demand.evening_peak_kw)
    worth = np.zeros((ENERGIES, POWERS))
    for i, energy in enumerate(energies):
        progress(i / ENERGIES, "Trying energy and power of the battery")
        for j, power in enumerate(powers):
            battery = replace(
                part.bank,
                usable_kwh=float(energy),
                charge_kw=float(power),
                discharge_kw=float(power),
                charge_a=UNLIMITED,
                discharge_a=UNLIMITED,
                from_ac_kw=float(power),
            )
            scaled = replace(part, battery=battery)
            if not part.pv:
                scaled = replace(scaled, ac_limit_kw=float(power), loss_rated_kw=float(power))
            plant = (*inputs.plant[:number], scaled, *inputs.plant[number + 1 :])
            run = bus_inputs(replace(inputs, plant=plant))
            worth[i, j] = worth_of(run, plan, option)
    return BatteryMap(energies, powers, worth, converter.bank.usable_kwh, here_kw, worth_words(plan.job))
