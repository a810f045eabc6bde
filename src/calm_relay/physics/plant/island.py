"""An islanded plant's run, a year or a night: set up, run, and read off like any plant's."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from calm_relay.physics.plant import island_figures, island_pool, islanded
from calm_relay.physics.plant.converter import arrays_ac, pack
from calm_relay.physics.plant.flows import STORED, Record, new_record, new_work
from calm_relay.physics.plant.island_figures import Arrays, Circuits, IslandRecord, Limits
from calm_relay.physics.plant.island_pool import Pool
from calm_relay.physics.plant.loads import (
    ControlledLoad,
    LoadsRun,
    new_load_record,
    new_load_work,
    pack_loads,
)
from calm_relay.physics.plant.parts import ConverterPart
from calm_relay.physics.plant.year import AT_AC, PlantBus, PlantSums, PlantYear, checked_derate

NO_STARTS = np.zeros((0, 0))
NO_LOAD_STEPS = pack_loads((), 0, 1.0)
TRIPS = (
    island_figures.OVERLOAD,
    island_figures.START,
    island_figures.START_LEG,
    island_figures.LEG,
    island_figures.OVER_FREQUENCY,
)


@dataclass(frozen=True, eq=False)
class Island:
    """What an islanded run reads beside its plant.

    Attributes
    ----------
    former : int or None
        Number of the converter that forms the grid; None where a generator serves alone, or nothing does.
    limits : island_figures.Limits
    load_kw : ndarray, shape (circuits, steps)
        What each circuit asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each circuit on each leg.
    shed_below : ndarray, shape (circuits,)
        State of charge below which each is shed.
    joins : ndarray of bool, shape (converters,)
        Whose arrays join the former's AC bus.
    switched : ndarray of bool, shape (converters,)
        Which of them are only on or off, and do not follow the frequency.
    asked_kw : ndarray, shape (steps,)
        What the house asks in all, also beside these circuits [kW].
    start_kw, again_kw : ndarray, shape (circuits, steps), optional
        Starts of machines, none when left out; see `island_figures.Circuits`.
    beside : tuple of int
        Numbers of the converters that form the grid with it, without arrays of their own. Each has its part of what is
        asked by what it can give, and a battery at a level of its own.
    even : ndarray of bool, shape (converters,), optional
        Whose arrays give to all legs evenly, and so relieve each of them; all where left out.
    """

    former: int | None
    limits: Limits
    load_kw: np.ndarray
    legs: np.ndarray
    shed_below: np.ndarray
    joins: np.ndarray
    switched: np.ndarray
    asked_kw: np.ndarray
    start_kw: np.ndarray | None = None
    again_kw: np.ndarray | None = None
    beside: tuple[int, ...] = ()
    even: np.ndarray | None = None

    @property
    def forming(self) -> tuple[int, ...]:
        """Numbers of all that form the grid together."""
        return () if self.former is None else (self.former, *self.beside)

    def scaled(self, home: float) -> "Island":
        """The same with more or less demand."""
        return replace(self, load_kw=self.load_kw * home, asked_kw=self.asked_kw * home)

    def at(self, steps: np.ndarray, repeated: int = 1) -> "Island":
        """Some of the steps, each so many times."""
        load, asked = self.load_kw[:, steps], self.asked_kw[steps]
        if repeated > 1:
            load, asked = np.repeat(load, repeated, axis=1), np.repeat(asked, repeated)
        return replace(self, load_kw=load, asked_kw=asked)

    @property
    def circuits(self) -> Circuits:
        """The circuits as the compiled run takes them."""
        starts = (NO_STARTS if item is None else item for item in (self.start_kw, self.again_kw))
        series = (self.load_kw, self.legs, self.shed_below, *starts)
        return Circuits(*(np.ascontiguousarray(item, dtype=float) for item in series))

    def arrays(self, c: np.ndarray, pv_kw: np.ndarray) -> Arrays:
        """What arrays offer to it, from their DC power, shape (converters, steps) [kW]."""
        ac_kw = arrays_ac(c, pv_kw) * self.joins[:, None]
        smooth, switched = (ac_kw[kind].sum(axis=0) for kind in (~self.switched, self.switched))
        even = ac_kw.sum(axis=0) if self.even is None else ac_kw[self.even].sum(axis=0)
        return Arrays(pv_kw, ac_kw, self.switched, smooth, switched, even)


class Outage(NamedTuple):
    """How an islanded run went, step by step.

    Attributes
    ----------
    asked_kw : ndarray, shape (steps,)
        What was asked, served or not, with what controlled loads took [kW].
    state, cause : ndarray of int, shape (steps,)
        See `island_figures.IslandRecord`.
    ac_offered, ac_used : ndarray, shape (steps,)
        Of the arrays on the former's bus [kW].
    on : ndarray of bool, shape (steps, circuits)
        Which circuits were fed.
    generators : ndarray, shape (generators, steps)
        What each generator gave [kW].
    """

    asked_kw: np.ndarray
    state: np.ndarray
    cause: np.ndarray
    ac_offered: np.ndarray
    ac_used: np.ndarray
    on: np.ndarray
    generators: np.ndarray


class _Islanded(PlantBus):
    """What is read off an islanded run; "import" is what the generator gives."""

    outage: Outage

    @property
    def unmet(self) -> np.ndarray:
        """What was asked and not served [kW]."""
        return np.maximum(self.outage.asked_kw - self.at_bus("home"), 0.0)

    @property
    def unmet_kwh(self) -> float:
        """Energy asked and not served over the run [kWh]."""
        return float(self.unmet.sum() * self.step_h)

    @property
    def unserved_hours(self) -> float:
        """Hours in which nothing was fed."""
        return float((self.outage.state != island_figures.SERVING).sum() * self.step_h)

    @property
    def trips(self) -> int:
        """How often a limit ended it, an empty battery not counted."""
        return int(np.isin(self.outage.cause, TRIPS).sum())

    @property
    def by_generator(self) -> np.ndarray:
        """What each generator gave, shape (generators, steps) [kW]."""
        return self.outage.generators

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
class IslandSums(_Islanded, PlantSums):
    """What an islanded run comes to."""

    outage: Outage


@dataclass(frozen=True, eq=False)
class IslandYear(_Islanded, PlantYear):
    """An islanded run with the flows of every converter."""

    outage: Outage


def run_island(
    plant: tuple[ConverterPart, ...] | list[ConverterPart],
    pv_kw: np.ndarray,
    step_h: float,
    island: Island,
    thermal_derate: np.ndarray | None = None,
    *,
    stored_kwh: float | np.ndarray | None = None,
    clock: int = 0,
    loads: tuple[ControlledLoad, ...] = (),
) -> IslandYear:
    """Runs an islanded plant and books the flows of every converter.

    Parameters
    ----------
    plant : sequence of ConverterPart
        Its converters.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer [kW].
    step_h : float
        Step length [h].
    island : Island
        What the island is made of.
    thermal_derate : ndarray, shape (2, converters, days), optional
        Share of the charge and the discharge limit that cold or heat leaves on each day; all when left out.
    stored_kwh : float or ndarray, shape (forming,), optional
        Energy at the beginning in the batteries of all that form the grid, evenly filled, or in that of each [kWh];
        their `initial` shares when left out.
    clock : int
        Steps since the first midnight of `thermal_derate` at which the run begins.
    loads : tuple of ControlledLoad
        Loads that a control starts and stops beside its circuits, in the order in which they take surplus.
    """
    if stored_kwh is not None and island.former is not None:
        plant = _filled(plant, island.forming, stored_kwh)
    out, outage, taken = _run(plant, pv_kw, step_h, island, thermal_derate, clock, loads, flows=True)
    flows = out.flows[:, AT_AC], out.flows
    return IslandYear(tuple(plant), step_h, out.bus, out.stored, out.sums, *flows, outage, loads=taken)


def lean_island(
    plant: tuple[ConverterPart, ...] | list[ConverterPart],
    pv_kw: np.ndarray,
    step_h: float,
    island: Island,
    thermal_derate: np.ndarray | None = None,
    *,
    loads: tuple[ControlledLoad, ...] = (),
    again: Callable[[], np.ndarray],
) -> IslandYear:
    """The same run with what a plan reads of it kept; `again` makes its flows when they are looked at."""
    out, outage, taken = _run(plant, pv_kw, step_h, island, thermal_derate, 0, loads, flows=False)
    # Where several form the grid each one's part was taken from the flows; the series alone are kept of them.
    ac_side = out.flows[:, AT_AC] if out.flows.shape[2] else out.ac_side
    return IslandYear(tuple(plant), step_h, out.bus, out.stored, out.sums, ac_side, again, outage, loads=taken)


def sum_island(
    plant: tuple[ConverterPart, ...] | list[ConverterPart],
    pv_kw: np.ndarray,
    step_h: float,
    island: Island,
    thermal_derate: np.ndarray | None = None,
    *,
    loads: tuple[ControlledLoad, ...] = (),
) -> IslandSums:
    """The same run with what it comes to kept alone."""
    out, outage, taken = _run(plant, pv_kw, step_h, island, thermal_derate, 0, loads, flows=False)
    return IslandSums(tuple(plant), step_h, out.bus, out.stored, out.sums, outage, loads=taken)


def _filled(
    plant: tuple[ConverterPart, ...] | list[ConverterPart],
    numbers: tuple[int, ...],
    stored_kwh: float | np.ndarray,
) -> tuple[ConverterPart, ...]:
    """The plant with so much in some batteries at the beginning, so that what is booked closes from there."""
    usable = np.array([plant[number].bank.usable_kwh for number in numbers])
    each = np.broadcast_to(stored_kwh / (usable if np.ndim(stored_kwh) else usable.sum()), usable.shape)
    shares = dict(zip(numbers, np.clip(each, 0.0, 1.0).tolist(), strict=True))
    return tuple(
        replace(part, battery=replace(part.bank, initial=shares[number])) if number in shares else part
        for number, part in enumerate(plant)
    )


def _pool(plant: tuple[ConverterPart, ...] | list[ConverterPart], island: Island, steps: int) -> Pool:
    """Those that form the grid together as the compiled run takes them, with room for so many steps of their levels."""
    if not island.beside:
        return island_pool.ALONE
    parts = [plant[number] for number in island.forming]
    banks = [part.bank for part in parts]
    usable = np.array([bank.usable_kwh for bank in banks])
    count = len(parts)
    return Pool(
        usable,
        np.array([min(part.ac_limit_kw, bank.discharge_kw) for part, bank in zip(parts, banks, strict=True)]),
        np.array([bank.charge_kw for bank in banks]),
        usable * np.array([bank.initial for bank in banks]),
        np.zeros(count),
        np.zeros((count, steps)),
        np.zeros((count, steps)),
    )


def _pooled(plant: tuple[ConverterPart, ...] | list[ConverterPart], island: Island) -> tuple[ConverterPart, ...]:
    """The plant with all that form the grid in the former's place, and nothing in the others'."""
    if not island.beside:
        return tuple(plant)
    parts = [plant[number] for number in island.forming]
    banks = [part.bank for part in parts]
    usable = sum(bank.usable_kwh for bank in banks)

    def whole(name: str) -> float:
        return float(sum(getattr(bank, name) for bank in banks))

    def by_energy(name: str) -> float:
        return float(sum(getattr(bank, name) * bank.usable_kwh for bank in banks) / usable)

    # At each level the amps of all bring what each brings at its own volts.
    amps = whole("discharge_a")
    empty, low, high, full = np.sum([bank.discharge_a * bank.volts for bank in banks], axis=0) / amps
    charge_a = sum(bank.charge_a * float(bank.volts[0]) for bank in banks) / empty
    battery = replace(
        banks[0],
        usable_kwh=usable,
        **{name: whole(name) for name in ("charge_kw", "discharge_kw", "discharge_a", "from_ac_kw", "rated_kw")},
        charge_a=float(charge_a),
        empty_v=float(empty),
        low_v=float(low),
        high_v=float(high),
        full_v=float(full),
        taper_from=min(bank.taper_from for bank in banks),
        taper_to=min(bank.taper_to for bank in banks),
        peukert=max(bank.peukert for bank in banks),
        **{
            name: by_energy(name)
            for name in ("charge_efficiency", "discharge_efficiency", "dc_dc_efficiency", "reserve", "initial")
        },
    )
    leader = replace(
        parts[0],
        ac_limit_kw=sum(part.ac_limit_kw for part in parts),
        loss_rated_kw=sum(part.loss_rated_kw or part.ac_limit_kw for part in parts),
        standby_kw=sum(part.standby_kw for part in parts),
        battery=battery,
    )
    idle = {number: replace(plant[number], battery=None, standby_kw=0.0) for number in island.beside}
    return tuple(leader if n == island.former else idle.get(n, part) for n, part in enumerate(plant))


def _shared_out(book: Record, island: Island, pool: Pool) -> None:
    """Gives each of those that form the grid together its part of what was booked for all, step by step."""
    whole = book.flows[island.former].copy()
    for number, level, share in zip(island.forming, pool.levels, pool.shares, strict=True):
        book.stored[number] = level
        book.flows[number] = whole * share
        book.flows[number, STORED] = level
        book.sums[number] = book.flows[number].sum(axis=1)


def _on_former(loads: tuple[ControlledLoad, ...], island: Island) -> tuple[ControlledLoad, ...]:
    """Loads as the island serves them: on a DC bus where one unit forms it and that bus is its own, else over AC."""
    own = None if island.former is None or island.beside else island.former + 1
    return tuple(load if load.converter in (0, own) else load.after(converter=0) for load in loads)


def _derate(
    island: Island, plant: tuple[ConverterPart, ...] | list[ConverterPart], shares: np.ndarray
) -> np.ndarray:
    """What cold and heat leave of the batteries of those that form the grid, shape (2, days)."""
    usable = np.array([plant[number].bank.usable_kwh for number in island.forming])
    return np.ascontiguousarray((shares[:, list(island.forming)] * usable[:, None]).sum(axis=1) / usable.sum())


def _run(
    plant: tuple[ConverterPart, ...] | list[ConverterPart],
    pv_kw: np.ndarray,
    step_h: float,
    island: Island,
    thermal_derate: np.ndarray | None,
    clock: int,
    loads: tuple[ControlledLoad, ...],
    *,
    flows: bool,
) -> tuple[Record, Outage, LoadsRun]:
    steps, n = island.load_kw.shape[1], len(plant)
    pool = _pool(plant, island, steps)
    out = IslandRecord(
        # What each of several had is parted step by step.
        new_record(n, steps, flows=flows or bool(island.beside), ac_side=not flows),
        np.empty(steps, dtype=np.int8),
        np.empty(steps, dtype=np.int8),
        np.empty(steps),
        np.empty(steps),
        np.empty((steps, island.load_kw.shape[0]), dtype=bool),
        np.empty((island.limits.told_generators, steps)),
        new_load_record(len(loads), steps),
    )
    loads = _on_former(loads, island)
    asked = pack_loads(loads, steps, step_h)
    pooled = _pooled(plant, island)
    c = pack(pooled)
    arrays = island.arrays(c, np.ascontiguousarray(pv_kw, dtype=float))
    if island.former is None:
        islanded.run_without_former(
            c,
            new_work(n),
            island.limits.typed,
            island.circuits,
            arrays,
            float(step_h),
            out,
            asked,
            new_load_work(asked),
        )
    else:
        j = island.former
        derate = _derate(island, plant, checked_derate(thermal_derate, n))
        limits = island.limits.typed
        battery = pooled[j].bank
        stored = pool.stored.sum() if island.beside else battery.initial * battery.usable_kwh
        islanded.run(
            c,
            new_work(n),
            j,
            limits,
            island.circuits,
            arrays,
            derate,
            clock,
            0,
            steps,
            float(stored),
            float(step_h),
            False,
            out,
            asked,
            new_load_work(asked),
            pool,
        )
        if island.beside:
            _shared_out(out.book, island, pool)
    asked_kw = island.asked_kw + out.loads.kw.sum(axis=0) if loads else island.asked_kw
    outage = Outage(asked_kw, out.state, out.cause, out.ac_offered, out.ac_used, out.on, out.generators)
    return out.book, outage, LoadsRun(tuple(loads), step_h, *out.loads)


@dataclass(frozen=True, eq=False)
class ReadyOutages:
    """Outages of a plant from many starts, packed once and run from any energies; see `ready_outages`."""

    c: np.ndarray
    former: int
    limits: Limits
    circuits: Circuits
    arrays: Arrays
    derate: np.ndarray
    starts: np.ndarray
    most: int
    step_h: float
    pool: Pool

    def hours(self, stored_kwh: np.ndarray, of: np.ndarray | None = None) -> np.ndarray:
        """Hours served from each start, shape (starts,) [h].

        Parameters
        ----------
        stored_kwh : ndarray, shape (forming, starts)
            Energy in the battery of each that forms the grid at each start [kWh].
        of : ndarray of int, shape (starts,), optional
            Numbers of the starts, all of them when left out.
        """
        held = np.ascontiguousarray(stored_kwh, dtype=float)
        # Each call parts its energies in room of its own: outages may be run beside each other.
        pool = self.pool._replace(stored=self.pool.stored.copy(), part=self.pool.part.copy())
        served = islanded.survival(
            self.c,
            new_work(self.c.size),
            self.former,
            self.limits,
            self.circuits,
            self.arrays,
            self.derate,
            held.sum(axis=0),
            self.starts if of is None else self.starts[of],
            self.most,
            self.step_h,
            NO_LOAD_STEPS,
            new_load_work(NO_LOAD_STEPS),
            pool,
            held if pool.stored.size else held[:0],
        )
        return np.asarray(served * self.step_h)


def ready_outages(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    step_h: float,
    island: Island,
    thermal_derate: np.ndarray | None,
    starts: np.ndarray,
    most: int,
) -> ReadyOutages:
    """Outages from each of many starts of a year that follows itself.

    Parameters
    ----------
    plant, pv_kw, step_h, island, thermal_derate
        As in `run_island`, of a whole year.
    starts : ndarray of int, shape (starts,)
        First step of each outage.
    most : int
        Steps after which an outage counts as ridden through.
    """

    def wrapped(series: np.ndarray) -> np.ndarray:
        return np.ascontiguousarray(np.concatenate([series, series[..., :most]], axis=-1))

    former = island.former
    assert former is not None, "something forms the grid"
    c = pack(_pooled(plant, island))
    arrays = island.arrays(c, np.ascontiguousarray(pv_kw, dtype=float))
    arrays = arrays._replace(
        **{
            name: wrapped(getattr(arrays, name))
            for name in ("pv_kw", "ac_kw", "smooth_kw", "switched_kw", "even_kw")
        }
    )
    circuits = island.circuits
    circuits = circuits._replace(
        **{name: wrapped(getattr(circuits, name)) for name in ("load_kw", "start_kw", "again_kw")}
    )
    derate = _derate(island, plant, checked_derate(thermal_derate, len(plant)))
    first = np.asarray(starts, dtype=np.int64)
    pool = _pool(plant, island, 0)
    return ReadyOutages(c, former, island.limits.typed, circuits, arrays, derate, first, most, float(step_h), pool)
