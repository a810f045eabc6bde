"""The planned plant as its meters would show it through a day of its year, with faults to order."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property, lru_cache
from typing import Final

import numpy as np

from calm_relay.fieldbus.readings import BatteryReading, DcInput, DeviceReading, InverterReading, MeterReading
from calm_relay.physics.iv_curve import CurvePoints, string_current
from calm_relay.physics.plant.inputs import run_inputs
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.architecture.connections import unit_keys
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.commissioning.conditions import Light
from calm_relay.planning.commissioning.strings_now import String, faces_in, module_groups, strings_of
from calm_relay.planning.operation.phases import home_by_phase
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.site.site_year import shaded_plane
from calm_relay.planning.verdict.option import Option

FAULTS: Final = {
    "reversed-ct": "the meter's current transformer points the wrong way; a number names the phase",
    "missing-module": "the string of that number has one module less than planned",
    "dead-string": "the string of that number gives nothing",
    "dead-branch": "the microinverters of that number give nothing: their breaker is off",
    "weak-pack": "the battery holds half of what its nameplate says",
    "wrong-battery-order": "two batteries are exchanged in the settings",
    "frozen": "the unit of that number says the same again and again",
    "noise": "every value is off by some hundredths",
    "dropped": "the connection is lost for ten seconds in each forty",
}
MAKER: Final = "Invented"
NOISE: Final = 0.02
DROP_EVERY_S, DROPPED_S = 40.0, 10.0
# Beyond it an input is held back: it leaves its best point towards open circuit.
HELD = 0.01


@dataclass(frozen=True)
class SiteFault:
    """A fault to order: its kind, and the number it is at, from 1."""

    kind: str
    number: int = 1


def fault_of(text: str) -> SiteFault:
    """A fault as somebody typed it: `kind` or `kind:number`.

    Raises
    ------
    ValueError
        When there is no such fault.
    """
    kind, _, number = text.partition(":")
    if kind not in FAULTS:
        raise ValueError(f"--fault: {kind!r} is no fault; wanted one of {', '.join(FAULTS)}")
    if number and not (number.isdecimal() and 1 <= int(number) <= 999):
        raise ValueError(f"--fault: {number!r} is no number of a part; wanted 1 or more")
    return SiteFault(kind, int(number or 1))


@dataclass(frozen=True, eq=False)
class _Unit:
    """Series of a unit, shape (steps,): power [kW] of its array, AC side and battery, and the charge [0 to 1].

    `could` is what its array has on offer, `used` what is taken of it.
    """

    could: np.ndarray
    used: np.ndarray
    ac: np.ndarray
    battery: np.ndarray | None
    soc: np.ndarray | None


class PlayedSite:
    """A planned plant, played.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What is to be played.
    first_step : int
        Step of the year at which it begins.
    speed : float
        Played seconds in a second.
    faults : sequence of SiteFault
        What is wrong with it.
    clock : callable
        Seconds since the play began; for tests.

    Raises
    ------
    ValueError
        When the plant has no such part.
    """

    def __init__(
        self,
        plan: Plan,
        option: Option,
        first_step: int,
        speed: float,
        faults: Sequence[SiteFault],
        clock: Callable[[], float],
    ) -> None:
        self.plan, self.option, self.first, self.speed = plan, option, first_step, speed
        self.faults, self._clock = tuple(faults), clock
        self.strings = strings_of(option.design)
        self._groups = module_groups(option.design)
        self.keys = unit_keys(option.design)
        self._faces = faces_in(plan, option.design)
        self._kept: dict[int, DeviceReading] = {}
        self._refuse_unknown()

    def _refuse_unknown(self) -> None:
        have = {
            "missing-module": len(self.strings),
            "dead-string": len(self.strings),
            "dead-branch": len(self._micro),
            "weak-pack": sum(unit.has_battery for unit in self.option.design.converters),
            "wrong-battery-order": int(len(self._with_battery) > 1),
            "reversed-ct": self._phases if self.plan.job.supply.on_grid else 0,
            "frozen": len(self.keys),
        }
        for fault in self.faults:
            most = have.get(fault.kind, 1)
            if fault.number > most:
                wanted = f"wanted 1 to {most}" if most else "the plant has no such part"
                raise ValueError(f"--fault: {fault.kind}:{fault.number}; {wanted}")

    def has(self, kind: str, number: int | None = None) -> bool:
        """Whether a fault was ordered."""
        return any(fault.kind == kind and (number is None or fault.number == number) for fault in self.faults)

    @property
    def _with_battery(self) -> list[int]:
        return [n for n, unit in enumerate(self.option.design.converters) if unit.has_battery]

    @property
    def _micro(self) -> list[int]:
        return [n for n, unit in enumerate(self.option.design.converters) if unit.micro is not None]

    @property
    def _phases(self) -> int:
        return self.plan.job.supply.circuit.live

    @property
    def step(self) -> float:
        """Where in the year it is now, in steps."""
        step_s = self.plan.site.calendar.step_h * 3600.0
        return (self.first + self._clock() * self.speed / step_s) % self.plan.site.calendar.steps

    @property
    def now(self) -> datetime:
        """The played moment [UTC]."""
        calendar = self.plan.site.calendar
        seconds = round(self.step * calendar.step_h * 3600.0)
        return datetime.fromtimestamp(int(calendar.utc[0].astype("int64")) + seconds, UTC)

    @property
    def devices(self) -> dict[int, Callable[[], DeviceReading | None]]:
        """What each Modbus unit says now: the plant's units from 1 on, then the meter."""
        found: dict[int, Callable[[], DeviceReading | None]] = {}
        for number in range(len(self.keys)):
            found[number + 1] = self._say(number)
        if self.plan.job.supply.on_grid:
            found[len(self.keys) + 1] = self._say(None)
        return found

    def _say(self, number: int | None) -> Callable[[], DeviceReading | None]:
        def say() -> DeviceReading | None:
            seconds = self._clock()
            if self.has("dropped") and seconds % DROP_EVERY_S > DROP_EVERY_S - DROPPED_S:
                return None
            step = self.step
            if number is None:
                return self.meter(step)
            if self.has("frozen", number + 1):
                return self._kept.setdefault(number, self.unit(number, step))
            return self.unit(number, step)

        return say

    @cached_property
    def year(self) -> PlantYear:
        """The plant's year with its faults: what a dead string or a worn pack does, the control answers."""
        plan, design = self.plan, self.option.design
        left = [self._left(number) for number in range(len(self.keys))]
        weak = [n for at, n in enumerate(self._with_battery, 1) if self.has("weak-pack", at)]
        if all(share == 1.0 for share in left) and not weak:
            return self.option.outcome.year
        inputs = inputs_of(design, plan.job, plan.site, plan.demand)
        plant = tuple(
            replace(part, battery=replace(part.bank, usable_kwh=part.bank.usable_kwh / 2.0)) if n in weak else part
            for n, part in enumerate(inputs.plant)
        )
        return run_inputs(replace(inputs, plant=plant, pv_kw=inputs.pv_kw * np.array(left)[:, None]))

    @cached_property
    def _units(self) -> tuple[_Unit, ...]:
        year, found = self.year, []
        for number, converter in enumerate(self.option.design.converters):
            could = year.of("pv_dc", number)
            used = could - year.of("clipped", number) - year.of("curtailed", number)
            battery = soc = None
            if converter.has_battery:
                battery = year.of("discharge", number) - year.of("charge", number)
                soc = year.of("stored", number) / year.plant[number].bank.usable_kwh
            found.append(_Unit(could, np.maximum(used, 0.0), year.of("ac", number), battery, soc))
        if self.has("wrong-battery-order"):
            one, other = self._with_battery[:2]
            a, b = found[one], found[other]
            found[one] = _Unit(a.could, a.used, a.ac, b.battery, b.soc)
            found[other] = _Unit(b.could, b.used, b.ac, a.battery, a.soc)
        return tuple(found)

    def _left(self, number: int) -> float:
        """Share of a unit's array that gives: faults take strings and modules from it."""
        if number in self._micro:
            return float(not self.has("dead-branch", self._micro.index(number) + 1))
        mine = [(at, string) for at, string in enumerate(self.strings, 1) if string.unit == number]
        whole = sum(string.in_series * string.module.power_w for _, string in mine)
        whole += sum(group.count * group.one.module.power_w for group in self._groups if group.unit == number)
        if not whole:
            return 1.0
        lost = 0.0
        for at, string in mine:
            if self.has("dead-string", at):
                lost += string.in_series * string.module.power_w
            elif self.has("missing-module", at):
                lost += string.module.power_w
        return 1.0 - lost / whole

    def _at(self, series: np.ndarray, step: float) -> float:
        """A series of means between the middles of its steps."""
        place = step - 0.5
        low = int(np.floor(place))
        part = place - low
        value = float(series[low % series.size] * (1.0 - part) + series[(low + 1) % series.size] * part)
        return self._noisy(value)

    def _noisy(self, value: float) -> float:
        if not self.has("noise"):
            return value
        return value * (1.0 + NOISE * float(np.random.default_rng().standard_normal()))

    def unit(self, number: int, step: float) -> DeviceReading:
        """What a unit says at a place of the year, in steps."""
        converter, series = self.option.design.converters[number], self._units[number]
        could, used, ac = (self._at(item, step) for item in (series.could, series.used, series.ac))
        held = could - used > HELD * max(could, 1e-6) and could > 0.05
        nominal = curve_of(self.plan.job)
        forming = not self.plan.job.supply.on_grid and converter.inverter.backup is not None
        volts = self._volts(converter)
        inverter = InverterReading(
            kw=ac,
            hz=nominal.nominal_hz + 0.01 * float(np.sin(step * 2.1)),
            phase_volts=volts,
            phase_amps=tuple(abs(ac) * 1000.0 / len(volts) / volt for volt in volts),
            inputs=self._inputs(number, step, used, held),
            state="throttled" if held else "",
            forming=forming,
            kwh=float(np.maximum(series.ac[: int(step)], 0.0).sum()) * self.plan.site.calendar.step_h,
        )
        return DeviceReading(
            MAKER, converter.inverter.name, "1.0", f"SIM-{number + 1:04d}", inverter,
            self._battery(converter, series, step), None, self.now,
        )  # fmt: skip

    def _volts(self, converter: Converter) -> tuple[float, ...]:
        supply = self.plan.job.supply
        three = converter.inverter.phases == "three" and supply.phases == "three"
        return tuple(supply.volts * (1.0 + 0.01 * at) for at in range(3 if three else 1))

    def _inputs(self, number: int, step: float, used: float, held: bool) -> tuple[DcInput, ...]:
        mine = [(at, string) for at, string in enumerate(self.strings, 1) if string.unit == number]
        made: dict[int, list[tuple[int, String, CurvePoints[float]]]] = {}
        for at, string in mine:
            light = self._light(string, step)
            gone = self.has("missing-module", at)
            made.setdefault(string.input, []).append((at, string, string.points(light, string.in_series - gone)))
        best = {
            item: sum(p.vmp * p.imp for at, _, p in rows if not self.has("dead-string", at)) / 1000.0
            for item, rows in made.items()
        }
        behind: dict[int, float] = {}
        for group in self._groups:
            if group.unit == number and group.input:
                behind[group.input] = behind.get(group.input, 0.0) + group.kw(self._light(group.one, step))
        total = sum(best.values()) + sum(behind.values())
        found = []
        for item, rows in made.items():
            alive = [points for at, _, points in rows if not self.has("dead-string", at)]
            kw = used * best[item] / total if total > 1e-6 else 0.0
            if not alive or best[item] < 1e-3 or kw < 1e-3:
                open_v = alive[0].voc if alive and best[item] > 1e-3 else 0.0
                found.append(DcInput(f"input {item}", self._noisy(open_v), 0.0, 0.0))
                continue
            volts = _held_volts(alive[0], kw / best[item]) if held else alive[0].vmp
            volts = self._noisy(volts)
            found.append(DcInput(f"input {item}", volts, kw * 1000.0 / volts, kw))
        laid = self.option.design.converters[number].laid
        held_v = {part.number: part.held_v for part in laid.inputs} if laid is not None else {}
        for item, kw in behind.items():
            given = used * kw / total if total > 1e-6 else 0.0
            volts = self._noisy(held_v[item])
            found.append(DcInput(f"input {item}", volts, given * 1000.0 / volts, given))
        return tuple(sorted(found, key=lambda read: int(read.name.split()[1])))

    def _light(self, string: String, step: float) -> Light:
        """Light on a string's face at a place of the year."""
        face = self._faces[string.face.name]
        job = self.plan.job
        plane = shaded_plane(
            self.plan.site, face.plan.tilt, face.plan.azimuth, job.losses.albedo, job.site.horizon
        )
        irradiance, cell = self._at(plane.total, step), self._at(face.made.cell_c, step)
        return Light(max(irradiance, 0.0), cell, 0.0, 0.0, irradiance, "played")

    def _battery(self, converter: Converter, series: _Unit, step: float) -> BatteryReading | None:
        if series.battery is None or series.soc is None:
            return None
        # Stored energy is known at the ends of steps, not as a mean of each.
        soc = min(max(self._at(series.soc, step - 0.5), 0.0), 1.0)
        kw = self._at(series.battery, step)
        bank = converter.bank
        volts = float(bank.volts(soc))
        status = "charging" if kw < -0.01 else "discharging" if kw > 0.01 else "full" if soc > 0.98 else ""
        shown = bank.shown_charge(soc)
        return BatteryReading(shown, volts, kw * 1000.0 / volts, kw, bank.usable_kwh, 1.0, status)

    @cached_property
    def _home_kw(self) -> np.ndarray:
        """What the home takes on each phase [kW]."""
        return home_by_phase(self.plan.job, self.plan.demand, self.year)

    def meter(self, step: float) -> DeviceReading:
        """What the meter says at a place of the year, in steps."""
        supply, year = self.plan.job.supply, self.year
        count = self._phases
        loads = [self._at(row, step) for row in self._home_kw]
        given = np.zeros(count)
        for phase, series in zip(self.option.design.phases(supply), self._units, strict=True):
            ac = self._at(series.ac, step)
            if phase:
                given[phase - 1] += ac
            else:
                given += ac / count
        grid = [load - give for load, give in zip(loads, given, strict=True)]
        read = [-kw if self.has("reversed-ct", at) else kw for at, kw in enumerate(grid, 1)]
        before = slice(0, int(step))
        step_h = self.plan.site.calendar.step_h
        meter = MeterReading(
            kw=sum(read),
            phase_kw=tuple(read),
            phase_volts=(supply.volts,) * count,
            hz=curve_of(self.plan.job).nominal_hz,
            import_kwh=float(year.at_bus("import")[before].sum() * step_h),
            export_kwh=float(year.at_bus("export")[before].sum() * step_h),
        )
        return DeviceReading(MAKER, "Site meter", "1.0", "SIM-METER", meter=meter)


@lru_cache(maxsize=4096)
def _held_volts(points: CurvePoints[float], share: float) -> float:
    """Volts at which a string gives a share of its best power, on the side of open circuit."""
    volts = np.linspace(points.vmp, points.voc, 121)
    power = volts * string_current(points, volts)
    wanted = share * points.vmp * points.imp
    return float(np.interp(-wanted, -power, volts))


def step_at(plan: Plan, day: str, clock: str) -> int:
    """Step of the plan's year at a local day `MM-DD` and clock `HH:MM`.

    Raises
    ------
    ValueError
        When there is no such moment in a year of 365 days.
    """
    try:
        wall = np.datetime64(datetime.fromisoformat(f"{plan.site.calendar.year}-{day}T{clock}"), "s")
    except ValueError:
        raise ValueError(f"--day {day} --from {clock}: is no moment; wanted such as 06-21 and 11:00") from None
    there = np.flatnonzero(plan.site.calendar.wall <= wall)
    return int(there[-1]) if there.size else 0
