"""Strings on tracker inputs: what hangs where, and the figures that its limits are held against."""

from dataclasses import dataclass
from functools import cached_property

from calm_relay.job.equipment import ISC_FACTOR, Inverter, Module, Optimiser, Tracker
from calm_relay.job.survey import StringPlan
from calm_relay.physics.strings import (
    cold_open_circuit_v,
    hot_max_power_v,
    reverse_current_a,
    string_fuse_a,
)
from calm_relay.planning.common.joined import joined
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.site.array import DesignTemperatures, Face
from calm_relay.planning.strings.limits import (
    COLD,
    HOT,
    NO_SITE_LIMIT,
    START,
    CurrentLimit,
    SiteLimit,
    VoltageLimit,
    current_limits,
    rear_gain,
    voltage_limits,
)

SURVEYED, PLANNED, LAID = "surveyed", "planned", "laid"


@dataclass(frozen=True)
class StringRun:
    """Equal strings of one face in parallel on one tracker.

    With an optimiser under each module several runs may be in series: they share a `chain`, a number from 1.
    """

    face: Face
    in_series: int
    parallel: int
    tracker: Tracker
    tracker_number: int
    optimiser: Optimiser | None = None
    chain: int = 0

    @property
    def module(self) -> Module:
        """What the strings are made of."""
        return self.face.module

    @property
    def modules(self) -> int:
        """Modules of all its strings."""
        return self.in_series * self.parallel

    @property
    def kw(self) -> float:
        """Rated power [kW]."""
        return self.modules * self.module.power_w / 1000.0

    @property
    def together(self) -> int:
        """Modules in series that the input sees: an optimiser sees one, whatever hangs beside it."""
        return 1 if self.optimiser else self.in_series

    def open_v(self, cell_c: float) -> float:
        """Open-circuit voltage that meets the input [V]; of one module before an optimiser."""
        return cold_open_circuit_v(self.module.open_circuit_v, self.module.voc_per_c, self.together, cell_c)

    def working_v(self, cell_c: float) -> float:
        """Maximum-power voltage that meets the input [V]; of one module before an optimiser."""
        return hot_max_power_v(self.module.max_power_v, self.module.vmp_per_c, self.together, cell_c)

    def limits(self, temperatures: DesignTemperatures, site: SiteLimit = NO_SITE_LIMIT) -> dict[str, VoltageLimit]:
        """What its voltage is held against, by key, in the order of `voltage_limits`."""
        limits = voltage_limits(
            self.module, self.tracker, temperatures.cold_c, temperatures.hot_c, site, self.optimiser
        )
        return {limit.key: limit for limit in limits}

    def missed(
        self, temperatures: DesignTemperatures, site: SiteLimit = NO_SITE_LIMIT
    ) -> tuple[VoltageLimit, ...]:
        """Limits that its voltage misses, those that stop it first."""
        return tuple(limit for limit in self.limits(temperatures, site).values() if limit.missed(self.together))

    @property
    def short_circuit_a(self) -> float:
        """Sum of short-circuit currents at test conditions, with what light on the back adds [A]."""
        return self.parallel * self.module.short_circuit_a * rear_gain(self.module, self.face.plan.mounting)

    @property
    def working_a(self) -> float:
        """Sum of maximum-power currents at 25 degC [A]."""
        return self.parallel * self.module.max_power_a


@dataclass(frozen=True)
class LeftOut:
    """Modules of a face that are on no string, and why."""

    face: Face
    modules: int
    reason: str


@dataclass(frozen=True)
class Input:
    """One tracker with the runs that hang on it."""

    number: int
    tracker: Tracker
    runs: tuple[StringRun, ...]

    @property
    def strings(self) -> int:
        """Strings in parallel; runs of one chain are one string."""
        chains = {run.chain for run in self.runs if run.chain}
        return len(chains) + sum(run.parallel for run in self.runs if not run.chain)

    @property
    def short_circuit_a(self) -> float:
        """What all its strings give when shorted [A]."""
        chained = {run.chain: run.short_circuit_a for run in self.runs if run.chain}
        return sum(run.short_circuit_a for run in self.runs if not run.chain) + sum(chained.values())

    @property
    def working_a(self) -> float:
        """What all its strings give at their best [A]."""
        chained = {run.chain: run.module.max_power_a for run in self.runs if run.chain}
        return sum(run.working_a for run in self.runs if not run.chain) + sum(chained.values())

    @property
    def limits(self) -> tuple[CurrentLimit, ...]:
        """What its current is held against; nothing where optimisers limit it."""
        if any(run.optimiser for run in self.runs):
            return ()
        return current_limits(self.short_circuit_a, self.working_a, self.tracker)

    @property
    def usable_kw(self) -> float:
        """Power at which the tracker's usable current binds, at 25 degC [kW]."""
        if any(run.optimiser for run in self.runs):
            # Optimisers raise the voltage instead of the current.
            return sum(run.kw for run in self.runs)
        volts = min(run.working_v(25.0) for run in self.runs)
        return self.tracker.usable_a * volts / 1000.0

    @property
    def held_v(self) -> float:
        """Volts at which the inverter holds strings of optimisers: the middle of its window, assumed [V]."""
        return (self.tracker.full_power_low_v + self.tracker.mppt_high_v) / 2.0

    @property
    def is_mixed(self) -> bool:
        """Whether strings of unlike faces hang in parallel without optimisers."""
        faces = {(run.face.plan.tilt, run.face.plan.azimuth) for run in self.runs if not run.optimiser}
        return len(faces) > 1

    @property
    def is_unequal(self) -> bool:
        """Whether strings in parallel differ in length or module, which no tracker can serve."""
        return len({(run.in_series, run.module.key) for run in self.runs if not run.optimiser}) > 1


