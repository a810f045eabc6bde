"""Loads that a control starts and stops: a store of energy each, what it must take and what it may take.

A tank of hot water, a car, a machine with so much to do a day and a heat pump with a buffer are one thing here. Energy
is drawn from the store as it is used, the store loses a share each hour, and each kWh of electricity fills it by a
gain. What must be taken at once to reach a level, or to be full in time, is taken from whatever supplies the house;
beyond that a load takes what the arrays leave, before the batteries or after them.
"""

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from calm_relay.physics.compiling import compiled, inlined
from calm_relay.physics.kept import STORE
from calm_relay.physics.plant.converter import records
from calm_relay.physics.unchanging import digest_of, is_frozen

# Powers in kW, energies in kWh. `first` is 1 for a load that takes surplus before the batteries do, `from_battery` 1
# where batteries serve what it must take, `managed` 1 where it holds back so that the main fuse holds. From `on_above`
# of the batteries' charge on, until it falls below `off_below`, a load is filled whatever supplies it; 0: never. A load
# hangs on the DC bus of the converter of a number, counted from 1, or on the AC bus where it is 0; one that gives back
# does so down to `keep_kwh`, and takes `per_give` of its store for each kWh.
LOAD = records(
    [
        (name, "f8")
        for name in (
            "cap_kwh",
            "loss_per_h",
            "max_kw",
            "min_kw",
            "step_kw",
            "soc_above",
            "on_above",
            "off_below",
            "initial_kwh",
            "gives_kw",
            "keep_kwh",
            "per_give",
        )
    ]
    + [(name, "i8") for name in ("first", "from_battery", "managed", "phase", "converter")]
)


# Fields of a load that may hold whatever their type does.
UNCHECKED = {"first", "from_battery", "managed", "phase", "converter"}


@dataclass(frozen=True, eq=False)
class ControlledLoad:
    """One load and what it is asked, step by step.

    Attributes
    ----------
    cap_kwh : float
        Energy its store holds [kWh].
    max_kw, min_kw : float
        Most power it takes, and least that it can take at all [kW].
    draw_kw : ndarray, shape (steps,)
        What is used of the store [kW].
    gain : ndarray, shape (steps,)
        Energy into the store over electricity; a heat pump's coefficient of performance.
    may : ndarray of bool, shape (steps,)
        Whether it takes surplus.
    fill_to_kwh : ndarray, shape (steps,)
        Level to which it is filled at once, whatever supplies it [kWh].
    hours_left : ndarray, shape (steps,)
        Time until it is wanted full [h]; 0 where it is wanted at no time.
    loss_per_h : float
        Share of what is stored that is lost in an hour.
    step_kw : float
        Steps of its power on surplus [kW]; 0 where it takes any power.
    soc_above : float
        State of charge of the batteries from which it takes surplus.
    on_above, off_below : float
        State of charge from which a port feeds it, and below which it does so no more; 0: no port.
    first, from_battery, managed : bool
        See `LOAD`.
    phase : int
        1, 2 or 3; 0 for one that is spread evenly.
    initial : float
        Share of its store that is full at the start.
    converter : int
        Number of the converter on whose DC bus it hangs, from 1; 0: on the AC bus.
    gives_kw, keep_kwh, give_efficiency : float
        Most that it gives back while it is wanted full at some time [kW], down to an energy in its store [kWh], and
        what of its store comes out.
    """

    cap_kwh: float
    max_kw: float
    draw_kw: np.ndarray
    gain: np.ndarray
    may: np.ndarray
    fill_to_kwh: np.ndarray
    hours_left: np.ndarray
    min_kw: float = 0.0
    loss_per_h: float = 0.0
    step_kw: float = 0.0
    soc_above: float = 0.0
    on_above: float = 0.0
    off_below: float = 0.0
    first: bool = False
    from_battery: bool = True
    managed: bool = False
    phase: int = 0
    initial: float = 1.0
    converter: int = 0
    gives_kw: float = 0.0
    keep_kwh: float = 0.0
    give_efficiency: float = 1.0

    def __post_init__(self) -> None:
        series = (self.draw_kw, self.gain, self.may, self.fill_to_kwh, self.hours_left)
        if len({item.size for item in series}) != 1:
            raise ValueError(
                f"a load's series have {sorted({item.size for item in series})} steps; wanted one length"
            )
        if not (self.cap_kwh > 0.0 and self.max_kw > 0.0 and 0.0 <= self.min_kw <= self.max_kw):
            raise ValueError("a load wants a capacity and power above 0, and its least power at most its most")
        if any(item.size and not item.min() >= 0.0 for item in (self.draw_kw, self.fill_to_kwh, self.hours_left)):
            raise ValueError("a load's series must hold numbers at or above 0")
        if self.gain.size and not self.gain.min() > 0.0:
            raise ValueError("gain must hold numbers above 0")

    def after(self, **changes: object) -> "ControlledLoad":
        """The same with fields changed; what was checked is not checked again where it stays."""
        if unknown := changes.keys() - vars(self).keys():
            raise TypeError(f"a load has no {', '.join(sorted(unknown))}")
        made = copy(self)
        vars(made).update(changes)
        if not changes.keys() <= UNCHECKED:
            made.__post_init__()
        return made


