"""Strings on tracker inputs: what hangs where, and the figures that its limits are held against."""

from dataclasses import dataclass
from functools import cached_property

from calm_relay.job.equipment import Inverter, Module, Optimiser, Tracker
from calm_relay.physics.strings import (
    cold_open_circuit_v,
    cold_table_factor,
    hot_max_power_v,
    reverse_current_a,
    string_fuse_a,
)
from calm_relay.planning.site.array import DesignTemperatures, Face

SURVEYED, PLANNED, LAID = "surveyed", "planned", "laid"


@dataclass(frozen=True)
class SiteLimit:
    """Highest array voltage the region's rules allow on this site [V], and whose rule it is."""

    volts: float
    owner: str


NO_SITE_LIMIT = SiteLimit(float("inf"), "")


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
    def _together(self):
        # An optimiser sees one module, whatever hangs beside it.
        return 1 if self.optimiser else self.in_series

    def open_v(self, cell_c: float) -> float:
        """Open-circuit voltage that meets the input [V]; of one module before an optimiser."""
        return cold_open_circuit_v(self.module.open_circuit_v, self.module.voc_per_c, self._together, cell_c)

    def working_v(self, cell_c: float) -> float:
        """Maximum-power voltage that meets the input [V]; of one module before an optimiser."""
        return hot_max_power_v(self.module.max_power_v, self.module.vmp_per_c, self._together, cell_c)

    def cold_v(self, temperatures: DesignTemperatures) -> float:
        """Open-circuit voltage on the coldest morning [V]."""
        return self.open_v(temperatures.cold_c)

    def table_v(self, temperatures: DesignTemperatures) -> float | None:
        """The same by the crystalline silicon table [V]; None where it does not apply."""
        if self.module.technology == "thin film" or temperatures.cold_c < -40:
            return None
        return self._together * self.module.open_circuit_v * cold_table_factor(temperatures.cold_c)

    def hot_v(self, temperatures: DesignTemperatures) -> float:
        """Maximum-power voltage with the hottest cells [V]."""
        return self.working_v(temperatures.hot_c)

    def cold_limit(self, site: SiteLimit = NO_SITE_LIMIT) -> tuple[float, str]:
        """Least voltage limit [V] and whose it is."""
        if self.optimiser:
            return self.optimiser.max_v, f"{self.optimiser.name}, highest input voltage"
        limits = [
            (self.tracker.max_v, "inverter, maximum input voltage"),
            (self.module.system_voltage_v, f"{self.module.name}, system voltage"),
            (site.volts, site.owner),
        ]
        return min(limits, key=lambda limit: limit[0])

    @property
    def window(self) -> tuple[float, float, float, float]:
        """Lower edge, full-power edge, upper edge of tracking, and start-up voltage [V]."""
        if self.optimiser:
            low, high = self.optimiser.mppt_low_v, self.optimiser.mppt_high_v
            return low, low, high, low
        return (
            self.tracker.mppt_low_v,
            self.tracker.full_power_low_v,
            self.tracker.mppt_high_v,
            self.tracker.start_v,
        )

    @property
    def short_circuit_a(self) -> float:
        """Sum of short-circuit currents at 25 degC [A]."""
        return self.parallel * self.module.short_circuit_a

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
        chained = {run.chain: run.module.short_circuit_a for run in self.runs if run.chain}
        return sum(run.short_circuit_a for run in self.runs if not run.chain) + sum(chained.values())

    @property
    def working_a(self) -> float:
        """What all its strings give at their best [A]."""
        chained = {run.chain: run.module.max_power_a for run in self.runs if run.chain}
        return sum(run.working_a for run in self.runs if not run.chain) + sum(chained.values())

    @property
    def usable_kw(self) -> float:
        """Power at which the tracker's usable current binds, at 25 degC [kW]."""
        if any(run.optimiser for run in self.runs):
            # Optimisers raise the voltage instead of the current.
            return sum(run.kw for run in self.runs)
        volts = min(run.working_v(25.0) for run in self.runs)
        return self.tracker.usable_a * volts / 1000.0

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
    """Each face on trackers of its own, in order, with as many strings in parallel as an input takes."""
    free = list(enumerate(inverter.pv.trackers if inverter.pv else (), 1))
    runs, left_out = [], []
    for face in faces:
        left = face.plan.strings
        while left and free:
            number, tracker = free.pop(0)
            parallel = min(left, tracker.strings)
            runs.append(StringRun(face, face.plan.in_series, parallel, tracker, number))
            left -= parallel
        if left:
            reason = f"all {len(inverter.pv.trackers)} inputs are taken" if inverter.pv else "there is no input"
            left_out.append(LeftOut(face, left * face.plan.in_series, reason))
    return Stringing(tuple(runs), tuple(left_out), SURVEYED)


