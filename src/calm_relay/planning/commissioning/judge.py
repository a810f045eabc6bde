"""A reading against what was expected: pass, doubtful or fail, and what it would mean."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

from calm_relay.job.commissioning import Commissioning
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import unit_keys
from calm_relay.planning.architecture.string_plan import job_with_plan, plan_of, with_length
from calm_relay.planning.commissioning.conditions import Light
from calm_relay.planning.commissioning.expected import (
    DEAD,
    SPREAD,
    STAGES,
    Expected,
    expected_of,
    lights_of,
)
from calm_relay.planning.commissioning.strings_now import String
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option

Verdict = Literal["to read", "written down", "pass", "doubtful", "fail", "cannot be judged"]
# Beyond so many times what is still right a reading fails; between it is doubtful: common practice, no source.
DOUBT = 2.0
# Share of the expected volts within which another number of modules, or another string, explains a reading.
CLOSE = 0.025
DEAD_SHARE = 0.08
FULL = 97.0


@dataclass(frozen=True)
class Judged:
    """A reading with its verdict; `meaning` says what it would mean, `short` by how much it is off, of the expected.

    `as_built` changes the job to what the reading shows was built; None where it shows nothing.
    """

    expected: Expected
    value: float | None
    verdict: Verdict
    meaning: str = ""
    as_built: "AsBuilt | None" = None


@dataclass(frozen=True)
class AsBuilt:
    """A change of the job to what was built."""

    label: str
    apply: Callable[[Job], Job]


@said_in_region
def judge(plan: Plan, option: Option, record: Commissioning) -> tuple[Judged, ...]:
    """Every reading of an option with its verdict, in the order of work.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What was built.
    record : Commissioning
        Conditions and readings.
    """
    lights = lights_of(plan, option, record)
    items = expected_of(plan, option, record)
    look = _Look(plan, option, record, lights, items)
    return tuple(look.at(item) for item in items)


class _Look:
    """Readings beside each other: one explains another."""

    def __init__(
        self,
        plan: Plan,
        option: Option,
        record: Commissioning,
        lights: dict[str, Light],
        items: tuple[Expected, ...],
    ) -> None:
        self.plan, self.option, self.record, self.lights, self.items = plan, option, record, lights, items

    def at(self, item: Expected) -> Judged:
        """One reading."""
        value = self.record.value(item.key)
        if value is None:
            return Judged(item, None, "to read")
        if item.string is not None:
            problem = self._no_light(item.string)
            if problem:
                return Judged(item, value, "cannot be judged", problem)
        if item.value is None:
            return self._within(item, value)
        off = abs(value - item.value)
        if off <= item.off:
            apart = self._apart(item, value)
            return Judged(item, value, "doubtful", apart) if apart else Judged(item, value, "pass")
        verdict: Verdict = "doubtful" if off <= DOUBT * item.off else "fail"
        meaning, as_built = self._meaning(item, value)
        if meaning.startswith("No fault"):
            verdict = "pass"
        elif as_built is not None or meaning.startswith(("Reversed", "Swapped", "Nothing")):
            verdict = "fail"
        return Judged(item, value, verdict, meaning, as_built)

    def _within(self, item: Expected, value: float) -> Judged:
        least, most = item.least, item.most
        if least is not None and value < least:
            return Judged(item, value, "fail", self._below(item, value, least))
        if most is not None and value > most:
            words = f"More than {most:,g} {item.unit} can be here: is the unit right, or the decimal mark?"
            if item.key == "island neutral volts":
                words = "Neutral floats on backup: the bond between neutral and earth is not made, or made twice."
            return Judged(item, value, "fail", words)
        return Judged(item, value, "pass" if least is not None or most is not None else "written down")

    @staticmethod
    def _below(item: Expected, value: float, least: float) -> str:
        if item.unit == "MΩ":
            return (
                "Insulation to earth is too low: a squeezed cable, a wet connector or a damaged module. Open the "
                "strings and measure each by itself; do not switch on."
            )
        return f"Less than {least:,g} {item.unit} cannot be here: is the sign right, and the unit?"

    def _no_light(self, string: String) -> str:
        light = self.lights[string.face.name]
        if light.problem:
            return light.problem
        if not light.enough:
            return (
                f"Only {light.irradiance:,.0f} W/m² on {string.face.name} then: it is night, or too dim. Strings are "
                "judged from 150 W/m²."
            )
        return ""

    def _apart(self, item: Expected, value: float) -> str:
        """Like strings of one face are held against each other, whatever the light was."""
        string = item.string
        if string is None or item.stage != DEAD or not item.value:
            return ""
        what = item.key.rsplit(" ", 1)[1]
        others = [
            other
            for other in self.items
            if other.string is not None
            and other.string is not string
            and other.key.endswith(f" {what}")
            and other.string.face.name == string.face.name
            and other.string.in_series == string.in_series
        ]
        read = [reading for reading in (self.record.value(other.key) for other in others) if reading is not None]
        if not read:
            return ""
        middle = sorted([*read, value])[(len(read) + 1) // 2]
        if middle <= 0.0 or abs(value - middle) <= SPREAD * middle:
            return ""
        word = "below" if value < middle else "above"
        cause = (
            "shade, dirt, a weak module or light that changed" if what == "isc" else "a module or diode is suspect"
        )
        apart = f"{abs(value / middle - 1.0):.0%} {word} its like on {string.face.name}"
        return f"{apart}: {cause}. Read both again at once."

    def _meaning(self, item: Expected, value: float) -> tuple[str, AsBuilt | None]:
        assert item.value is not None, "it is held against a figure"
        what = item.key.rsplit(" ", 1)[-1]
        scaled = _other_unit(value, item)
        if scaled:
            return scaled, None
        if item.string is not None and what in ("voc", "vmp"):
            return self._string_volts(item, item.string, value)
        if item.string is not None:
            return self._string_amps(item, item.string, value), None
        if item.key.startswith("service"):
            return self._service(item, value), None
        if item.key == "grid kw":
            return self._grid(item, value), None
        if item.key.startswith("battery of"):
            return _battery(item, value, what), self._stack(item, value, what)
        if item.key == "island hertz":
            return self._hertz(value), None
        if item.key.endswith((" ac kw", " charge dc kw")) or " charge " in item.key:
            return self._power(item, value), None
        return f"{_far(item, value)}: read it again, then look for the cause before going on.", None

    def _string_volts(self, item: Expected, string: String, value: float) -> tuple[str, AsBuilt | None]:
        expected = item.value or 0.0
        if value < 0.0:
            sign = "Reversed polarity: plus and minus are exchanged. Put it right before it meets an inverter."
            return sign, None
        if value < DEAD_SHARE * expected:
            return (
                "Nothing comes through: an open connector, fuse or isolator, or the wrong pair of cables. Go along "
                "the string from its middle.",
                None,
            )
        swapped = self._swapped(item, string, value)
        if swapped:
            return swapped, None
        each = expected / string.in_series
        modules = round(value / each)
        third = each / 3.0
        if modules != string.in_series and modules > 0 and abs(value - modules * each) <= CLOSE * value:
            fewer = string.in_series - modules
            number = abs(fewer)
            word = "short" if fewer > 0 else "too many"
            said = (
                f"Fits {modules} modules in series where {string.in_series} are planned: {_count(number)} {word}."
            )
            return said, self._as_built(string, modules)
        if 0.0 < expected - value < 3.2 * third and abs((expected - value) / third % 1.0 - 0.5) > 0.2:
            return (
                f"{expected - value:,.0f} V low, near thirds of a module: a bypass diode that conducts, or a module in "
                "hard shade.",
                None,
            )
        return f"{_far(item, value)}: is the module's temperature right, and the string's length?", None

    def _swapped(self, item: Expected, string: String, value: float) -> str:
        what = item.key.rsplit(" ", 1)[1]
        for other in self.items:
            if other.string is None or other.string is string or not other.key.endswith(f" {what}"):
                continue
            there, read = other.value or 0.0, self.record.value(other.key)
            unlike = abs(there - (item.value or 0.0)) > 2 * CLOSE * (item.value or 1.0)
            crossed = read is not None and abs(read - (item.value or 0.0)) <= CLOSE * read
            if unlike and crossed and abs(value - there) <= CLOSE * value:
                return (
                    f"Swapped with {other.string.name}: each shows what the other should. Exchange the pairs, or "
                    "the labels."
                )
        return ""

    def _as_built(self, string: String, modules: int) -> AsBuilt | None:
        """The string with so many modules: its face has fewer or more, and its unit's strings are laid as they hang."""
        face, design = string.face, self.option.design
        converter = design.converters[string.unit]
        if modules < 1 or converter.laid is None or all(one.name != face.name for one in self.plan.job.faces):
            return None
        count = face.count + modules - string.in_series
        if count < 1:
            return None
        strings = face.strings if count % face.strings == 0 else 1
        laid = plan_of(converter.stringing, converter.inverter.key, converter.alike)
        at = next(
            (
                number
                for number, item in enumerate(laid.strings)
                if (item.face, item.modules, item.input) == (face.name, string.in_series, string.input)
            ),
            None,
        )
        alone = len(laid.strings) == 1 or (face.strings == 1 and face.in_series == string.in_series)

        def apply(job: Job) -> Job:
            faces = tuple(
                one.with_(count=count, strings=strings, rectangle=None) if one.name == face.name else one
                for one in job.faces
            )
            if alone or at is None:
                plans = tuple(
                    plan for plan in job.string_plans if all(item.face != face.name for item in plan.strings)
                )
                return job.with_(faces=faces, string_plans=plans)
            return job_with_plan(job.with_(faces=faces), design, with_length(laid, at, modules))

        return AsBuilt(f"{string.name.partition(' on ')[0]} as built: {modules} modules", apply)

    def _string_amps(self, item: Expected, string: String, value: float) -> str:
        expected = item.value or 0.0
        if value < 0.0:
            return "Reversed: the clamp, or the string. The volts say which."
        if value < DEAD_SHARE * expected:
            return "Nothing flows: an open fuse, isolator or connector, or the input is not started."
        if value > expected:
            return f"{_far(item, value)}: the light was stronger than stated, or two strings go through the clamp."
        if item.stage != DEAD and self._held_back():
            return "No fault by itself: the unit is held back (full battery, export limit or its rating)."
        return (
            f"{_far(item, value)}: shade, dirt, or less light than stated. Hold it against its neighbour at once."
        )

    def _held_back(self) -> bool:
        """Whether a battery is full, and nothing may be given to the grid."""
        charges = [reading.value for reading in self.record.readings if reading.key.endswith(" soc")]
        limit = self.plan.job.tariff.export_limit_kw
        shut = not self.plan.job.supply.on_grid or (limit is not None and limit < 0.5)
        return shut and any(value >= FULL for value in charges)

    def _stack(self, item: Expected, value: float, what: str) -> AsBuilt | None:
        """The new battery with so many packs in series as its volts show."""
        lead = self.option.design.battery_converter
        if what != "volts" or "pack" in item.key or lead is None or not lead.battery_is_new or not item.value:
            return None
        bank = lead.bank
        unit = unit_keys(self.option.design)[self.option.design.converters.index(lead)]
        if bank.pack.stacking != "series" or item.key != f"battery of {unit} volts":
            return None
        each = item.value / bank.count
        count = round(value / each)
        if count == bank.count or not bank.pack.count_min <= count <= bank.pack.count_max:
            return None
        if abs(value - count * each) > CLOSE * value:
            return None

        def apply(job: Job) -> Job:
            return job.with_(battery=job.battery.with_(count=count))

        return AsBuilt(f"Battery as built: {count} × {bank.pack.name}", apply)

    def _service(self, item: Expected, value: float) -> str:
        has_neutral = self.plan.job.supply.circuit.has_neutral
        if item.key == "service rotation":
            return "Swapped: two phases are exchanged. Motors would turn backwards; exchange any two conductors."
        if item.unit == "Hz":
            return "Another frequency than the region's: the grid code set in the unit must be that of this place."
        if value < DEAD_SHARE * (item.value or 0.0):
            other = "the neutral" if has_neutral else "a phase"
            return f"Nothing there: the breaker is open, or {other} is missing."
        root = 3.0**0.5
        if not has_neutral:
            if abs(value * root - (item.value or 0.0)) < 0.1 * (item.value or 0.0):
                return "It fits a phase to earth or to a neutral: is there one, and is the service as planned?"
            if abs(value - (item.value or 0.0) * root) < 0.1 * value:
                return (
                    "It fits a service with a neutral, 230 V from each phase to it: ask the operator which it is."
                )
            return "Outside what the service should give: a long feeder, or a loose phase. Ask the operator first."
        if abs(value - (item.value or 0.0) * root) < 0.1 * value:
            return "It fits phase to phase: the probe is not on neutral, or neutral and a phase are exchanged."
        return "Outside what the service should give: a loose neutral, or a long feeder. Ask the operator first."

    def _grid(self, item: Expected, value: float) -> str:
        expected = item.value or 0.0
        if abs(value + expected) <= item.off:
            return (
                "Reversed: as much as expected with the other sign. A current transformer's arrow points the wrong "
                "way; see the CT test."
            )
        if abs(expected) > 0.3 and abs(value) < 0.2 * abs(expected):
            return "Nearly nothing: a transformer is not closed, not plugged in, or on a cable that carries none of it."
        if 0.2 * abs(expected) < abs(value) < 0.8 * abs(expected) and value * expected > 0:
            return "Too little: a jaw that is not closed, a wrong ratio, a phase without one, or a load it misses."
        return (
            "It does not balance: a phase exchanged, or a load that the transformers cannot see; see the CT test."
        )

    def _hertz(self, value: float) -> str:
        nominal = curve_of(self.plan.job).nominal_hz
        other = 60.0 if nominal < 55.0 else 50.0
        if abs(value - other) < 1.0:
            return f"It forms {other:g} Hz where {nominal:g} Hz is used: a wrong grid code. Change it before loads run."
        if value > nominal:
            return "Raised though the battery is not full: AC-coupled arrays are held back. Is its charge limit right?"
        return "Below nominal: the unit is overloaded, or a generator runs."

    def _power(self, item: Expected, value: float) -> str:
        if value > (item.value or 0.0):
            return f"{_far(item, value)}: the light was stronger than stated, or it gives from its battery."
        charges = [reading.value for reading in self.record.readings if reading.key.endswith(" soc")]
        if any(charge >= FULL for charge in charges):
            if " charge " in item.key:
                return "No fault: the battery is full and takes no more."
            if self._held_back():
                return "No fault: the battery is full and nothing may be exported, so the array is held back."
        if value <= 0.02 * (item.value or 1.0):
            return "Nothing: is it started, its isolators closed, its grid code set, its waiting time over?"
        return f"{_far(item, value)}: a string out, a limit set too low, the wrong grid code, or heat."


