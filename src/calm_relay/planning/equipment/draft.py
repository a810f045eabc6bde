"""An item of equipment while it is being typed: what is stated, what follows from it, and what looks wrong.

What is stated stands by dotted paths of the item's fields: "open_circuit_v", "battery.low_v". The MPPT inputs of an
inverter stand as "pv.inputs", how many there are, and "pv.tracker.max_v" and so on, a tuple with one value for all
inputs or one for each.
"""

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from statistics import median
from typing import Any

from pydantic import ValidationError

from calm_relay.job.base import Model
from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.equipment import (
    Backup,
    BatteryPort,
    Inverter,
    Microinverter,
    Module,
    Optimiser,
    Pack,
    PvInput,
    Tracker,
)
from calm_relay.planning.common.joined import counted
from calm_relay.planning.common.refused import refused_words

Stated = Mapping[str, Any]
INPUTS = "pv.inputs"
MOST_INPUTS = 12
MODELS: dict[str, type[Model]] = {
    "modules": Module,
    "inverters": Inverter,
    "packs": Pack,
    "optimisers": Optimiser,
    "microinverters": Microinverter,
}
SINGULAR = {
    "modules": "module",
    "inverters": "inverter",
    "packs": "battery",
    "optimisers": "optimiser",
    "microinverters": "microinverter",
}
PARTS: dict[str, type[Model]] = {"pv": PvInput, "pv.tracker": Tracker, "battery": BatteryPort, "backup": Backup}

# What a datasheet usually states: without it there is no item.
USUAL = {
    "modules": (
        "name", "power_w", "open_circuit_v", "short_circuit_a", "max_power_v", "max_power_a", "length_mm", "width_mm",
    ),
    "inverters": (
        "name", "ac_kw", "phases", "peak_efficiency", INPUTS, "pv.tracker.mppt_low_v", "pv.tracker.mppt_high_v",
        "pv.tracker.max_v", "pv.tracker.usable_a", "battery.families", "battery.low_v", "battery.high_v",
        "battery.charge_kw", "battery.discharge_kw", "backup.continuous_kw",
    ),
    "packs": ("name", "family", "chemistry", "nominal_kwh", "empty_v", "full_v", "charge_a", "discharge_a"),
    "optimisers": (
        "name", "power_w", "max_v", "mppt_low_v", "mppt_high_v", "short_circuit_a", "string_min", "string_max",
        "string_power_w",
    ),
    "microinverters": ("name", "ac_w", "phases", "mppt_low_v", "mppt_high_v", "max_v", "usable_a", "peak_efficiency"),
}  # fmt: skip

# What datasheets seldom state: asked last.
SELDOM = frozenset(
    (
        "technology", "bifaciality", "heat_loss_constant", "heat_loss_wind", "ageing_per_year", "weighting", "peak_at",
        "built_in_pack", "plug_in", "charge_controllers", "export_control", "frequency_watt", "ingress",
        "rcd", "dc_isolator", "arc_fault", "anti_islanding", "load_ports", "load_port_a", "dc_charger_kw",
        "dc_charger_v", "car_to_house", "ct_cable_m", "neutral_bond",
        "changeover_poles", "bypass", "between_phases", "highest_m", "full_power_to_m", "grid_low_v",
        "grid_high_v", "grid_hz", "full_power_to_c", "works_from_c", "works_to_c",
        "knee_low_v", "knee_high_v", "absorption_v", "float_v", "taper_from", "taper_to", "peukert", "rated_hours",
        "cycles_to", "calendar_fade",
        "expansion_of", "generation", "mixes_with", "warranty_fraction", "warranty_mwh_per_kwh", "any_inverter",
    )
)  # fmt: skip
FUSES_A = (10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0, 50.0, 63.0)
# Times the rated short-circuit current that a string's fuse carries (NEC 690.8 and 690.9; from memory).
FUSE_OVER_ISC = 1.56
# Volts of a lead-acid cell where its usable half ends and when it is full, cells of a bank, and its strings in
# parallel at most: common practice, no source.
LEAD_EMPTY_V, LEAD_FULL_V = 1.92, 2.21
LEAD_BANK_CELLS, LEAD_STACKS = 24, 3
# What a price is counted by: field of the size, and its unit.
SIZES = {"modules": ("power_w", "W"), "inverters": ("ac_kw", "kW"), "packs": ("nominal_kwh", "kWh")}
# A price so many times above or below the middle one of its kind is doubted, where so many are known.
FAR_PRICE, ENOUGH_PRICES = 3.0, 3