class LoadSteps(NamedTuple):
    """Loads as the compiled runs take them; see `ControlledLoad`. Series have shape (loads, steps).

    Energies are those of a step: `draw_kwh`, and `gain_h`, what a kW brings in; `per_gain_h` is its reciprocal.
    """

    spec: np.ndarray
    draw_kwh: np.ndarray
    gain_h: np.ndarray
    per_gain_h: np.ndarray
    may: np.ndarray
    fill_to_kwh: np.ndarray
    hours_left: np.ndarray


class LoadRecord(NamedTuple):
    """What a run fills of its loads.

    Attributes
    ----------
    kw : ndarray, shape (loads, steps)
        Power taken [kW].
    stored : ndarray, shape (loads, steps)
        Energy in each store at the end of each step [kWh].
    sums : ndarray, shape (loads, len(LOAD_SUMS))
        Over the run [kWh]: electricity taken on surplus, energy of the store that was lost, that was wanted in vain,
        and that was given back.
    """

    kw: np.ndarray
    stored: np.ndarray
    sums: np.ndarray


LOAD_SUMS = ("surplus", "lost", "short", "given")
SURPLUS, LOST, SHORT, GIVEN = range(len(LOAD_SUMS))


# Working figures of a load: what its store holds, and what of it was lost, wanted in vain and taken on surplus so far
# [kWh]; in a step the power taken, the most that can be taken, what it must have and what arrays gave [kW]; whether its
# port is on.
LOAD_WORK = records([(name, "f8") for name in ("level", "taken", "most", "wish", "extra", "on", *LOAD_SUMS)])


def pack_loads(loads: Sequence[ControlledLoad], steps: int, step_h: float) -> LoadSteps:
    """Loads in the types that the compiled runs are made for.

    Raises
    ------
    ValueError
        When a load's series have another length than the run.
    """
    spec = np.zeros(len(loads), dtype=LOAD)
    for number, load in enumerate(loads):
        if load.draw_kw.size != steps:
            raise ValueError(f"load {number} has {load.draw_kw.size} steps; the run has {steps}")
        for name in LOAD.names or ():
            made = {"initial_kwh": load.initial * load.cap_kwh, "per_give": 1.0 / load.give_efficiency}
            spec[number][name] = made[name] if name in made else getattr(load, name)
        spec[number]["loss_per_h"] = min(load.loss_per_h * step_h, 1.0)

    return LoadSteps(
        spec,
        _table(loads, "draw_kw", step_h),
        _table(loads, "gain", step_h),
        _table(loads, "gain", step_h, power=-1),
        _table(loads, "may", kind=np.bool_),
        _table(loads, "fill_to_kwh"),
        _table(loads, "hours_left"),
    )


def _table(
    loads: Sequence[ControlledLoad], name: str, factor: float = 1.0, power: int = 1, kind: type = float
) -> np.ndarray:
    """One series of all loads times a factor, or its reciprocal, shape (loads, steps); kept where none can change."""
    rows = [getattr(load, name) for load in loads]

    def made() -> np.ndarray:
        if not rows:
            return np.zeros((0, 1), dtype=kind)
        table: np.ndarray = np.ascontiguousarray(rows, dtype=kind)
        if factor != 1.0:
            table = table * factor
        return table if power == 1 else 1.0 / table

    if not all(map(is_frozen, rows)):
        return made()
    return STORE.get((_table, name, factor, power, tuple(map(digest_of, rows))), made)


