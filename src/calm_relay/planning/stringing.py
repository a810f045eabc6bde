"""Strings laid on tracker inputs as the job states them, and the hard limits they meet there."""

from dataclasses import dataclass

from calm_relay.job.equipment import Converter, Tracker
from calm_relay.physics.strings import cold_open_circuit_v, hot_max_power_v
from calm_relay.planning.array import DesignTemperatures, Face


@dataclass(frozen=True)
class StringRun:
    """Equal strings of one face in parallel on one tracker."""

    face: Face
    parallel: int
    tracker: Tracker
    tracker_number: int

    @property
    def in_series(self) -> int:
        """Modules in each string."""
        return self.face.plan.in_series

    def cold_v(self, temperatures: DesignTemperatures) -> float:
        """Open-circuit voltage on the coldest morning [V]."""
        module = self.face.module
        return cold_open_circuit_v(module.open_circuit_v, module.voc_per_c, self.in_series, temperatures.cold_c)

    def hot_v(self, temperatures: DesignTemperatures) -> float:
        """Maximum-power voltage with the hottest cells [V]."""
        module = self.face.module
        return hot_max_power_v(module.max_power_v, module.vmp_per_c, self.in_series, temperatures.hot_c)

    @property
    def cold_limit(self) -> tuple[float, str]:
        """Least voltage limit [V] and whose it is."""
        module = self.face.module
        if module.system_voltage_v < self.tracker.max_v:
            return module.system_voltage_v, f"{module.name}, system voltage"
        return self.tracker.max_v, "inverter, maximum input voltage"

    @property
    def short_circuit_a(self) -> float:
        """Sum of short-circuit currents at 25 degC [A]."""
        return self.parallel * self.face.module.short_circuit_a

    @property
    def usable_kw(self) -> float:
        """Power at which the tracker's usable current binds, at 25 degC [kW]."""
        return self.tracker.usable_a * self.face.module.max_power_v * self.in_series / 1000.0


@dataclass(frozen=True)
class Stringing:
    """Strings on trackers, and how many strings found no input."""

    runs: tuple[StringRun, ...]
    homeless: int

    @property
    def usable_kw(self) -> float:
        """Power at which the trackers' currents bind together [kW]."""
        return sum(run.usable_kw for run in self.runs)


def lay_strings(faces: tuple[Face, ...], converter: Converter) -> Stringing:
    """Each face on trackers of its own, in order, with as many strings in parallel as an input takes."""
    free = list(enumerate(converter.pv.trackers if converter.pv else (), 1))
    runs, homeless = [], 0
    for face in faces:
        left = face.plan.strings
        while left and free:
            number, tracker = free.pop(0)
            parallel = min(left, tracker.strings)
            runs.append(StringRun(face, parallel, tracker, number))
            left -= parallel
        homeless += left
    return Stringing(tuple(runs), homeless)


def hard_refusals(stringing: Stringing, temperatures: DesignTemperatures) -> list[str]:
    """Reasons why these strings must not be connected to these inputs, in sentences."""
    reasons = []
    if stringing.homeless:
        reasons.append(f"{stringing.homeless} of the roof's strings find no free tracker input")
    for run in stringing.runs:
        name = run.face.plan.name
        limit_v, owner = run.cold_limit
        cold_v = run.cold_v(temperatures)
        if cold_v > limit_v:
            reasons.append(f"{name}: {cold_v:.0f} V on the coldest morning against {limit_v:.0f} V ({owner})")
        if run.hot_v(temperatures) < run.tracker.mppt_low_v:
            reasons.append(
                f"{name}: {run.hot_v(temperatures):.0f} V when hot, below the tracker's "
                f"{run.tracker.mppt_low_v:.0f} V"
            )
        if run.short_circuit_a > run.tracker.short_circuit_a:
            reasons.append(
                f"{name}: {run.short_circuit_a:.1f} A short-circuit against {run.tracker.short_circuit_a:.1f} A"
            )
    return reasons
