"""A plant off grid: the island's kernel through a year or a night, booked like any plant's flows."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.physics import dispatch, outage
from calm_relay.physics.dispatch import AC_LIMIT, HAS_PV, K0, K1, K2, PV_LIMIT, TRACKER
from calm_relay.physics.plant import pack
from calm_relay.physics.year import CONVERTER_AT, PlantBus, PlantYear


@dataclass(frozen=True, eq=False)
class Island:
    """What an island is told beside its plant.

    Attributes
    ----------
    former : int or None
        Number of the converter that forms the grid; None where a generator serves alone, or nothing does.
    limits : ndarray, shape (len(outage.LIMITS),)
        See `outage.rehearse`.
    load : ndarray, shape (circuits, steps)
        What each circuit asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each circuit on each leg.
    shed_below : ndarray, shape (circuits,)
        Level below which each is shed.
    joins : ndarray of bool, shape (converters,)
        Whose arrays join the former's AC bus.
    switched : ndarray of bool, shape (converters,)
        Which of them are only on or off, and do not follow the frequency.
    asked_kw : ndarray, shape (steps,)
        What the house asks in all, also beside these circuits [kW].
    """

    former: int | None
    limits: np.ndarray
    load: np.ndarray
    legs: np.ndarray
    shed_below: np.ndarray
    joins: np.ndarray
    switched: np.ndarray
    asked_kw: np.ndarray

    def scaled(self, home: float) -> "Island":
        """The same with more or less demand."""
        return replace(self, load=self.load * home, asked_kw=self.asked_kw * home)

    def at(self, steps, repeated: int = 1) -> "Island":
        """Some of the steps, each so many times."""
        load, asked = self.load[:, steps], self.asked_kw[steps]
        return replace(self, load=np.repeat(load, repeated, axis=1), asked_kw=np.repeat(asked, repeated))


class _OffGridRun:
    """What is read off a run off grid; "import" is what the generator gives."""

    @property
    def unmet(self) -> np.ndarray:
        """What was asked and not served [kW]."""
        return np.maximum(self.asked_kw - self.at_bus("home"), 0.0)

    @property
    def unmet_kwh(self) -> float:
        """Energy asked and not served over the run [kWh]."""
        return float(self.unmet.sum() * self.step_h)

    @property
    def states(self) -> np.ndarray:
        """The state of each step, as in `physics.outage`."""
        return self.island_flows[:, outage.STATE]

    @property
    def unserved_hours(self) -> float:
        """Hours in which nothing was fed."""
        return float((self.states != outage.SERVING).sum() * self.step_h)

    @property
    def trips(self) -> int:
        """How often a limit ended it, an empty battery not counted."""
        return int(np.isin(self.island_flows[:, outage.CAUSE], TRIPS).sum())

    @property
    def generator_hours(self) -> float:
        """Hours in which the generator ran."""
        return float((self.at_bus("import") > 1e-9).sum() * self.step_h)

    @property
    def generator_starts(self) -> int:
        """How often it started."""
        runs = self.at_bus("import") > 1e-9
        return int((runs[1:] & ~runs[:-1]).sum() + runs[0])


@dataclass(frozen=True, eq=False)
class IslandBus(_OffGridRun, PlantBus):
    """The least that is kept of a run off grid.

    `asked_kw` is what was asked, served or not; `on` tells which circuits were fed, `island_flows` the kernel's
    own flows, each a column; `former` is the converter that forms the grid, None where there is none.
    """

    asked_kw: np.ndarray
    on: np.ndarray
    island_flows: np.ndarray
    former: int | None

    def kwh(self, name: str, converter: int) -> float:
        """Energy into or out of a battery's terminals over the run [kWh]: "charge" or "discharge"."""
        if converter != self.former:
            return 0.0
        battery = self.plant[converter].battery
        stored = float(self.island_flows[:, getattr(outage, name.upper())].sum() * self.step_h)
        return stored / battery.charge_efficiency if name == "charge" else stored * battery.discharge_efficiency