@dataclass(frozen=True)
class Fusing:
    """Whether the strings of an input want fuses, by either school, and the size that fits [A]."""

    strings: int
    reverse_a: float
    rating_a: float
    by_rating: bool
    by_count: bool
    size_a: float | None

    def needed(self, school: str) -> bool:
        """Whether the job's school wants them."""
        return self.by_rating if school == "series-fuse rating" else self.by_count or self.by_rating


@dataclass(frozen=True)
class Stringing:
    """Strings on trackers, what was left out, and how they came about: surveyed, planned by hand or laid."""

    runs: tuple[StringRun, ...]
    left_out: tuple[LeftOut, ...] = ()
    origin: str = SURVEYED
    faults: tuple[str, ...] = ()

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """The trackers in use, in order."""
        numbers = sorted({run.tracker_number for run in self.runs})
        result = []
        for number in numbers:
            runs = tuple(run for run in self.runs if run.tracker_number == number)
            result.append(Input(number, runs[0].tracker, runs))
        return tuple(result)

    @property
    def strings(self) -> int:
        """Strings in all."""
        return sum(item.strings for item in self.inputs)

    @property
    def homeless(self) -> int:
        """Modules on no string."""
        return sum(item.modules for item in self.left_out)

    @property
    def usable_kw(self) -> float:
        """Power at which the trackers' currents bind together [kW]."""
        return sum(item.usable_kw for item in self.inputs)


def fusing_of(item: Input, method: str = "IEC") -> Fusing | None:
    """Fuses of an input's strings; None where there is one string, or an optimiser limits each."""
    if item.strings < 2 or any(run.optimiser for run in item.runs):
        return None
    module = max((run.module for run in item.runs), key=lambda module: module.short_circuit_a)
    reverse = reverse_current_a(module.short_circuit_a, item.strings)
    return Fusing(
        item.strings,
        reverse,
        module.series_fuse_a,
        reverse > module.series_fuse_a,
        item.strings > 2,
        string_fuse_a(module.short_circuit_a, module.series_fuse_a, method),
    )


def surveyed_strings(faces: tuple[Face, ...], inverter: Inverter) -> Stringing:
    """Each face on inputs of its own, in order, its strings spread over as many as there are.

    Who wired them had no reason to put two strings on one input and to leave another empty.
    """
    trackers = inverter.pv.trackers if inverter.pv else ()
    wanted = [face.plan.strings for face in faces]
    inputs = _fewest_inputs(wanted, trackers)
    hung = _hung(wanted, inputs, trackers)
    for _ in range(len(trackers) - sum(inputs)):
        crowded = sorted(range(len(faces)), key=lambda n: -wanted[n] / max(inputs[n], 1))
        for number in (n for n in crowded if 0 < inputs[n] < wanted[n]):
            more = [count + (n == number) for n, count in enumerate(inputs)]
            spread = _hung(wanted, more, trackers)
            if sum(map(sum, spread)) == sum(map(sum, hung)):
                inputs, hung = more, spread
                break
    runs, left_out, number = [], [], 0
    for face, each in zip(faces, hung, strict=True):
        for parallel in each:
            number += 1
            runs.append(StringRun(face, face.plan.in_series, parallel, trackers[number - 1], number))
        if left := face.plan.strings - sum(each):
            reason = "every input is taken" if inverter.pv else "there is no input"
            left_out.append(LeftOut(face, left * face.plan.in_series, reason))
    return Stringing(tuple(runs), tuple(left_out), SURVEYED)


def _fewest_inputs(wanted: list[int], trackers: tuple[Tracker, ...]) -> list[int]:
    """How many inputs the strings of each face take at least, each input filled before the next."""
    free = list(trackers)
    result = []
    for left in wanted:
        count = 0
        while left > 0 and free:
            left -= free.pop(0).strings
            count += 1
        result.append(count)
    return result


