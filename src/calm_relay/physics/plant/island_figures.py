"""What an islanded run reads and fills: limits, circuits, arrays, its record, and the words for states and causes."""

from typing import NamedTuple

import numpy as np

from calm_relay.physics.plant.flows import Record
from calm_relay.physics.plant.generators import NO_GENERATORS, GeneratorLimits, Generators
from calm_relay.physics.plant.loads import LoadRecord

SERVING, TRIPPED, FLAT, LOCKED = 0, 1, 2, 3


NOTHING, OVERLOAD, START, LEG, OVER_FREQUENCY, EMPTY, START_LEG, TOO_COLD = 0, 1, 2, 3, 4, 5, 6, 7


class Limits(NamedTuple):
    """What the inverter that forms the grid can do in an outage, and the generators beside it.

    `legs` is how many legs or phases it parts its power to, `leg_start_kw` the most that a motor may draw on a leg
    when it starts, `restarts_at_once` whether the transfer takes so long that machines stop; `pv_waits_min` how
    long PV inverters wait for a bus that stands, `locked_min` how long a locked-out inverter stays off. Each of the
    `generators` runs by the state of charge; those without power are none. At the charge `cut_off` it stops serving;
    where it `wakes` it forms the grid with its loads off when arrays on its bus have sun, from `wakes_from_min`
    minutes after midnight on. `start_power_factor` is what real power a start's apparent power is.
    """

    continuous_kw: float = 0.0
    surge_kw: float = 0.0
    surge_s: float = 0.0
    legs: float = 0.0
    leg_start_kw: float = 0.0
    black_start: bool = False
    restarts_at_once: bool = False
    pv_waits_min: float = 0.0
    locked_min: float = 0.0
    generators: Generators = NO_GENERATORS
    cut_off: float = 0.0
    wakes: bool = False
    wakes_from_min: float = 0.0
    start_power_factor: float = 1.0

    @property
    def typed(self) -> "Limits":
        """The same in the types that the compiled run is made for."""
        generators = tuple(GeneratorLimits._make(map(float, item)) for item in self.generators)
        values = (
            generators
            if name == "generators"
            else (bool if isinstance(self._field_defaults[name], bool) else float)(value)
            for name, value in self._asdict().items()
        )
        return Limits._make(values)

    @property
    def told_generators(self) -> int:
        """How many of the first generators may give anything."""
        return max((number + 1 for number, item in enumerate(self.generators) if item.kw > 0.0), default=0)


class Circuits(NamedTuple):
    """What hangs behind the inverter that forms the grid.

    Attributes
    ----------
    load_kw : ndarray, shape (circuits, steps)
        What each asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each on each leg or phase.
    shed_below : ndarray, shape (circuits,)
        State of charge below which it is shed; 0 where it never is, 1 where it always is.
    start_kw, again_kw : ndarray, shape (circuits, steps) or (0, 0)
        Power that the heaviest start on each adds for a moment, of which the heaviest of a step counts; and what
        all machines that run on it add when power comes back to them at once [kW].
    """

    load_kw: np.ndarray
    legs: np.ndarray
    shed_below: np.ndarray
    start_kw: np.ndarray
    again_kw: np.ndarray


class Arrays(NamedTuple):
    """What the arrays offer.

    Attributes
    ----------
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    ac_kw : ndarray, shape (converters, steps)
        AC power behind the inverters that join the bus, 0 for those that do not [kW].
    switched : ndarray of bool, shape (converters,)
        Which of them are only on or off, and do not follow the frequency.
    smooth_kw, switched_kw : ndarray, shape (steps,)
        Sums of `ac_kw` over those that follow the frequency, and those that do not [kW].
    even_kw : ndarray, shape (steps,)
        Sum of `ac_kw` over those that give to all legs evenly, and so relieve each of them [kW].
    """

    pv_kw: np.ndarray
    ac_kw: np.ndarray
    switched: np.ndarray
    smooth_kw: np.ndarray
    switched_kw: np.ndarray
    even_kw: np.ndarray


class IslandRecord(NamedTuple):
    """What an islanded run fills; arrays without steps are not kept.

    Attributes
    ----------
    book : Record
        Its "import" is what the generator gives.
    state, cause : ndarray of int8, shape (steps or 0,)
        SERVING, TRIPPED, FLAT or LOCKED; and why a step is not served.
    ac_offered, ac_used : ndarray, shape (steps or 0,)
        Of the arrays on the bus [kW].
    on : ndarray of bool, shape (steps or 0, circuits)
        Which circuits are fed.
    generators : ndarray, shape (generators, steps or 0)
        What each of the first generators gives, as many as are to be told [kW]; those that run share by their power.
    loads : LoadRecord
        Of the controlled loads.
    """

    book: Record
    state: np.ndarray
    cause: np.ndarray
    ac_offered: np.ndarray
    ac_used: np.ndarray
    on: np.ndarray
    generators: np.ndarray
    loads: LoadRecord


class Served(NamedTuple):
    """How a step is served [kW]; DC powers stand at the former's DC bus.

    `from_pv` and `into` are its own array's to the inverter and to the battery, `rectified` what its rectifier
    gives the DC bus, `ac` what it gives to its bus, below 0 what it takes; `used` is taken from arrays on the bus.
    `on_dc` is what a load on the DC bus has; what battery and rectifier give it is taken off `from_pv` and `into`, as
    in `flows.WORK`.
    """

    cause: int
    from_pv: float
    into: float
    rectified: float
    given: float
    ac: float
    used: float
    generator: float
    on_dc: float