@dataclass(frozen=True, eq=False)
class IslandYear(_OffGridRun, PlantYear):
    """A run off grid with the flows of every converter; see `IslandBus` for the rest."""

    asked_kw: np.ndarray
    on: np.ndarray
    island_flows: np.ndarray
    former: int | None


TRIPS = (outage.OVERLOAD, outage.START, outage.START_LEG, outage.LEG, outage.OVER_FREQUENCY)


def arrays_ac(p, pv_kw) -> np.ndarray:
    """AC power that arrays offer behind their inverters [kW].

    Parameters
    ----------
    p : ndarray, shape (converters, len(plant.COLUMNS))
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer [kW].
    """
    harvest = np.minimum(pv_kw * p[:, [TRACKER]], p[:, [PV_LIMIT]]) * (p[:, [HAS_PV]] > 0)
    net, b = np.maximum(harvest - p[:, [K0]], 0.0), 1.0 + p[:, [K1]]
    return np.minimum(2.0 * net / (b + np.sqrt(b * b + 4.0 * p[:, [K2]] * net)), p[:, [AC_LIMIT]])


def run_island(
    plant, pv_kw, step_h: float, island: Island, level_kwh: float | None = None, start=None, again=None
) -> IslandYear:
    """Runs a plant off grid and books the flows of every converter.

    Parameters
    ----------
    plant : sequence of ConverterPart
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer [kW].
    step_h : float
    island : Island
    level_kwh : float, optional
        Energy in the former's battery at the beginning; its `initial` share when left out.
    start, again : ndarray, shape (circuits, steps), optional
        Starts of machines on the circuits, see `outage.rehearse`; none when left out.
    """
    if level_kwh is not None and island.former is not None:
        plant = _filled(plant, island.former, level_kwh)
    p, offered, own, on = _run(plant, pv_kw, step_h, island, start, again)
    flows = _booked(plant, p, pv_kw, island.former, offered, island.switched, own)
    bus, rest = _bus(own), (island.asked_kw, on, own, island.former)
    return IslandYear(tuple(plant), step_h, bus, flows[:, CONVERTER_AT["stored"]], None, flows, *rest)


def island_bus(plant, pv_kw, step_h: float, island: Island) -> IslandBus:
    """The same run with the least that is kept of it, which takes a third of the time."""
    _, _, own, on = _run(plant, pv_kw, step_h, island, None, None)
    level = np.zeros((len(plant), own.shape[0]))
    for j, box in enumerate(plant):
        if box.battery:
            level[j] = own[:, outage.STORE] if j == island.former else box.battery.initial * box.battery.usable_kwh
    return IslandBus(tuple(plant), step_h, _bus(own), level, island.asked_kw, on, own, island.former)


def _bus(own):
    return np.array([own[:, outage.SERVED], own[:, outage.GEN], np.zeros(own.shape[0])])


def _filled(plant, number, level_kwh):
    """The plant with so much in one battery at the beginning, so that what is booked closes from there."""
    box = plant[number]
    full = replace(box, battery=replace(box.battery, initial=level_kwh / box.battery.usable_kwh))
    return (*plant[:number], full, *plant[number + 1 :])


def _run(plant, pv_kw, step_h, island, start, again):
    """The kernel's own flows, and what the arrays on the bus offer."""
    steps = island.load.shape[1]
    own = np.zeros((steps, len(outage.FLOWS)))
    on = np.zeros((steps, island.load.shape[0]), dtype=bool)
    p = pack(plant) if plant else np.zeros((0, len(dispatch.COLUMNS)))
    offered = arrays_ac(p, pv_kw) * island.joins[:, None]
    smooth = offered[~island.switched].sum(axis=0)
    switched = offered[island.switched].sum(axis=0)
    if island.former is None:
        _generator_alone(island, own, on)
    else:
        j = island.former
        row = p[[j]].copy()
        battery = plant[j].battery
        quiet = np.zeros(island.load.shape)
        outage.rehearse(
            row,
            island.limits,
            np.ascontiguousarray(island.load),
            island.legs,
            island.shed_below,
            quiet if start is None else start,
            quiet if again is None else again,
            np.ascontiguousarray(pv_kw[j]),
            smooth,
            switched,
            battery.initial * battery.usable_kwh,
            step_h,
            False,
            own,
            on,
        )
    return p, offered, own, on