def _hung(wanted: list[int], inputs: list[int], trackers: tuple[Tracker, ...]) -> list[list[int]]:
    """Strings on each input of each face, of so many inputs one after another, as even as the inputs take them."""
    free = iter(trackers)
    result = []
    for strings, count in zip(wanted, inputs, strict=True):
        room = [next(free).strings for _ in range(count)]
        on = [0] * count
        for _ in range(min(strings, sum(room))):
            on[min((n for n in range(count) if on[n] < room[n]), key=lambda n: on[n])] += 1
        result.append(on)
    return result


def planned_strings(
    faces: tuple[Face, ...], inverter: Inverter, plan: StringPlan, optimisers: dict[str, Optimiser]
) -> Stringing:
    """Strings as they were laid by hand; what cannot be so stands among the faults.

    Parameters
    ----------
    faces : tuple of Face
        Faces of the roof.
    inverter : Inverter
        The inverter they hang on.
    plan : job.survey.StringPlan
        The plan.
    optimisers : dict of str to Optimiser
        By face name, for faces that have them.
    """
    by_name = {face.plan.name: face for face in faces}
    trackers = inverter.pv.trackers if inverter.pv else ()
    counted: dict[tuple[str, int, int], int] = {}
    faults: list[str] = []
    used = dict.fromkeys(by_name, 0)
    chains: dict[tuple[int, int], int] = {}
    runs = []
    for at, string in enumerate(plan.strings):
        face = by_name.get(string.face)
        if face is None:
            faults.append(f"no face is called {string.face!r}")
            continue
        used[string.face] += string.modules
        if string.input > len(trackers):
            faults.append(f"input {string.input} does not exist: {inverter.name} has {len(trackers)}")
            continue
        if string.face in optimisers:
            # Numbers of the plan's own for strings on one face, which no typed number reaches.
            own = string.chain if string.chain is not None else -1 - at
            chain = chains.setdefault((string.input, own), len(chains) + 1)
            tracker = trackers[string.input - 1]
            runs.append(StringRun(face, string.modules, 1, tracker, string.input, optimisers[string.face], chain))
            continue
        key = string.face, string.modules, string.input
        counted[key] = counted.get(key, 0) + 1
    for (name, modules, number), parallel in counted.items():
        runs.append(StringRun(by_name[name], modules, parallel, trackers[number - 1], number))
    for chain in set(chains.values()):
        kinds = {run.optimiser.name for run in runs if run.optimiser and run.chain == chain}
        if len(kinds) > 1:
            faults.append(f"{joined(sorted(kinds))} are in one string")
    left_out = []
    for name, face in by_name.items():
        if used[name] > face.plan.count:
            faults.append(f"{name} holds {face.plan.count} modules, the strings ask for {used[name]}")
        elif used[name] < face.plan.count:
            left_out.append(LeftOut(face, face.plan.count - used[name], "laid so by hand"))
    for number, tracker in enumerate(trackers, 1):
        strings = Input(number, tracker, tuple(run for run in runs if run.tracker_number == number)).strings
        if strings > tracker.strings:
            faults.append(f"input {number} takes {tracker.strings} strings, {strings} are laid on it")
    return Stringing(tuple(runs), tuple(left_out), PLANNED, tuple(faults))


MISSED = {
    COLD: "{volts:.0f} V on the coldest morning against {limit:.0f} V ({owner})",
    HOT: "{volts:.0f} V when hot, below the tracker's {limit:.0f} V",
    START: "{volts:.0f} V open when hot, below the {limit:.0f} V to start",
}


def hard_refusals(stringing: Stringing, temperatures: DesignTemperatures, site: SiteLimit) -> list[str]:
    """Reasons why these strings must not be connected to these inputs, in sentences."""
    reasons = [
        f"{item.face.plan.name}: {item.modules} modules find no input, {item.reason}"
        for item in stringing.left_out
    ]
    reasons += stringing.faults
    for run in stringing.runs:
        # Where it does not track, that it does not start either says nothing new.
        hard = {limit.key: limit for limit in run.missed(temperatures, site) if limit.severity is Severity.STOP}
        if HOT in hard:
            hard.pop(START, None)
        for limit in hard.values():
            sentence = MISSED[limit.key].format(
                volts=limit.volts(run.together), limit=limit.limit_v, owner=limit.owner
            )
            reasons.append(f"{run.face.plan.name}: {sentence}")
    for item in stringing.inputs:
        reasons += [
            f"input {item.number}: {limit.amps:.1f} A short-circuit (with the factor {ISC_FACTOR:g}) against "
            f"{limit.limit_a:.1f} A"
            for limit in item.limits
            if limit.missed and limit.severity is Severity.STOP
        ]
        if item.is_unequal:
            reasons.append(f"input {item.number}: strings in parallel differ in length or module")
    return reasons
