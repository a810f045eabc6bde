"""What every instrument should show, in the order of work, with its tolerance and where both come from."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import hypot

from calm_relay.job.commissioning import Commissioning
from calm_relay.planning.architecture.bus_rating import arrays_on_bus
from calm_relay.planning.architecture.connections import unit_keys, units_of
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.commissioning.conditions import Light, light_on, moment_utc
from calm_relay.planning.commissioning.strings_now import String, faces_in, modules_of, strings_of
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.equipment.bank import charge_dc_kw
from calm_relay.planning.equipment.equipment import loss_curve
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option

STAGES = (
    "Strings, isolated",
    "Battery, isolated",
    "AC, before closing",
    "Running",
    "Charging",
    "In an outage",
    "Formed without a grid",
)
DEAD, BATTERY, AC, RUNNING, CHARGING, OUTAGE, OFF_GRID = STAGES
# Nameplate and meter together: common practice, no source.
VOLTS_OFF, AMPS_OFF = 0.025, 0.04
SPREAD = 0.05
SPREAD_SOURCE = "IEC 62446-1:2016, like strings within 5% of each other in stable light; from memory"
STRING_SOURCE = "module datasheet at the light and temperature stated"
# IEC 62446-1:2016 table 1, from memory: system voltage to which it holds [V], test voltage [V], least [Mohm].
INSULATION = ((120.0, 250.0, 0.5), (500.0, 500.0, 1.0), (float("inf"), 1000.0, 1.0))
# EN 50160: 10 % of nominal; ANSI C84.1 range A: 5 %. Both from memory.
SERVICE_OFF = {"split": 0.05, "single": 0.10, "three": 0.10, "three-wire": 0.10}
VOLTS_READ = {
    "single": ("Volts",),
    "split": ("Volts",),
    "three": ("Volts L1 to neutral", "Volts L2 to neutral", "Volts L3 to neutral"),
    "three-wire": ("Volts L1 to L2", "Volts L2 to L3", "Volts L3 to L1"),
}
# Packs before they are joined, of their full voltage; amps and charge of packs on one bus: common practice, no source.
PACKS_APART, PACKS_SHARE, PACKS_CHARGE = 0.005, 0.2, 0.05
MOST_PACKS = 12


@dataclass(frozen=True)
class Expected:
    """One reading to take.

    Attributes
    ----------
    key : str
        Names it in the job.
    stage : str
        One of `STAGES`.
    part, what, unit : str
        Where, what is read, and in which unit.
    value, off : float or None, float
        What it should be, and how far from it is still right; None where it is only written down or held against ends.
    least, most : float or None
        Ends that hold whatever is expected.
    source : str
        Where value and tolerance come from.
    how : str
        How it is taken.
    string : String or None
        The string it is of.
    """

    key: str
    stage: str
    part: str
    what: str
    unit: str
    value: float | None
    off: float
    source: str
    how: str = ""
    least: float | None = None
    most: float | None = None
    string: String | None = None

    @property
    def words(self) -> str:
        """What it should show, in words."""
        digits = 0 if self.unit in ("V", "W/m²") and (self.value or 0.0) > 100.0 else 1
        if self.unit in ("A", "Hz", "kW"):
            digits = 2 if (self.value or 0.0) < 100.0 else 1
        if self.unit == "%":
            digits = 0
        if self.value is not None:
            return f"{self.value:,.{digits}f} ± {self.off:,.{digits}f} {self.unit}"
        if self.least is not None and self.most is not None:
            return f"{self.least:,.{digits}f} to {self.most:,.{digits}f} {self.unit}"
        if self.least is not None:
            return f"at least {self.least:,g} {self.unit}"
        return f"write down, {self.unit}"


def lights_of(plan: Plan, option: Option, record: Commissioning) -> dict[str, Light]:
    """Light on each face as the record has it, by the face's name."""
    utc = moment_utc(plan.job, record.conditions)
    return {
        name: light_on(plan, face.plan, record.conditions, utc)
        for name, face in faces_in(plan, option.design).items()
    }