@dataclass(frozen=True)
class Derived:
    """A value that follows from what is stated, and how."""

    value: Any
    how: str


@dataclass(frozen=True)
class Doubt:
    """What looks wrong: at which field, and why. It warns and forbids nothing."""

    path: str
    sentence: str


def field_at(kind: str, path: str) -> tuple[type[Model], str]:
    """Model and field that a path leads to.

    Raises
    ------
    KeyError
        When the kind has no such field.
    """
    part, _, name = path.rpartition(".")
    model = PARTS[part] if part else MODELS[kind]
    if name not in model.model_fields:
        raise KeyError(path)
    return model, name


@lru_cache(maxsize=32)
def paths_of(kind: str, parts: frozenset[str] = frozenset()) -> tuple[str, ...]:
    """Every path of a kind; of an inverter those of the parts it has: "pv", "battery", "backup"."""
    own = [name for name in MODELS[kind].model_fields if name not in {"key", *PARTS}]
    if "pv" in parts:
        own.append(INPUTS)
        own += [f"pv.tracker.{name}" for name in Tracker.model_fields]
    for part in ("pv", "battery", "backup"):
        if part in parts:
            own += [f"{part}.{name}" for name in PARTS[part].model_fields if name != "trackers"]
    return tuple(own)


def usual_of(kind: str, path: str) -> Any:
    """What a field is without a word, None where it is nothing then."""
    if path in {INPUTS, "price"}:
        return None
    model, name = field_at(kind, path)
    field = model.model_fields[name]
    value = None if field.is_required() else field.get_default()
    if value in (None, "", ()) or isinstance(value, bool):
        return None
    return (value,) if path.startswith("pv.tracker.") else value


def parts_of(kind: str, stated: Stated) -> frozenset[str]:
    """The parts of an inverter of which anything is stated."""
    if kind != "inverters":
        return frozenset()
    return frozenset(path.partition(".")[0] for path in stated if "." in path)


def missing(kind: str, stated: Stated, parts: frozenset[str]) -> tuple[str, ...]:
    """Paths that must be stated and are not."""
    wanted = [path for path in USUAL[kind] if "." not in path or path.partition(".")[0] in parts]
    return tuple(path for path in wanted if stated.get(path) in (None, "", ()))


def refused_item(error: ValidationError, titles: Mapping[str, str]) -> str:
    """What was refused of an item, by the titles of its rows: of one made alone, or made with its stock and prices."""
    return refused_words(error, None, {"item": "", **titles, **{f"item.{path}": titles[path] for path in titles}})


