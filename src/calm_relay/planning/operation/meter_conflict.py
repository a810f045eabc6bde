"""Two batteries of one option on one meter: an evening second by second, without an order and with one."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.two_controllers import Chase, Chaser, chase
from calm_relay.planning.architecture.design import Converter, Design, coordinated
from calm_relay.planning.equipment.bank import charge_dc_kw, discharge_ac_kw
from calm_relay.planning.operation.controls import waits
from calm_relay.planning.operation.outcome import Outcome

# Two clocks, and two current transformers a little apart: common practice, no source.
LOOKS_S = (1, 3)
AIMS_KW = (0.03, 0.0)
MINUTES = 90
STEP_S = 900
WOBBLE_KW = 0.15
# Quarter hours from 18:00 to 21:00, standard time.
EVENING = slice(72, 84)


@dataclass(frozen=True, eq=False)
class OneMeter:
    """What two controllers make of an evening: names, both runs, and what goes round in a circle.

    `fault` is without an order, `ordered` with the second waiting. `lost_kwh` of every `hours` is what the circle
    costs by the batteries' round trips.
    """

    names: tuple[str, str]
    fault: Chase
    ordered: Chase
    hours: float
    lost_kwh: float


def metered(design: Design) -> tuple[Converter, ...]:
    """A unit of each controller that reads the meter for its batteries, those that are new first."""
    controllers: list[Converter] = []
    for converter in design.converters if not design.by_clock else ():
        if converter.has_battery and not any(coordinated(converter, other) for other in controllers):
            controllers.append(converter)
    return tuple(sorted(controllers, key=lambda converter: not converter.is_new))


def two_metered(design: Design, job: Job | None = None) -> tuple[Converter, Converter] | None:
    """Two controllers that read the same meter, those that wait for nobody first; None where there are not two."""
    controllers = metered(design)
    if job is not None:
        controllers = tuple(sorted(controllers, key=lambda converter: waits(converter, job)))
    return (controllers[0], controllers[1]) if len(controllers) > 1 else None


def one_meter(design: Design, outcome: Outcome, job: Job | None = None) -> OneMeter | None:
    """Ninety minutes of a middling evening, second by second; None where no two batteries share a meter."""
    converters = two_metered(design, job)
    if converters is None:
        return None
    home = outcome.year.at_bus("home")
    evenings = home.reshape(365, -1)[:, EVENING].mean(axis=1)
    start = int(np.argsort(evenings)[evenings.size // 2]) * 96 + EVENING.start
    steps = MINUTES * 60 // STEP_S
    base = np.repeat(home[start : start + steps], STEP_S)
    # A kettle and a fridge come and go inside the quarter hours: the same each time.
    wobble = np.random.default_rng(5).choice([-WOBBLE_KW, WOBBLE_KW], size=base.size // 60)
    series = np.maximum(base + np.repeat(wobble, 60), 0.1)
    parts = [
        Chaser(
            charge_dc_kw(converter.bank, converter.inverter, level=0.5)[0],
            discharge_ac_kw(converter.bank, converter.inverter, level=0.5)[0],
            look,
            aim_kw=aim,
        )
        for converter, look, aim in zip(converters, LOOKS_S, AIMS_KW, strict=True)
    ]
    fault = chase(series, *parts)
    second = Chaser(**{**vars(parts[1]), "waits": True})
    ordered = chase(series, parts[0], second)
    trip = (
        np.prod(
            [
                (converter.bank.pack.round_trip * converter.inverter.port.dc_dc_efficiency**2)
                for converter in converters
            ]
        )
        ** 0.5
    )
    names = (converters[0].inverter.name, converters[1].inverter.name)
    return OneMeter(names, fault, ordered, MINUTES / 60, fault.circling_kwh * (1.0 - float(trip)))