@said_in_region
def expected_of(plan: Plan, option: Option, record: Commissioning) -> tuple[Expected, ...]:
    """Every reading of an option, in the order of work.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option
        What was built.
    record : Commissioning
        The conditions, and readings that others rest on: a battery's volts on its state of charge.
    """
    lights = lights_of(plan, option, record)
    strings = strings_of(option.design)
    keys = unit_keys(option.design)
    found: list[Expected] = []
    for string in strings:
        found += _isolated(string, lights[string.face.name])
    found += _insulation(option, keys)
    for key, converter in zip(keys, option.design.converters, strict=True):
        if converter.has_battery:
            found += _battery(key, converter, record)
    found += _service(plan, option)
    for string in strings:
        found += _running_string(string, lights[string.face.name])
    arrays = {
        key: [*(item for item in strings if item.unit == number), *modules_of(option.design, number)]
        for number, key in enumerate(keys)
    }
    for key, converter in zip(keys, option.design.converters, strict=True):
        found += _running(plan, key, converter, arrays[key], lights)
    found += _balance(plan, option, keys, record)
    for key, converter in zip(keys, option.design.converters, strict=True):
        if converter.has_battery:
            found += _charging(plan, option, key, converter, arrays[key], lights)
    if any(member.inverter.backup is not None for member in option.design.together):
        found += _island(plan, option, keys, record)
    order = {stage: place for place, stage in enumerate(STAGES)}
    return tuple(sorted(found, key=lambda item: order[item.stage]))


def _isolated(string: String, light: Light) -> Iterator[Expected]:
    points = string.points(light)
    warm = abs(string.module.voc_per_c) * light.off_c
    # The logarithm of the light: a half more of it is 1 % more volts.
    dim = 0.026 * light.off / max(1.0 - light.off, 0.3)
    yield Expected(
        f"{string.key} voc", DEAD, string.name, "Open-circuit voltage", "V", points.voc,
        points.voc * hypot(hypot(VOLTS_OFF, warm), dim), f"{STRING_SOURCE}: {light.source}; {SPREAD_SOURCE}",
        f"{string.in_series} × {string.module.name}; red on plus: a minus sign is reversed polarity", string=string,
    )  # fmt: skip
    yield Expected(
        f"{string.key} isc", DEAD, string.name, "Short-circuit current", "A", points.isc,
        points.isc * hypot(AMPS_OFF, light.off), f"{STRING_SOURCE}: {light.source}; {SPREAD_SOURCE}",
        "only with a switch made for it; never by pulling a plug", string=string,
    )  # fmt: skip


def _insulation(option: Option, keys: tuple[str, ...]) -> Iterator[Expected]:
    cold_c = option.context.temperatures.cold_c
    for key, converter in zip(keys, option.design.converters, strict=True):
        if converter.laid is None or converter.micro is not None:
            continue
        for item in converter.laid.inputs:
            chained = any(run.optimiser for run in item.runs)
            volts = item.tracker.max_v if chained else max(run.open_v(cold_c) for run in item.runs)
            test_v, least = next((test, least) for end, test, least in INSULATION if volts <= end)
            yield Expected(
                f"input {key}/{item.number} insulation", DEAD,
                f"Input {item.number} of {converter.name}", "Insulation to earth", "MΩ", None, 0.0,
                "IEC 62446-1:2016, table 1; from memory",
                f"at {test_v:g} V, each pole; electronics as their maker says",
                least=least,
            )  # fmt: skip


def _battery(key: str, converter: Converter, record: Commissioning) -> Iterator[Expected]:
    bank, name = converter.bank, converter.name
    charge = record.value(f"battery of {key} soc")
    shown_by = "the unit's counter" if bank.pack.is_lead else "the battery's own display"
    yield Expected(
        f"battery of {key} soc", BATTERY, f"Battery of {name}", "State of charge", "%", None, 0.0, shown_by,
        "the volts below rest on it", least=0.0, most=100.0,
    )  # fmt: skip
    if charge is None or not 0.0 <= charge <= 100.0:
        value, off, ends = None, 0.0, (bank.empty_v, bank.full_v)
        source = "battery datasheet: empty to full"
    else:
        level = min(max(bank.level_at(charge / 100.0), 0.0), 1.0)
        value, ends = float(bank.volts(level)), None
        off = max(
            0.5 * abs(float(bank.volts(min(level + 0.1, 1.0)) - bank.volts(max(level - 0.1, 0.0)))), 0.01 * value
        )
        source = "battery datasheet at the charge read, ten points off at most"
    yield Expected(
        f"battery of {key} volts", BATTERY, f"Battery of {name}", "Volts at its terminals", "V", value, off, source,
        "isolator open, polarity first", *(ends or (None, None)),
    )  # fmt: skip
    packs = bank.in_parallel * bank.units
    if 1 < packs <= MOST_PACKS:
        yield from _packs(key, converter, packs, record)