def key_of(name: str, taken: frozenset[str] | set[str] = frozenset()) -> str:
    """A key from a name, other than those taken."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    stem = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:50] or "item"
    return next(key for n in range(1, len(taken) + 3) if (key := stem if n == 1 else f"{stem}-{n}") not in taken)


def stated_of(item: Model) -> dict[str, Any]:
    """An item as it would be typed: every field that is not as the model has it without a word."""
    result: dict[str, Any] = {}
    for name, field in type(item).model_fields.items():
        value = getattr(item, name)
        if name == "key":
            continue
        if name in PARTS:
            if value is not None:
                result |= {f"{name}.{path}": inner for path, inner in stated_of(value).items()}
        elif name == "trackers":
            result["inputs"] = len(value)
            for inner in Tracker.model_fields:
                each = tuple(getattr(tracker, inner) for tracker in value)
                result[f"tracker.{inner}"] = each[:1] if len(set(each)) == 1 else each
        elif field.is_required() or value != field.get_default():
            result[name] = value
    return result


def item_of(kind: str, stated: Stated, key: str, parts: frozenset[str] | None = None) -> Any:
    """The item that is stated, with what follows from it.

    Raises
    ------
    pydantic.ValidationError
        When a field is missing, out of its range, or at odds with another.
    """
    parts = parts_of(kind, stated) if parts is None else parts
    values = {path: value for path, value in stated.items() if value not in (None, "")}
    values = {path: found.value for path, found in derived(kind, values, parts).items()} | values
    document: dict[str, Any] = {"key": key}
    for path in paths_of(kind, parts):
        if path == INPUTS or path.startswith("pv.tracker.") or path not in values:
            continue
        part, _, name = path.rpartition(".")
        (document.setdefault(part, {}) if part else document)[name] = values[path]
    if "pv" in parts:
        document.setdefault("pv", {})["trackers"] = _trackers(values)
    for part in parts & {"battery", "backup"}:
        document.setdefault(part, {})
    return MODELS[kind].model_validate(document)


def _trackers(values: Stated) -> list[dict[str, Any]]:
    count = values.get(INPUTS) or 0
    count = min(max(int(count), 0), MOST_INPUTS) if isinstance(count, int | float) else 0
    rows: list[dict[str, Any]] = [{} for _ in range(count)]
    for name in Tracker.model_fields:
        each = values.get(f"pv.tracker.{name}")
        if each is None:
            continue
        each = each if isinstance(each, tuple | list) else (each,)
        if not each:
            continue
        for number, row in enumerate(rows):
            row[name] = each[min(number, len(each) - 1)]
    return rows


def derived(kind: str, stated: Stated, parts: frozenset[str] | None = None) -> dict[str, Derived]:
    """What follows from what is stated, for paths that are not."""
    parts = parts_of(kind, stated) if parts is None else parts
    found = _DERIVE[kind](_Known(stated), parts)
    return {path: value for path, value in found.items() if stated.get(path) in (None, "", ())}


class _Known:
    """What is stated, numbers alone; of a tuple the first, or all."""

    def __init__(self, stated: Stated) -> None:
        self._stated = stated

    def __call__(self, path: str) -> float | None:
        value = self._stated.get(path)
        if isinstance(value, tuple | list):
            value = value[0] if value else None
        return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None

    def word(self, path: str) -> str:
        return str(self._stated.get(path) or "")

    def sum(self, path: str, count: int) -> float | None:
        """A value of each of so many inputs, added up."""
        value = self._stated.get(path)
        each = value if isinstance(value, tuple | list) else (value,)
        if not each or any(not isinstance(one, int | float) for one in each):
            return None
        return float(sum(each[min(number, len(each) - 1)] for number in range(count)))


def _module(known: _Known, parts: frozenset[str]) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    thin = known.word("technology") == "thin film"
    voc = Derived(-0.0027, "usual for crystalline cells")
    power = Derived(-0.0029 if thin else -0.0035, "usual for such cells")
    found["voc_per_c"], found["power_per_c"] = voc, power
    found["isc_per_c"] = Derived(0.0005, "usual for such cells")
    power_c = known("power_per_c")
    isc_c = known("isc_per_c")
    vmp = (power.value if power_c is None else power_c) - (0.0005 if isc_c is None else isc_c)
    found["vmp_per_c"] = Derived(round(max(vmp, -0.008), 5), "coefficient of power less that of current")
    volts, amps = known("open_circuit_v"), known("short_circuit_a")
    if volts:
        cells = min(max(round(volts / 0.685), 1), 200)
        found["cells_in_series"] = Derived(cells, "Voc over 0.685 V a cell")
    found["system_voltage_v"] = Derived(1000.0, "the lower of the two usual ratings")
    if amps:
        fuse = next((size for size in FUSES_A if size >= amps * FUSE_OVER_ISC), amps * FUSE_OVER_ISC)
        found["series_fuse_a"] = Derived(fuse, f"next size above {FUSE_OVER_ISC} × Isc")
    return found


def _inverter(known: _Known, parts: frozenset[str]) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    kw, phases = known("ac_kw"), known.word("phases") or "single"
    found["volts"] = Derived(240.0 if phases == "split" else 230.0, "usual for the service")
    volts = known("volts") or found["volts"].value
    if kw:
        amps = round(kw * 1000.0 / volts / CIRCUITS[phases].factor, 1)
        found["max_ac_a"] = Derived(amps, "rated power over voltage")
        found["standby_w"] = Derived(round(max(2.0, 2.0 * kw if "battery" in parts else 0.8 * kw), 1), "usual")
    peak = known("peak_efficiency")
    if peak:
        found["weighted_efficiency"] = Derived(round(peak - 0.006, 4), "peak less 0.6 points")
    found["price"] = Derived(0.0, "none stated, the outlay counts nothing")
    if "pv" in parts:
        found |= _pv(known, kw)
    if "battery" in parts:
        found |= _port(known, kw, "pv" in parts)
    if "backup" in parts:
        found |= _backup(known, known("max_ac_a") or (found["max_ac_a"].value if kw else None))
    return found


def _pv(known: _Known, kw: float | None) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    low, high = known("pv.tracker.mppt_low_v"), known("pv.tracker.mppt_high_v")
    count = int(known(INPUTS) or 0)
    usable_a = known.sum("pv.tracker.usable_a", count)
    first_a = known("pv.tracker.usable_a")
    found["pv.tracker.strings"] = Derived((1,), "one unless stated")
    if first_a:
        found["pv.tracker.short_circuit_a"] = Derived((round(first_a * 1.25, 2),), "1.25 × usable current")
    if low:
        found["pv.tracker.start_v"] = Derived((low,), "lower end of the MPPT window")
    if kw and usable_a and low and high:
        full = min(max(kw * 1000.0 / usable_a, low), high)
        found["pv.tracker.full_power_low_v"] = Derived((round(full, 1),), "rated power over the inputs' current")
        usable = round(min(usable_a * high / 1000.0, 1.5 * kw), 2)
        found["pv.usable_dc_kw"] = Derived(usable, "the inputs' current at full voltage, at most 1.5 × AC rating")
    most = known("pv.usable_dc_kw") or (found["pv.usable_dc_kw"].value if "pv.usable_dc_kw" in found else None)
    if kw and most:
        ratio = round(max(most / kw, 1.0), 3)
        found["pv.ratio_max"] = Derived(ratio, "most usable DC power over AC rating")
        stated = known("pv.ratio_max")
        found["pv.ratio_max_with_battery"] = Derived(stated or ratio, "as without a battery")
    return found


def _port(known: _Known, kw: float | None, has_pv: bool) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    low, high = known("battery.low_v"), known("battery.high_v")
    if low and high:
        middle = (low + high) / 2.0 if high < 1.6 * low else low
        for way in ("charge", "discharge"):
            power = known(f"battery.{way}_kw")
            if power:
                amps = round(power * 1000.0 / middle, 1)
                found[f"battery.{way}_a"] = Derived(amps, f"power over {middle:g} V")
    charge = known("battery.charge_kw")
    if charge and kw:
        found["battery.charge_from_ac_kw"] = Derived(min(charge, kw), "the lesser of charging power and AC rating")
    return found


def _backup(known: _Known, max_ac_a: float | None) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    power = known("backup.continuous_kw")
    if power:
        found["backup.surge_kw"] = Derived(power, "no surge stated: none counted on")
        found["backup.surge_s"] = Derived(1.0, "no surge stated")
    if max_ac_a:
        found["backup.pass_through_a"] = Derived(max_ac_a, "none stated: its own AC current")
    return found


def _lead_cells(known: _Known) -> int:
    """Cells of a lead-acid block by what it is charged to; 0 where that is not stated."""
    for path, cell_v in (("absorption_v", 2.38), ("float_v", 2.26)):
        volts = known(path)
        if volts:
            return max(round(volts / cell_v), 1)
    return 0


def _pack(known: _Known, parts: frozenset[str]) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    lead = known.word("chemistry").startswith("lead")
    energy, low, high = known("nominal_kwh"), known("empty_v"), known("full_v")
    block = _lead_cells(known) if lead else 0
    if block:
        low, high = low or round(block * LEAD_EMPTY_V, 2), high or round(block * LEAD_FULL_V, 2)
        how = f"{counted(block, 'cell')}, by its charging volts: common practice, no source"
        found["empty_v"], found["full_v"] = Derived(low, how), Derived(high, how)
    found["depth_of_discharge"] = Derived(0.5 if lead else 0.9, "usual for the chemistry")
    found["round_trip"] = Derived(0.82 if lead else 0.95, "usual for the chemistry")
    if energy and low and high:
        for way in ("charge", "discharge"):
            amps = known(f"{way}_a")
            if amps:
                rate = round(amps * (low + high) / 2000.0 / energy, 3)
                found[f"{way}_c"] = Derived(rate, "current at middle voltage over nominal energy")
    life = ((0.5, 1000.0), (0.8, 600.0)) if lead else ((0.8, 6000.0), (1.0, 4500.0))
    found["cycle_life"] = Derived(
        tuple({"depth": depth, "cycles": cycles} for depth, cycles in life), "usual for the chemistry"
    )
    found["stacking"] = Derived("parallel", "usual below 60 V" if (high or 0) <= 60 else "unless stated")
    found["count_max"] = Derived(1, "one unless stated")
    if 0 < block < LEAD_BANK_CELLS:
        how = f"blocks in series to {2 * LEAD_BANK_CELLS} V"
        found["stacking"] = Derived("series", how)
        found["count_min"] = found["count_max"] = Derived(LEAD_BANK_CELLS // block, how)
        found["stacks_max"] = Derived(LEAD_STACKS, "strings in parallel: common practice, no source")
    found["price"] = Derived(0.0, "none stated, the outlay counts nothing")
    return found


def _optimiser(known: _Known, parts: frozenset[str]) -> dict[str, Derived]:
    return {}


def _micro(known: _Known, parts: frozenset[str]) -> dict[str, Derived]:
    found: dict[str, Derived] = {}
    watts, phases = known("ac_w"), known.word("phases") or "single"
    found["volts"] = Derived(240.0 if phases == "split" else 230.0, "usual for the service")
    volts = known("volts") or found["volts"].value
    if watts:
        found["ac_a"] = Derived(round(watts / volts / CIRCUITS[phases].factor, 2), "rated power over voltage")
    low, amps, peak = known("mppt_low_v"), known("usable_a"), known("peak_efficiency")
    if low:
        found["start_v"] = Derived(low, "lower end of the MPPT window")
    if amps:
        found["short_circuit_a"] = Derived(round(amps * 1.25, 2), "1.25 × usable current")
    if peak:
        found["weighted_efficiency"] = Derived(round(peak - 0.005, 4), "peak less 0.5 points")
    found["ratio_max"] = Derived(1.4, "usual")
    found["branch_breaker_a"] = Derived(20.0, "usual")
    return found


_DERIVE = {
    "modules": _module,
    "inverters": _inverter,
    "packs": _pack,
    "optimisers": _optimiser,
    "microinverters": _micro,
}


def doubts(
    kind: str, stated: Stated, parts: frozenset[str] | None = None, others: Sequence[Any] = ()
) -> tuple[Doubt, ...]:
    """What looks wrong in an item, from rules of thumb of the trade.

    Fill factors from 0.60 to 0.86, an efficiency of a module below 26 %, power within 3 % of voltage times current:
    common practice, no source. `others` are items of the kind whose prices this one's is held against.
    """
    parts = parts_of(kind, stated) if parts is None else parts
    values = {path: found.value for path, found in derived(kind, stated, parts).items()} | dict(stated)
    known = _Known(values)
    found: list[Doubt] = []

    def say(path: str, sentence: str) -> None:
        found.append(Doubt(path, sentence))

    if kind == "modules":
        _doubt_module(known, say)
    elif kind == "packs":
        _doubt_pack(known, say)
    else:
        _doubt_efficiency(known, say)
        _doubt_windows(known, "pv.tracker." if kind == "inverters" else "", say)
    if kind == "inverters":
        surge, lasting = known("backup.surge_kw"), known("backup.continuous_kw")
        if surge and lasting and surge < lasting - 1e-9:
            say("backup.surge_kw", f"surge of {surge:g} kW is below the continuous {lasting:g} kW")
    _doubt_price(known, kind, others, say)
    return tuple(found)


def _doubt_price(known: _Known, kind: str, others: Sequence[Any], say: Any) -> None:
    if kind not in SIZES:
        return
    field, unit = SIZES[kind]
    rates = [item.price / getattr(item, field) for item in others if item.price > 0.0]
    price, amount = known("price"), known(field)
    if price and amount and len(rates) >= ENOUGH_PRICES:
        usual, rate = median(rates), price / amount
        if not usual / FAR_PRICE <= rate <= usual * FAR_PRICE:
            say("price", f"{rate:,.2f} a {unit}; the others of its kind cost {usual:,.2f} in the middle")


def _doubt_module(known: _Known, say: Any) -> None:
    power, vmp, imp = known("power_w"), known("max_power_v"), known("max_power_a")
    voc, isc = known("open_circuit_v"), known("short_circuit_a")
    if power and vmp and imp and abs(vmp * imp / power - 1.0) > 0.03:
        say("power_w", f"Vmp × Imp is {vmp * imp:.0f} W and not {power:g} W")
    if power and voc and isc:
        fill = power / (voc * isc)
        if not 0.60 <= fill <= 0.86:
            say("open_circuit_v", f"fill factor of {fill:.2f}; modules have 0.60 to 0.86")
    length, width = known("length_mm"), known("width_mm")
    if power and length and width:
        share = power / (length * width / 1000.0)
        if not 0.05 <= share <= 0.26:
            say("length_mm", f"efficiency of {share:.0%} by length and width; modules have 5 to 26%")
    for path, low, high in (
        ("voc_per_c", -0.0045, -0.0015), ("power_per_c", -0.0055, -0.0015), ("isc_per_c", -0.0002, 0.0012),
    ):  # fmt: skip
        value = known(path)
        if value is not None and not low <= value <= high:
            say(path, f"{value * 100:g} %/°C; modules have {low * 100:g} to {high * 100:g}")
    cells = known("cells_in_series")
    if voc and cells and not 0.5 <= voc / cells <= 0.78:
        say("cells_in_series", f"{voc / cells:.2f} V a cell; crystalline cells have 0.55 to 0.75 V")


def _doubt_pack(known: _Known, say: Any) -> None:
    energy, low, high = known("nominal_kwh"), known("empty_v"), known("full_v")
    for way in ("charge", "discharge"):
        amps, rate = known(f"{way}_a"), known(f"{way}_c")
        if energy and low and high and amps and rate:
            by_amps = amps * (low + high) / 2000.0 / energy
            if abs(by_amps / rate - 1.0) > 0.25:
                say(f"{way}_c", f"{rate:g} C, but {amps:g} A at its voltage are {by_amps:.2f} C")
            if by_amps > 3.0:
                say(f"{way}_a", f"{amps:g} A empty or fill it in {60 / by_amps:.0f} minutes")
    trip = known("round_trip")
    if trip and trip > 0.985:
        say("round_trip", f"round trip of {trip:.1%}; batteries have at most 98%")


def _doubt_efficiency(known: _Known, say: Any) -> None:
    peak, weighted = known("peak_efficiency"), known("weighted_efficiency")
    if peak and weighted and weighted > peak:
        say("weighted_efficiency", f"weighted {weighted:.1%} above the peak {peak:.1%}")
    if peak and peak < 0.85:
        say("peak_efficiency", f"{peak:.1%}; inverters have 90 to 99%")


def _doubt_windows(known: _Known, part: str, say: Any) -> None:
    low, high, most = (known(f"{part}{name}") for name in ("mppt_low_v", "mppt_high_v", "max_v"))
    if low and high and low >= high:
        say(f"{part}mppt_low_v", f"the MPPT window runs from {low:g} V to {high:g} V")
    if high and most and high > most:
        say(f"{part}mppt_high_v", f"the MPPT window ends at {high:g} V, above the highest DC voltage {most:g} V")
    usable, short = known(f"{part}usable_a"), known(f"{part}short_circuit_a")
    if usable and short and short < usable:
        say(f"{part}short_circuit_a", f"{short:g} A is below the usable {usable:g} A")