def _generator_alone(island, own, on):
    """Without a former a generator serves what it can, circuits in the order of their rows."""
    left = np.full(own.shape[0], island.limits[outage.GEN_KW])
    for c, asked in enumerate(island.load):
        served = np.where(asked <= left + 1e-9, asked, 0.0)
        left -= served
        own[:, outage.SERVED] += served
        on[:, c] = (served > 0.0) | ((asked <= 0.0) & (island.limits[outage.GEN_KW] > 0.0))
    own[:, outage.GEN] = own[:, outage.SERVED]
    own[:, outage.STATE] = np.where(on.any(axis=1), outage.SERVING, outage.FLAT)


def _booked(plant, p, pv_kw, former, offered, switched, own):
    """The island's flows as those of each converter, shape (converters, flows, steps)."""
    at, steps = CONVERTER_AT, own.shape[0]
    flows = np.zeros((len(plant), len(dispatch.CONVERTER_FLOWS), steps))
    used = own[:, outage.AC_USED]
    all_switched = offered[switched].sum(axis=0)
    # All that is only on or off was on where at least so much was used.
    runs = used >= all_switched - 1e-9
    smooth = offered[~switched].sum(axis=0)
    part = np.divide(used - np.where(runs, all_switched, 0.0), smooth, out=np.zeros(steps), where=smooth > 1e-12)
    part = np.clip(part, 0.0, 1.0)
    for j, box in enumerate(plant):
        f = flows[j]
        if box.battery:
            f[at["stored"]] = box.battery.initial * box.battery.usable_kwh
        if not box.pv and j != former:
            continue
        f[at["pv_dc"]] = pv_kw[j] if box.pv else 0.0
        f[at["tracker"]] = f[at["pv_dc"]] * (1.0 - box.tracker_efficiency)
        found = f[at["pv_dc"]] - f[at["tracker"]]
        harvest = np.minimum(found, box.pv_limit_kw)
        f[at["clipped"]] = found - harvest
        if j == former:
            _book_former(f, box, harvest, own)
            continue
        full = offered[j]
        most = np.where(full >= box.ac_limit_kw, full + p[j, K0] + p[j, K1] * full + p[j, K2] * full**2, harvest)
        f[at["clipped"]] += harvest - np.minimum(most, harvest)
        harvest = np.minimum(most, harvest)
        ac = full * (np.where(runs, 1.0, 0.0) if switched[j] else part)
        drawn = np.where(ac > 0.0, ac + p[j, K0] + p[j, K1] * ac + p[j, K2] * ac**2, 0.0)
        drawn = np.minimum(drawn, harvest)
        f[at["curtailed"]] = harvest - drawn
        f[at["inverter"]] = drawn - ac
        f[at["ac"]] = ac
    return flows


def _book_former(f, box, harvest, own):
    at, battery = CONVERTER_AT, box.battery
    f[at["curtailed"]] = harvest - own[:, outage.DC_USED] if box.pv else 0.0
    charge = own[:, outage.CHARGE] / battery.charge_efficiency
    discharge = own[:, outage.DISCHARGE] * battery.discharge_efficiency
    charge_bus, discharge_bus = charge / battery.dc_dc_efficiency, discharge * battery.dc_dc_efficiency
    f[at["charge"]], f[at["discharge"]] = charge, discharge
    f[at["charge_loss"]] = charge - own[:, outage.CHARGE]
    f[at["discharge_loss"]] = own[:, outage.DISCHARGE] - discharge
    f[at["dc_dc"]] = charge_bus - charge + discharge - discharge_bus
    ac = own[:, outage.FORMER]
    f[at["ac"]] = ac
    lost = own[:, outage.DC_USED] + discharge_bus - charge_bus - ac
    f[at["inverter"]] = np.where(ac >= 0.0, lost, 0.0)
    f[at["rectifier"]] = np.where(ac < 0.0, lost, 0.0)
    f[at["stored"]] = own[:, outage.STORE]