def _packs(key: str, converter: Converter, packs: int, record: Commissioning) -> Iterator[Expected]:
    """Packs that are to stand on one bus: alike before they are joined, and sharing after."""
    bank, name = converter.bank, converter.name
    for what, stage, label, unit, source in (
        ("volts", BATTERY, "Volts before it is joined", "V", "its neighbours; common practice, no source"),
        ("soc", BATTERY, "State of charge before it is joined", "%", "its neighbours; common practice, no source"),
        ("amps", CHARGING, "Amps of the pack", "A", "an equal share on the bus; common practice, no source"),
    ):
        names = [f"battery of {key} pack {number} {what}" for number in range(1, packs + 1)]
        read = [value for value in (record.value(item) for item in names) if value is not None]
        middle = sorted(read)[len(read) // 2] if len(read) > 1 else None
        off = {
            "volts": PACKS_APART * bank.pack.full_v,
            "soc": 100.0 * PACKS_CHARGE,
            "amps": max(PACKS_SHARE * abs(middle or 0.0), 1.0),
        }[what]
        for number, item in enumerate(names, 1):
            yield Expected(
                item, stage, f"Pack {number} of {name}", label, unit, middle, off, source,
                "at some tenths of full current" if what == "amps" else "",
            )  # fmt: skip


def _service(plan: Plan, option: Option) -> Iterator[Expected]:
    supply = plan.job.supply
    if not supply.on_grid:
        return
    share = SERVICE_OFF[supply.phases]
    source = f"nominal of the service ± {share:.0%}: EN 50160 or ANSI C84.1; from memory"
    for number, read in enumerate(VOLTS_READ[supply.phases], 1):
        yield Expected(
            f"service volts {number}", AC, "Main board", read, "V",
            supply.volts, supply.volts * share, source, "main switch open on the new side",
        )  # fmt: skip
    if supply.circuit.has_three_phases:
        yield Expected(
            "service rotation", AC, "Main board", "Phase rotation, 1 for clockwise", "", 1.0, 0.0,
            "common practice, no source", "with a rotation meter; 0 for anticlockwise",
        )  # fmt: skip
    yield Expected(
        "service hertz", AC, "Main board", "Frequency", "Hz", curve_of(plan.job).nominal_hz,
        0.01 * curve_of(plan.job).nominal_hz, "EN 50160, 1% of nominal; from memory",
    )  # fmt: skip


def _running_string(string: String, light: Light) -> Iterator[Expected]:
    points = string.points(light)
    warm = abs(string.module.vmp_per_c) * light.off_c
    yield Expected(
        f"{string.key} vmp", RUNNING, string.name, "Volts, running", "V", points.vmp,
        points.vmp * hypot(2 * VOLTS_OFF, warm), f"{STRING_SOURCE}: {light.source}",
        "higher where the unit is throttled", string=string,
    )  # fmt: skip
    yield Expected(
        f"{string.key} imp", RUNNING, string.name, "Amps, running", "A", points.imp,
        points.imp * hypot(2 * AMPS_OFF, light.off), f"{STRING_SOURCE}: {light.source}",
        "by clamp; lower where the unit is throttled", string=string,
    )  # fmt: skip


def dc_kw(strings: list[String], lights: dict[str, Light]) -> tuple[float, float]:
    """What strings should give together in their light, and how far off that may be [kW]."""
    made = sum(string.kw(lights[string.face.name]) for string in strings)
    off = sum(
        string.kw(lights[string.face.name]) * hypot(0.06, lights[string.face.name].off) for string in strings
    )
    return made, off


def _named(converter: Converter) -> str:
    """What a unit is called among readings: microinverters by the face they lie on, where others are like them."""
    if converter.micro is None:
        return converter.name
    return f"{' and '.join(face.plan.name for face in converter.faces)}, {converter.inverter.name}"


def _running(
    plan: Plan, key: str, converter: Converter, strings: list[String], lights: dict[str, Light]
) -> Iterator[Expected]:
    if converter.has_array and strings:
        made, off = dc_kw(strings, lights)
        rated = converter.inverter.ac_kw
        part = converter.part(0.0)
        through = min(made * part.tracker_efficiency, part.pv_limit_kw)
        given = min(through * float(loss_curve(converter.inverter).efficiency(min(1.0, through / rated))), rated)
        battery = " that goes to the battery is not in it;" if converter.has_battery else ""
        yield Expected(
            f"{key} ac kw", RUNNING, _named(converter), "AC power", "kW", given, max(off, 0.05),
            "its strings in this light, its losses and its rating", f"on its display;{battery} a full battery and an "
            "export limit lower it",
        )  # fmt: skip
    elif not converter.has_battery:
        yield Expected(f"{key} ac kw", RUNNING, converter.name, "AC power", "kW", None, 0.0, "its display")


def _balance(plan: Plan, option: Option, keys: tuple[str, ...], record: Commissioning) -> Iterator[Expected]:
    """What crosses the meter is what the home takes less what the units give: signs of all three are held."""
    if not plan.job.supply.on_grid:
        return
    load = record.value("home kw")
    given = [record.value(f"{key} balance kw") for key in keys]
    yield Expected(
        "home kw", RUNNING, "Home", "Load by clamp meter", "kW", None, 0.0, "clamp meter",
        "all loads together, units not counted", least=0.0,
        most=plan.job.supply.import_limit_kw * 1.5,
    )  # fmt: skip
    for key, converter in zip(keys, option.design.converters, strict=True):
        rated = converter.inverter.ac_kw
        yield Expected(
            f"{key} balance kw", RUNNING, _named(converter), "AC power in the same minute", "kW", None, 0.0,
            "its display", "plus towards the home, minus while it charges", least=-1.1 * rated, most=1.1 * rated,
        )  # fmt: skip
    value = off = None
    if load is not None and all(item is not None for item in given):
        units_kw = sum(item for item in given if item is not None)
        value, off = load - units_kw, max(0.15, 0.06 * (load + abs(units_kw)))
    yield Expected(
        "grid kw", RUNNING, "Meter", "Grid power in the same minute", "kW", value, off or 0.0,
        "load less what the units give", "plus from the grid, minus to it",
    )  # fmt: skip


def _charging(
    plan: Plan, option: Option, key: str, converter: Converter, strings: list[String], lights: dict[str, Light]
) -> Iterator[Expected]:
    bank, inverter = converter.bank, converter.inverter
    if converter.has_array and strings:
        made, off = dc_kw(strings, lights)
        most = min(bank.dc_limits(inverter, "charge", 0.5).values())
        yield Expected(
            f"{key} charge dc kw", CHARGING, f"Battery of {converter.name}", "Charging from its array", "kW",
            min(made * inverter.port.dc_dc_efficiency, most), max(off, 0.1),
            "its strings in this light, held by its limits", "loads off, battery well below full",
        )  # fmt: skip
    if plan.job.supply.on_grid and inverter.port.charge_from_ac_kw > 0.0:
        window = plan.job.battery.first_window
        forced = "forced by its menu" + (", each unit its share" if units_of(converter) > 1 else "")
        kw, limit = charge_dc_kw(bank, inverter, window.limit_kw if window else None, 0.5)
        yield Expected(
            f"{key} charge ac kw", CHARGING, f"Battery of {converter.name}", "Charging from the grid", "kW", kw,
            max(0.1 * kw, 0.1), f"{limit}, at half charge", forced,
        )  # fmt: skip
        amps = kw * 1000.0 / float(bank.volts(0.5))
        yield Expected(
            f"{key} charge amps", CHARGING, f"Battery of {converter.name}", "Amps of all its packs then", "A", amps,
            max(0.12 * amps, 1.0), f"{limit}, at the volts of half charge", "by clamp on one pole of the bus",
        )  # fmt: skip


def _island(plan: Plan, option: Option, keys: tuple[str, ...], record: Commissioning) -> Iterator[Expected]:
    curve, supply = curve_of(plan.job), plan.job.supply
    lead = keys[option.design.forming[0]]
    charge = record.value(f"battery of {lead} soc")
    follows = bool(arrays_on_bus(option.design, supply))
    full = charge is not None and charge >= 95.0
    throttles = option.design.grid_former.outage_output.throttles_ac_pv == "frequency"
    raised = follows and full and throttles
    stage, switched, board = OUTAGE, "grid switched off at the main switch", "backup board"
    if not supply.on_grid:
        stage, switched, board = OFF_GRID, "no generator running", "board"
    on_backup = " on backup" if supply.on_grid else ""
    yield Expected(
        "island hertz", stage, option.design.grid_former.name, f"Frequency{on_backup}", "Hz",
        None if raised else curve.nominal_hz, 0.5, f"{curve.name}: raised only to turn AC-coupled arrays down",
        "the battery is full: it may be raised" if raised else switched,
        *((curve.nominal_hz - 0.5, curve.end_hz + 0.5) if raised else (None, None)),
    )  # fmt: skip
    yield Expected(
        "island volts", stage, option.design.grid_former.name, f"Volts{on_backup}", "V", supply.volts,
        supply.volts * SERVICE_OFF[supply.phases], "nominal of the service", f"at a socket of the {board}",
    )  # fmt: skip
    yield Expected(
        "island neutral volts", stage, option.design.grid_former.name, f"Neutral to earth{on_backup}", "V", None, 0.0,
        "common practice, no source: where the bond is made it is near 0",
        "above a few volts the bond is missing", least=0.0, most=5.0,
    )  # fmt: skip