def new_load_record(loads: int, steps: int) -> LoadRecord:
    """Room for what a run fills."""
    return LoadRecord(np.zeros((loads, steps)), np.zeros((loads, steps)), np.zeros((loads, len(LOAD_SUMS))))


def new_load_work(loads: LoadSteps) -> np.ndarray:
    """Room to work in, records of `LOAD_WORK`, the stores at their first level."""
    work = np.zeros(loads.spec.size, dtype=LOAD_WORK)
    work["level"] = loads.spec["initial_kwh"]
    return work


@inlined
def port_is_on(spec: np.ndarray, work: np.ndarray, k: int, charge: float) -> bool:
    """Switches a load's port by the batteries' state of charge; says whether it is on."""
    if spec[k].on_above <= 0.0:
        return False
    if charge >= spec[k].on_above:
        work[k].on = 1.0
    elif charge < spec[k].off_below:
        work[k].on = 0.0
    return work[k].on > 0.0


@inlined
def begin_load(
    spec: np.ndarray,
    work: np.ndarray,
    k: int,
    draw_kwh: float,
    per_gain_h: float,
    fill_to_kwh: float,
    hours_left: float,
    step_h: float,
) -> float:
    """Uses and loses energy of a store; returns the power the load must take whatever supplies it [kW]."""
    held = work[k].level
    lost = held * spec[k].loss_per_h
    work[k].lost += lost
    held -= lost + draw_kwh
    if held < 0.0:
        work[k].short -= held
        held = 0.0
    work[k].level = held
    room = (spec[k].cap_kwh - held) * per_gain_h
    power = min(spec[k].max_kw, room) if room > 0.0 else 0.0
    work[k].most = power
    must = (fill_to_kwh - held) * per_gain_h
    if hours_left > 0.0:
        # What cannot wait for the steps that are left is taken now.
        must = max(must, room - spec[k].max_kw * max(hours_left / step_h - 1.0, 0.0))
    return min(power, max(must, spec[k].min_kw)) if must > 0.0 else 0.0


@inlined
def on_surplus(spec: np.ndarray, work: np.ndarray, k: int, left: float, step_h: float) -> float:
    """Has a load take more of the power that is left over; returns how much [kW]."""
    room = work[k].most - work[k].taken
    take = min(left, room)
    if take <= 0.0:
        return 0.0
    if spec[k].step_kw > 0.0 and take < room:
        take = np.floor(take / spec[k].step_kw + 1e-9) * spec[k].step_kw
    if take < room and work[k].taken + take < spec[k].min_kw - 1e-9:
        return 0.0
    work[k].taken += take
    work[k].surplus += take * step_h
    return take


@inlined
def end_load(spec: np.ndarray, work: np.ndarray, k: int, gain_h: float, step_h: float) -> None:
    """Fills a store with what was taken in a step, or empties it by what it gave back."""
    if work[k].taken >= 0.0:
        work[k].level += work[k].taken * gain_h
        return
    out = -work[k].taken * step_h * spec[k].per_give
    work[k].level -= out
    work[k].given += out


@inlined
def able_to_give(spec: np.ndarray, work: np.ndarray, k: int, hours_left: float, step_h: float) -> float:
    """What a load may give back in a step [kW]: while it is there, above what it keeps, and not while it must fill."""
    if spec[k].gives_kw <= 0.0 or hours_left <= 0.0 or work[k].wish > 0.0 or work[k].taken != 0.0:
        return 0.0
    held = max(work[k].level - spec[k].keep_kwh, 0.0)
    return min(spec[k].gives_kw, held / (step_h * spec[k].per_give))


@inlined
def book_loads(work: np.ndarray, sums: np.ndarray) -> None:
    """Books what the working figures came to; see `LOAD_SUMS`."""
    for k in range(work.size):
        sums[k, SURPLUS], sums[k, LOST], sums[k, SHORT] = work[k].surplus, work[k].lost, work[k].short
        sums[k, GIVEN] = work[k].given