def planned_strings(faces: tuple[Face, ...], inverter: Inverter, plan, optimisers) -> Stringing:
    """Strings as they were laid by hand; what cannot be so stands among the faults.

    Parameters
    ----------
    faces : tuple of Face
    converter : Converter
    plan : job.survey.StringPlan
    optimisers : dict of str to Optimiser
        By face name, for faces that have them.
    """
    by_name = {face.plan.name: face for face in faces}
    trackers = inverter.pv.trackers if inverter.pv else ()
    counted, faults, used = {}, [], dict.fromkeys(by_name, 0)
    chains = 0
    runs = []
    for string in plan.strings:
        face = by_name.get(string.face)
        if face is None:
            faults.append(f"no face is called {string.face!r}")
            continue
        used[string.face] += string.modules
        if string.input > len(trackers):
            faults.append(f"input {string.input} does not exist: {inverter.name} has {len(trackers)}")
            continue
        if string.face in optimisers:
            chains += 1
            tracker = trackers[string.input - 1]
            runs.append(StringRun(face, string.modules, 1, tracker, string.input, optimisers[string.face], chains))
            continue
        key = string.face, string.modules, string.input
        counted[key] = counted.get(key, 0) + 1
    for (name, modules, number), parallel in counted.items():
        runs.append(StringRun(by_name[name], modules, parallel, trackers[number - 1], number))
    left_out = []
    for name, face in by_name.items():
        if used[name] > face.plan.count:
            faults.append(f"{name} holds {face.plan.count} modules, the strings ask for {used[name]}")
        elif used[name] < face.plan.count:
            left_out.append(LeftOut(face, face.plan.count - used[name], "laid so by hand"))
    for number, tracker in enumerate(trackers, 1):
        strings = sum(run.parallel for run in runs if run.tracker_number == number)
        if strings > tracker.strings:
            faults.append(f"input {number} takes {tracker.strings} strings, {strings} are laid on it")
    return Stringing(tuple(runs), tuple(left_out), PLANNED, tuple(faults))


def hard_refusals(stringing: Stringing, temperatures: DesignTemperatures, site: SiteLimit) -> list[str]:
    """Reasons why these strings must not be connected to these inputs, in sentences."""
    reasons = [
        f"{item.face.plan.name}: {item.modules} modules find no input, {item.reason}"
        for item in stringing.left_out
    ]
    reasons += stringing.faults
    for run in stringing.runs:
        name = run.face.plan.name
        limit_v, owner = run.cold_limit(site)
        cold_v = run.cold_v(temperatures)
        if cold_v > limit_v:
            reasons.append(f"{name}: {cold_v:.0f} V on the coldest morning against {limit_v:.0f} V ({owner})")
        low_v, _, _, start_v = run.window
        if run.hot_v(temperatures) < low_v:
            reasons.append(f"{name}: {run.hot_v(temperatures):.0f} V when hot, below the tracker's {low_v:.0f} V")
        elif run.open_v(temperatures.hot_c) < start_v:
            reasons.append(
                f"{name}: {run.open_v(temperatures.hot_c):.0f} V open when hot, below the {start_v:.0f} V to start"
            )
    for item in stringing.inputs:
        if item.short_circuit_a > item.tracker.short_circuit_a and not any(run.optimiser for run in item.runs):
            reasons.append(
                f"input {item.number}: {item.short_circuit_a:.1f} A short-circuit against "
                f"{item.tracker.short_circuit_a:.1f} A"
            )
        if item.is_unequal:
            reasons.append(f"input {item.number}: strings in parallel differ in length or module")
    return reasons
