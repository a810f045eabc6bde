"""Readings of a running site beside what the plan expects now; deviations name themselves."""

from collections import deque
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import cached_property

import numpy as np

from calm_relay.fieldbus.poller import Answer
from calm_relay.fieldbus.readings import BatteryReading, DcInput, DeviceReading, InverterReading
from calm_relay.job.commissioning import FieldDevice
from calm_relay.physics.plant.inputs import Inputs
from calm_relay.planning.architecture.connections import unit_keys
from calm_relay.planning.commissioning.conditions import ClearSky, Light
from calm_relay.planning.commissioning.live_array import LiveArray, SkyRow, inputs_by_number
from calm_relay.planning.commissioning.live_judgement import Sample, energy_of_swing, meter_turned, sky_of
from calm_relay.planning.commissioning.live_moment import LOW, LiveState, UnitFlows, live_moment
from calm_relay.planning.commissioning.planned_now import planned_now, usual_kw, year_step
from calm_relay.planning.commissioning.strings_now import String
from calm_relay.planning.common.amounts import figure_text, signed
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.operation.lead_bank import lead_bank_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.moment import Moment

METER = "meter"
# Readings kept of each device.
HISTORY = 600
LIGHT_EVERY_MIN = 5
# Looks in a row after which a string is called dead.
SURE = 4
LEAST_KW = 0.1
# A value that does not change at all in so many readings is no measurement.
STILL_AFTER = 30
# After so many it may be none: nothing is concluded of others from it.
DOUBTED_AFTER = 3
# A battery that moved as if it held less than this share of the plan is called weak.
WEAK = 0.7
VOLTS_OFF = 0.055
OF_BATTERY = 0.06
# A dark sky's share of a clear one's light: common practice, no source.
DIM = 0.1


@dataclass(frozen=True)
class LiveRow:
    """A value beside what is expected: words ready to be shown; `severity` None where it is only shown."""

    part: str
    what: str
    measured: str
    expected: str
    severity: Severity | None = None


@dataclass(frozen=True)
class Deviation:
    """What is wrong, and where to look or what to turn; `key` names its kind and place."""

    key: str
    sentence: str
    severity: Severity = Severity.STOP


@dataclass(frozen=True)
class LiveView:
    """What is shown of a running site: rows, deviations worst first, what flows, and the sky in words."""

    at: datetime
    rows: tuple[LiveRow, ...]
    deviations: tuple[Deviation, ...]
    state: LiveState | None
    light: str

    @property
    def moment(self) -> Moment | None:
        """What the line shows; None while the meter, or every unit, is silent."""
        return live_moment(self.state)


@dataclass
class _Part:
    """A device and what it said.

    `lit` is whether its array gives power in this light, `by_day` whether it would under a clear sky, and `stands`
    whether its clock stands still.
    """

    name: str
    reading: DeviceReading | None = None
    problem: str = ""
    same: int = 0
    lit: bool = False
    by_day: bool = False
    stands: bool = False
    battery: deque[tuple[float, float, float]] = field(default_factory=lambda: deque(maxlen=4 * HISTORY))

    @property
    def still(self) -> int:
        """How often it said the very same again; at rest and in the dark a device may well do so for hours."""
        return self.same if self.lit or _moves(self.reading) else 0

    @property
    def is_doubted(self) -> bool:
        """Whether nothing is concluded of the meter from what it says."""
        return max(self.still, self.same if self.by_day or self.stands else 0) >= DOUBTED_AFTER