@compiled
def _run_alone(s: LoadSteps, work: np.ndarray, r: LoadRecord, step_h: float) -> None:
    spec, draw_kwh, gain_h, per_gain_h = s.spec, s.draw_kwh, s.gain_h, s.per_gain_h
    fill_to_kwh, hours_left = s.fill_to_kwh, s.hours_left
    kw, stored = r.kw, r.stored
    for t in range(draw_kwh.shape[1]):
        for k in range(spec.size):
            must = begin_load(
                spec, work, k, draw_kwh[k, t], per_gain_h[k, t], fill_to_kwh[k, t], hours_left[k, t], step_h
            )
            work[k].taken = must
            end_load(spec, work, k, gain_h[k, t], step_h)
            kw[k, t], stored[k, t] = must, work[k].level
    book_loads(work, r.sums)


@dataclass(frozen=True, eq=False)
class LoadsRun:
    """What the controlled loads of a run took; see `LoadRecord`."""

    loads: tuple[ControlledLoad, ...]
    step_h: float
    kw: np.ndarray
    stored: np.ndarray
    sums: np.ndarray = field(repr=False)

    @property
    def nbytes(self) -> int:
        """Memory its arrays take [bytes]."""
        return self.kw.nbytes + self.stored.nbytes

    def kwh(self, name: str, load: int | None = None) -> float:
        """Energy over the run [kWh], of one load or of all.

        Parameters
        ----------
        name : {"taken", "used", "surplus", "lost", "short", "given"}
            Electricity taken, without what was given back; energy of the stores used; else see `LoadRecord`.
        load : int, optional
            Number of the load.
        """
        if name == "taken":
            each = self._taken_kwh
        elif name == "used":
            each = self._wanted_kwh - self.sums[:, SHORT]
        else:
            each = self.sums[:, LOAD_SUMS.index(name)]
        return float(each.sum() if load is None else each[load])

    @cached_property
    def _taken_kwh(self) -> np.ndarray:
        return np.asarray(np.maximum(self.kw, 0.0).sum(axis=1) * self.step_h)

    @cached_property
    def _wanted_kwh(self) -> np.ndarray:
        return np.array([item.draw_kw.sum() for item in self.loads]) * self.step_h

    def residuals_kwh(self) -> np.ndarray:
        """What does not close in each store over the run [kWh]."""
        result = []
        for number, load in enumerate(self.loads):
            into = float((np.maximum(self.kw[number], 0.0) * load.gain).sum()) * self.step_h
            last = self.stored[number, -1] if self.kw.size else load.initial * load.cap_kwh
            out = self.kwh("used", number) + self.kwh("lost", number) + self.kwh("given", number)
            result.append(load.initial * load.cap_kwh + into - out - last)
        return np.array(result)

    def on_dc_kw(self, converter: int | None = None) -> np.ndarray:
        """What loads on a DC bus took of it, of one converter's number from 0 or of all, shape (steps,) [kW]."""
        rows = [
            kw
            for load, kw in zip(self.loads, self.kw, strict=True)
            if load.converter > 0 and converter in (None, load.converter - 1)
        ]
        return np.sum(rows, axis=0) if rows else np.zeros(self.kw.shape[1])

    def cut(self, first: int, last: int) -> "LoadsRun":
        """Steps [first, last) alone; sums stay those of the whole."""
        return LoadsRun(self.loads, self.step_h, self.kw[:, first:last], self.stored[:, first:last], self.sums)


NO_LOADS = LoadsRun((), 1.0, *new_load_record(0, 0))


def by_the_clock(loads: Sequence[ControlledLoad], step_h: float) -> LoadsRun:
    """Loads that take what they must and no surplus, as where nothing tells them of any."""
    steps = loads[0].draw_kw.size if loads else 0
    packed = pack_loads(loads, steps, step_h)
    record = new_load_record(len(loads), steps)
    if loads:
        _run_alone(packed, new_load_work(packed), record, float(step_h))
    return LoadsRun(tuple(loads), step_h, *record)