def _other_unit(value: float, item: Expected) -> str:
    """A reading that would fit in another unit."""
    expected = item.value or 0.0
    if not expected or not value:
        return ""
    for factor, words in ((1000.0, f"thousandths of {item.unit}"), (0.001, f"thousands of {item.unit}")):
        if abs(value / factor - expected) <= max(item.off, 0.05 * abs(expected)):
            return f"It would fit in {words}: was it typed in another unit, or with a wrong decimal mark?"
    if item.unit in ("V", "A") and abs(value / 10.0 - expected) <= 0.02 * abs(expected):
        return "Ten times what is expected: is the decimal mark where it belongs?"
    return ""


def _battery(item: Expected, value: float, what: str) -> str:
    expected = item.value or 0.0
    if what == "soc":
        return (
            "A pack at another charge than its neighbours: bring them level before they are joined, or the full one "
            "floods the empty."
        )
    if what == "amps":
        return "It does not take its share of the bus: cable length, a loose joint, or a pack that differs."
    if value < 0.0:
        return "Reversed polarity: never close the isolator. Exchange plus and minus first."
    if value < DEAD_SHARE * expected:
        return "Nothing there: the pack sleeps, its switch or fuse is open."
    if "pack" in item.key:
        return "Another voltage than its neighbours: equalise before they are joined."
    return f"{_far(item, value)}: a pack more or less in the stack, or another charge than is shown."


def _far(item: Expected, value: float) -> str:
    expected = item.value or 0.0
    if not expected:
        return f"{value:,g} {item.unit} off"
    word = "above" if value > expected else "below"
    return f"{abs(value / expected - 1.0):.0%} {word} what is expected"


def _count(number: int) -> str:
    return "one" if number == 1 else str(number)


def tally(judged: Iterable[Judged]) -> dict[str, int]:
    """How many readings have each verdict."""
    found: dict[str, int] = {}
    for item in judged:
        found[item.verdict] = found.get(item.verdict, 0) + 1
    return found


def by_stage(judged: Iterable[Judged]) -> dict[str, list[Judged]]:
    """Readings by the stage of the works, in order."""
    items = list(judged)
    return {stage: [item for item in items if item.expected.stage == stage] for stage in STAGES}