class LiveSite:
    """Takes answers of devices one by one, and says what they mean.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What was built.
    devices : sequence of FieldDevice
        Which device is which part, in the order of the answers' addresses; "" by what it says of itself.
    addresses : sequence
        Their addresses, `fieldbus.address.Address`.
    """

    def __init__(
        self, plan: Plan, option: Option, devices: Sequence[FieldDevice], addresses: Sequence[object]
    ) -> None:
        self.plan, self.option = plan, option
        self.keys = unit_keys(option.design)
        self._array = LiveArray(plan, option)
        self._stated = {address: device.part for address, device in zip(addresses, devices, strict=True)}
        self._roles: dict[object, str] = {address: part for address, part in self._stated.items() if part}
        self._parts: dict[str, _Part] = {}
        self._silent: dict[object, str] = {}
        self._samples: deque[Sample] = deque(maxlen=HISTORY)
        self._clock: datetime | None = None
        self._suspected: dict[str, int] = {}
        self._faces_read = 0
        self._mixed = 0

    def take(self, answer: Answer) -> None:
        """Takes what came of asking a device."""
        address = answer.address
        if answer.reading is None:
            self._silent[address] = answer.problem
            if address in self._roles:
                part = self._parts.setdefault(self._roles[address], _Part(self._roles[address]))
                part.problem = answer.problem
            return
        self._silent.pop(address, None)
        role = self._roles.get(address) or self._role_of(answer.reading)
        self._roles[address] = role
        part = self._parts.setdefault(role, _Part(role))
        clock = answer.reading.clock
        part.stands = clock is not None and part.reading is not None and part.reading.clock == clock
        part.same = part.same + 1 if _same(part.reading, answer.reading) else 0
        part.reading, part.problem = answer.reading, ""
        self._clock = clock or self._clock
        seconds = (clock or answer.at).timestamp()
        battery = answer.reading.battery
        if battery is not None and battery.soc is not None and battery.kw is not None:
            part.battery.append((seconds, battery.soc, battery.kw))
        if role == METER and self._meter_kw is not None:
            self._sample()

    def _sample(self) -> None:
        part = self._parts[METER].reading
        assert part is not None and part.meter is not None, "it spoke"
        meter = part.meter
        given = self._by_phase(self._given_kw)
        if given is None or meter.kw is None or any(unit.is_doubted for unit in self._units):
            return
        pv = self._by_phase(self._array_kw)
        grid = meter.phase_kw if len(meter.phase_kw) == len(given) else (meter.kw,)
        if len(grid) != len(given):
            given, pv = (sum(given),), (sum(pv or ()),)
        self._samples.append(Sample(grid, given, pv or given))

    def _given_kw(self, key: str) -> float | None:
        inverter = self._inverter(key)
        return inverter.kw if inverter is not None else None

    def _by_phase(self, of: Callable[[str], float | None]) -> tuple[float, ...] | None:
        """What all units give or make on each phase of the service [kW]; None while one of them has not said it.

        Without neutral the pairs that units hang on are not the lines that a meter tells of: then it is one sum.
        """
        supply = self.plan.job.supply
        count = supply.circuit.live if supply.circuit.has_neutral else 1
        total = [0.0] * count
        for key, phase in zip(self.keys, self.option.design.phases(supply), strict=True):
            kw = of(key) if self._inverter(key) is not None else None
            if kw is None:
                return None
            if phase and supply.circuit.has_neutral:
                total[phase - 1] += kw
            else:
                total = [value + kw / count for value in total]
        return tuple(total)

    def _role_of(self, reading: DeviceReading) -> str:
        """The part a device is, by what it says: the meter, or the first unit that has what it has and is not taken."""
        if reading.meter is not None and reading.inverter is None:
            return METER
        taken = set(self._roles.values())
        free = [(number, key) for number, key in enumerate(self.keys) if key not in taken]
        for number, key in free:
            if self.option.design.converters[number].inverter.name == reading.kind:
                return key
        for number, key in free:
            converter = self.option.design.converters[number]
            if converter.has_battery == (reading.battery is not None):
                return key
        return free[0][1] if free else reading.words

    @property
    def _units(self) -> list[_Part]:
        return [self._parts[key] for key in self.keys if key in self._parts]

    @property
    def _meter_kw(self) -> float | None:
        part = self._parts.get(METER)
        return part.reading.meter.kw if part and part.reading and part.reading.meter else None

    def _inverter(self, key: str) -> InverterReading | None:
        part = self._parts.get(key)
        return part.reading.inverter if part and part.reading else None

    def _is_fresh(self, key: str, after: int = STILL_AFTER) -> bool:
        """Whether what a part said last can be held against the light of now."""
        part = self._parts[key]
        return not part.problem and part.still < after

    def _battery(self, key: str) -> BatteryReading | None:
        part = self._parts.get(key)
        return part.reading.battery if part and part.reading else None

    @property
    def roles(self) -> dict[object, str]:
        """Which address was taken for which part."""
        return dict(self._roles)

    def view(self) -> LiveView:
        """What is shown now."""
        now = self._clock or datetime.now(UTC)
        lights, words = self._lights(now)
        rows: list[LiveRow] = []
        wrong: list[Deviation] = []
        for address, problem in self._silent.items():
            name = self._roles.get(address) or getattr(address, "words", str(address))
            wrong.append(Deviation(f"silent {name}", f"{name} does not answer: {problem}.", Severity.CHECK))
        for number, key in enumerate(self.keys):
            if self._inverter(key) is not None and self._is_fresh(key):
                self._unit(number, key, lights, rows, wrong)
        self._meter(rows, wrong)
        for part in self._parts.values():
            # A home that takes less than nothing: the meter shows power that a unit at rest does not.
            hidden = part.is_doubted and self._home is not None and self._home < -SURE * LEAST_KW
            if (part.same if hidden else part.still) >= STILL_AFTER:
                wrong.append(
                    Deviation(
                        f"frozen {part.name}",
                        f"{part.name} has said the very same {part.same} times: its values are frozen. Restart its "
                        "data logger, or look at it itself.",
                        Severity.CHECK,
                    )
                )
        wrong.sort(key=lambda item: item.severity)
        return LiveView(now, tuple(rows), tuple(wrong), self.state(now, lights), words)

    def _lights(self, now: datetime) -> tuple[dict[str, Light], str]:
        """Light on each face: the sky under which the strings that give most are explained."""
        utc = now.astimezone(UTC).replace(tzinfo=None)
        utc -= timedelta(minutes=utc.minute % LIGHT_EVERY_MIN, seconds=utc.second, microseconds=utc.microsecond)
        skies = self._array.skies(utc)
        beam, diffuse, words = self._sky(skies, utc)
        lights = self._array.lights(beam, diffuse, skies, utc)
        clear = self._array.lights(1.0, 1.0, skies, utc)
        for key, made, most in zip(self.keys, self._array.makes(lights), self._array.makes(clear), strict=True):
            if key in self._parts:
                self._parts[key].lit, self._parts[key].by_day = max(made, DIM * most) > LEAST_KW, most > LEAST_KW
        return lights, words

    def _sky(self, skies: dict[str, ClearSky], utc: datetime) -> tuple[float, float, str]:
        """Shares of a clear sky's beam and of its diffuse light, by what the inputs give, and how they were found.

        A dead string gives less than its light, never more: a sky too dim for an input counts in full against it, one
        too bright only up to a bound. What units say again counts where none says anything new.
        """
        new: list[SkyRow] = []
        again: list[SkyRow] = []
        for number, key in enumerate(self.keys):
            inverter = self._inverter(key)
            if inverter is None or inverter.state == "throttled" or not self._is_fresh(key):
                continue
            rows = new if self._is_fresh(key, DOUBTED_AFTER) else again
            rows += self._array.sky_rows(number, inverter, skies, utc)
        read = new or again
        self._faces_read = len({row[:2] for row in read})
        return sky_of(read)

    def _unit(
        self, number: int, key: str, lights: dict[str, Light], rows: list[LiveRow], wrong: list[Deviation]
    ) -> None:
        converter, inverter = self.option.design.converters[number], self._inverter(key)
        assert inverter is not None, "it answered"
        name = converter.name
        held, doubted = inverter.state == "throttled", not self._is_fresh(key, DOUBTED_AFTER)
        for place, item in inputs_by_number(inverter):
            mine = self._array.on_input(number, place)
            if mine:
                self._input(name, place, mine, item, held, doubted, lights, rows, wrong)
            elif expected_kw := self._array.behind(number, place, lights):
                where, faces = f"{name}, input {place}", self._array.faces_of(number, place)
                said, severity = self._by_power(where, item.kw or 0.0, expected_kw, faces, (held, doubted), wrong)
                rows.append(LiveRow(where, "Array", _kw(item.kw), said, severity))
        battery = self._battery(key)
        if inverter.kw is not None:
            rated = converter.inverter.ac_kw
            inside = self._array_kw(key) + (battery.kw or 0.0 if battery else 0.0)
            # What its array makes may not be read at all.
            read = bool(inverter.inputs) if converter.has_array else battery is not None
            words = f"{signed(inside, 2)} kW from its DC side" if read else ""
            off = read and abs(inside - inverter.kw) > max(0.12 * abs(inside), 0.25)
            severity = Severity.CHECK if off else Severity.OK
            if converter.micro is not None:
                expected, faces = self._array.offers(number, lights), self._array.faces_of(number, 0)
                words, severity = self._by_power(name, inverter.kw, expected, faces, (held, doubted), wrong)
            rows.append(LiveRow(name, "AC power", f"{signed(inverter.kw, 2)} kW", words, severity))
            if off and battery is not None and not held and abs(inside - inverter.kw) > 0.2 * rated:
                self._mixed += 1
                wrong.append(
                    Deviation(
                        f"balance {key}",
                        f"{name} gives {signed(inverter.kw, 1)} kW while its array and battery say "
                        f"{signed(inside, 1)} kW: the battery shown is another unit's, "
                        "or their order in the settings is wrong.",
                    )
                )
            if inverter.state == "fault":
                wrong.append(Deviation(f"fault {key}", f"{name} shows a fault. Read its code at its display."))
        nominal = curve_of(self.plan.job)
        if inverter.hz is not None:
            off = not nominal.nominal_hz * 0.98 <= inverter.hz <= nominal.end_hz + 0.5
            limit = f"{nominal.nominal_hz:g} Hz"
            rows.append(
                LiveRow(name, "Frequency", f"{inverter.hz:.2f} Hz", limit, Severity.STOP if off else Severity.OK)
            )
            if off:
                wrong.append(
                    Deviation(
                        f"hertz {key}", f"{name} runs at {inverter.hz:.1f} Hz: a wrong grid code, or a fault."
                    )
                )
        if battery is not None:
            self._battery_rows(key, name, battery, rows, wrong)

    def _by_power(
        self,
        where: str,
        kw: float,
        expected: float,
        faces: Sequence[str],
        sure: tuple[bool, bool],
        wrong: list[Deviation],
    ) -> tuple[str, Severity]:
        """What modules with electronics of their own should give together, and how what they give stands to it.

        `sure` is whether the unit is held back, and whether what it says is doubted.
        """
        held, doubted = sure
        if expected < LEAST_KW:
            return "too little light to judge", Severity.OK
        if not doubted:
            none_now = not held and kw < 0.1 * expected
            self._suspected[where] = self._suspected.get(where, 0) + 1 if none_now else 0
        said = f"{expected:.2f} kW in this light" + (", held back now" if held else "")
        if self._suspected.get(where, 0) >= SURE:
            wrong.append(
                self._dead(
                    where,
                    f"{where}: {kw:.1f} kW where {expected:.1f} kW are expected in this light.",
                    "Look at the isolator or breaker, the connectors, and what the electronics under the modules "
                    "show.",
                    faces,
                )
            )
            return said, wrong[-1].severity
        return said, Severity.CHECK if not held and kw < LOW * expected else Severity.OK

    def _dead(self, where: str, said: str, look: str, faces: Sequence[str]) -> Deviation:
        """What gives nothing; in a month of snow that may be why."""
        if self._array.may_lie_under_snow(faces, self._clock or datetime.now(UTC)):
            return Deviation(f"dead {where}", f"{said} Is snow on the modules? {look}", Severity.CHECK)
        return Deviation(f"dead {where}", f"{said} {look}")

    def _array_kw(self, key: str) -> float:
        """What a unit's array gives [kW]."""
        inverter, battery = self._inverter(key), self._battery(key)
        if inverter is None:
            return 0.0
        return self._array.gives(self.keys.index(key), inverter, battery.kw or 0.0 if battery else 0.0)

    def _input(
        self,
        name: str,
        place: int,
        mine: list[String],
        item: DcInput,
        held: bool,
        doubted: bool,
        lights: dict[str, Light],
        rows: list[LiveRow],
        wrong: list[Deviation],
    ) -> None:
        volts, amps, kw = item.volts, item.amps, item.kw
        where = f"{name}, input {place}"
        points = [string.points(lights[string.face.name]) for string in mine]
        whole_a, open_light = sum(point.imp for point in points), max(l.irradiance for l in lights.values())
        expected_kw = sum(point.vmp * point.imp for point in points) / 1000.0
        bright = expected_kw > LEAST_KW and open_light > 100.0
        if volts is None or amps is None or not bright:
            rows.append(LiveRow(where, "Array", _kw(kw), "too little light to judge"))
            return
        severity, share = Severity.OK, amps / whole_a
        # One face alone may lie in the shade of a cloud; of several the sky is known.
        least = 1.0 - 0.6 / len(mine) if len(mine) > 1 and self._faces_read > 1 else 0.1
        low_now = not held and share < least
        # A device may say each value several times: what it says again neither accuses nor excuses.
        if not doubted:
            self._suspected[where] = self._suspected.get(where, 0) + 1 if low_now else 0
        if self._suspected.get(where, 0) >= SURE:
            dead = min(len(mine), max(1, round((1.0 - share) * len(mine))))
            number = ", ".join(str(string.number) for string in mine)
            which = f"string {number}" if len(mine) == 1 else f"{_number(dead)} of its strings {number}"
            wrong.append(
                self._dead(
                    where,
                    f"{where} gives {amps:.1f} A where {whole_a:.1f} A are expected in this light: {which} "
                    f"give{'s' if dead == 1 else ''} nothing.",
                    "Look at the fuse, the connectors and the isolator, and measure open volts.",
                    [string.face.name for string in mine],
                )
            )
            severity = wrong[-1].severity
        low = points[0].vmp
        if severity is Severity.OK and not low_now and 0.3 * low < volts < low * (1.0 - VOLTS_OFF):
            each = low / mine[0].in_series
            modules = round(volts / each)
            severity = Severity.CHECK
            self._suspected[f"volts {where}"] = self._suspected.get(f"volts {where}", 0) + 1
        else:
            self._suspected[f"volts {where}"] = 0
        if self._suspected[f"volts {where}"] >= SURE:
            wrong.append(
                Deviation(
                    f"volts {where}",
                    f"{where} runs at {volts:.0f} V where {low:.0f} V are expected: it fits {modules} modules in "
                    f"series where {mine[0].in_series} are planned. Count them, and look for shade.",
                    Severity.CHECK,
                )
            )
        said = f"{low:.0f} V, {whole_a:.1f} A" + (", held back now" if held else "")
        rows.append(LiveRow(where, "Array", f"{volts:.0f} V, {amps:.1f} A, {_kw(kw)}", said, severity))

    def _battery_rows(
        self, key: str, name: str, battery: BatteryReading, rows: list[LiveRow], wrong: list[Deviation]
    ) -> None:
        unit = self.option.design.converters[self.keys.index(key)]
        if not unit.has_battery:
            sentence = f"{name} shows a battery, and none is planned on it: is it the device it is taken for?"
            wrong.append(Deviation(f"battery {key}", sentence, Severity.CHECK))
            return
        bank = unit.bank
        if battery.soc is not None:
            volts = "" if battery.volts is None else f", {battery.volts:.1f} V"
            wanted = float(bank.volts(bank.level_at(battery.soc)))
            lead = lead_bank_of(unit)
            # While it charges a lead-acid bank stands far above its own volts.
            most = wanted if lead is None or (battery.kw or 0.0) >= 0.0 else max(wanted, lead.absorption_v)
            off = battery.volts is not None and not wanted * (1.0 - OF_BATTERY) <= battery.volts <= most * (
                1.0 + OF_BATTERY
            )
            planned = f"{wanted:.1f} V" if most == wanted else f"{wanted:.1f} to {most:.1f} V"
            rows.append(
                LiveRow(
                    f"Battery of {name}", "State of charge", f"{battery.soc:.0%}{volts}",
                    f"{planned} at that charge",
                    Severity.CHECK if off else Severity.OK,
                )
            )  # fmt: skip
        if battery.kw is not None:
            word = "discharging" if battery.kw > 0.01 else "charging" if battery.kw < -0.01 else "resting"
            rows.append(LiveRow(f"Battery of {name}", "Power", f"{abs(battery.kw):.2f} kW {word}", ""))
        # Where batteries are taken for one another, what one moved is another's.
        held = self.energy_of(key) if self._mixed < SURE else None
        low = held is not None and held < WEAK * bank.usable_kwh
        self._suspected[key] = self._suspected.get(key, 0) + 1 if low else 0
        if held is not None and self._suspected[key] >= SURE:
            wrong.append(
                Deviation(
                    f"weak {key}",
                    f"The battery of {name} moved as if it held {held:.1f} kWh, where {bank.usable_kwh:.1f} kWh are "
                    "planned: a pack is off, asleep or worn. Read each pack by itself.",
                )
            )

    def energy_of(self, key: str) -> float | None:
        """Usable energy of a battery by its own swing [kWh]; None before it swung far enough.

        What its cells took or gave between its highest and its lowest charge over the change of charge; near full and
        empty the charge shown stands still, so only what lies between counts.
        """
        part, unit = self._parts.get(key), self.option.design.converters[self.keys.index(key)]
        if part is None or not unit.has_battery:
            return None
        swing: Iterable[tuple[float, float, float]] = part.battery
        if unit.bank.pack.is_lead:
            swing = [(seconds, unit.bank.level_at(soc), kw) for seconds, soc, kw in part.battery]
        return energy_of_swing(swing, unit.bank.part(unit.inverter, 0.0))

    def phase_flows(self) -> dict[str, tuple[float, ...]] | None:
        """What flows on each phase now, as the CT test takes it [kW]; None while it is not all said.

        The load is not among it: by the meter alone it would prove the meter right. A clamp meter says it.
        """
        meter = self._parts.get(METER)
        if meter is None or meter.reading is None or meter.reading.meter is None:
            return None
        given = self._by_phase(self._given_kw)
        pv = self._by_phase(self._array_kw)
        shown = meter.reading.meter.phase_kw or ((meter.reading.meter.kw or 0.0),)
        if given is None or pv is None or len(shown) != len(given):
            return None
        charge = tuple(made - ac for made, ac in zip(pv, given, strict=True))
        rounded = {"pv": pv, "charge": charge, "shown": shown}
        return {name: tuple(round(value, 3) for value in values) for name, values in rounded.items()}

    def _meter(self, rows: list[LiveRow], wrong: list[Deviation]) -> None:
        meter = self._meter_kw
        if meter is None:
            return
        part = self._parts[METER].reading
        assert part is not None and part.meter is not None, "it spoke"
        word = "import" if meter >= 0 else "export"
        home = self._home
        most = float(self.plan.demand.kw.max())
        if home is None:
            rows.append(LiveRow("Meter", "Grid", f"{abs(meter):.2f} kW {word}", ""))
            return
        # A unit that is silent or frozen makes the sum wrong, and the meter no liar.
        unsure = any(part.problem or part.is_doubted for part in self._parts.values())
        reversed_words = "" if unsure else meter_turned(self._samples, home, meter, most)
        severity = Severity.STOP if reversed_words else Severity.OK
        rows.append(LiveRow("Meter", "Grid", f"{abs(meter):.2f} kW {word}", "", severity))
        planned = f"0 to {most:.1f} kW in the plan's year"
        rows.append(LiveRow("Home", "Load, by meter and units", f"{figure_text(home, 2)} kW", planned, severity))
        if reversed_words:
            wrong.append(Deviation("reversed ct", reversed_words))

    @property
    def _home(self) -> float | None:
        meter = self._meter_kw if self.plan.job.supply.on_grid else 0.0
        given = [self._inverter(key) for key in self.keys]
        if meter is None or any(item is None or item.kw is None for item in given):
            return None
        return meter + sum(item.kw or 0.0 for item in given if item is not None)

    def state(self, now: datetime, lights: dict[str, Light]) -> LiveState | None:
        """What flows now, unit by unit; None while the meter, or every unit, is silent."""
        if not self._units or (self.plan.job.supply.on_grid and self._meter_kw is None):
            return None
        units = tuple(
            UnitFlows(
                self._array_kw(key),
                (inverter.kw or 0.0) if inverter else 0.0,
                (battery.kw or 0.0) if battery else 0.0,
                battery.soc if battery else None,
            )
            for key, inverter, battery in ((key, self._inverter(key), self._battery(key)) for key in self.keys)
        )
        light = max((light.irradiance for light in lights.values()), default=0.0)
        made = self._array.makes(lights)
        planned, step, home = None, year_step(self.plan, now), self._home
        if home is not None:
            charge = [unit.soc for unit in units]
            planned = planned_now(self._inputs_of_year, step, made, home, charge)
        usual = usual_kw(self._home_of_year, step, self.plan.site.calendar.step_h)
        return LiveState(
            self.plan, self.option, now, units, self._meter_kw, home, light, sum(made), planned, usual
        )

    @cached_property
    def _home_of_year(self) -> np.ndarray:
        """What the home takes in the plan's year, its controlled loads too [kW]."""
        return self.option.outcome.year.at_bus("home")

    @cached_property
    def _inputs_of_year(self) -> Inputs:
        plan = self.plan
        return inputs_of(self.option.design, plan.job, plan.site, plan.demand)


def _kw(value: float | None) -> str:
    return "" if value is None else f"{value:.2f} kW"


def _number(count: int) -> str:
    return {1: "one", 2: "two", 3: "three"}.get(count, str(count))


def _same(one: DeviceReading | None, other: DeviceReading) -> bool:
    return one is not None and (one.inverter, one.battery) == (other.inverter, other.battery)


def _moves(reading: DeviceReading | None) -> bool:
    """Whether power flows by what a device says."""
    if reading is None or reading.inverter is None:
        return False
    inverter = reading.inverter
    return any((item.amps or 0.0) > 0.2 for item in inverter.inputs) or abs(inverter.kw or 0.0) > LEAST_KW
