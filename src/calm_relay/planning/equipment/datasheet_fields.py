"""Which lines of a datasheet state which field: the words manufacturers use, and the units they may stand in.

The words are those common on datasheets in English, common practice, no source; other languages are said in it first
(`label_words`).
"""

import re
from dataclasses import dataclass
from typing import Literal

# What each spelling of a unit is: its dimension, and how many of the dimension's own unit it holds.
UNITS: dict[str, tuple[str, float]] = {
    "w": ("W", 1.0), "wp": ("W", 1.0), "va": ("W", 1.0), "kw": ("W", 1000.0), "kva": ("W", 1000.0),
    "kwp": ("W", 1000.0), "wc": ("W", 1.0), "kwc": ("W", 1000.0),
    "v": ("V", 1.0), "vdc": ("V", 1.0), "vac": ("V", 1.0), "mv": ("V", 0.001), "kv": ("V", 1000.0),
    "a": ("A", 1.0), "adc": ("A", 1.0), "aac": ("A", 1.0), "ma": ("A", 0.001), "arms": ("A", 1.0),
    "wh": ("Wh", 1.0), "kwh": ("Wh", 1000.0),
    "ah": ("Ah", 1.0),
    "mm": ("mm", 1.0), "cm": ("mm", 10.0), "m": ("mm", 1000.0), "in": ("mm", 25.4), "inch": ("mm", 25.4),
    "inches": ("mm", 25.4), '"': ("mm", 25.4), "ft": ("mm", 304.8), "feet": ("mm", 304.8),
    "meters": ("mm", 1000.0), "metres": ("mm", 1000.0),
    "kg": ("kg", 1.0), "lb": ("kg", 0.45359237), "lbs": ("kg", 0.45359237),
    "%": ("%", 1.0),
    "ms": ("s", 0.001), "s": ("s", 1.0), "sec": ("s", 1.0), "seconds": ("s", 1.0),
    "years": ("years", 1.0), "year": ("years", 1.0), "yrs": ("years", 1.0),
    "%/°c": ("rel/K", 0.01), "%/k": ("rel/K", 0.01), "%/c": ("rel/K", 0.01), "%/ºc": ("rel/K", 0.01),
    "%/℃": ("rel/K", 0.01),
    "mv/°c": ("V/K", 0.001), "mv/k": ("V/K", 0.001), "v/°c": ("V/K", 1.0), "v/k": ("V/K", 1.0),
    "mv/℃": ("V/K", 0.001), "mv/ºc": ("V/K", 0.001),
    "ma/°c": ("A/K", 0.001), "ma/k": ("A/K", 0.001), "a/°c": ("A/K", 1.0), "a/k": ("A/K", 1.0),
    "ma/℃": ("A/K", 0.001), "ma/ºc": ("A/K", 0.001),
    "w/°c": ("W/K", 1.0), "w/k": ("W/K", 1.0),
    "°c": ("°C", 1.0), "ºc": ("°C", 1.0), "℃": ("°C", 1.0), "°f": ("°F", 1.0),
    "c": ("C", 1.0), "cycles": ("cycles", 1.0),
}  # fmt: skip

Shape = Literal["one", "each", "range", "size", "pair", "most", "least", "grid"]


@dataclass(frozen=True)
class Wanted:
    """A field and the label by which a line states it.

    `shape` says what follows the label: one number, one for each input, a range (two paths), a size (two paths), a pair
    parted by a stroke (two paths), the most or the least of several, or a grid's voltage of those to neutral and
    between. `each_unit` is how many of the dimension's unit one of the field's is.
    """

    paths: tuple[str, ...]
    label: re.Pattern[str]
    dimension: str
    each_unit: float = 1.0
    shape: Shape = "one"
    not_after: re.Pattern[str] | None = None
    unit_wanted: bool = False
    part: str = ""


def _wanted(
    paths: str,
    label: str,
    dimension: str,
    each_unit: float = 1.0,
    shape: Shape = "one",
    unless: str = "",
    *,
    unit_wanted: bool = False,
) -> Wanted:
    found = tuple(paths.split())
    part = found[0].partition(".")[0] if "." in found[0] else ""
    return Wanted(
        found, re.compile(label, re.I), dimension, each_unit, shape, re.compile(unless, re.I) if unless else None,
        unit_wanted, part,
    )  # fmt: skip


MAX = r"max(?:imum|imal|\.)?"
AT_MAX = rf"(?:{MAX}|mpp|nominal|rated|optimum)"
COEFFICIENT = r"(?:temp\w*\.?\s*coeff?\w*\.?|\btk\b)"
_HEAT = r"coeff?|\btk\b|%/|/\s*[°ºk℃]"

MODULE = (
    _wanted(
        "voc_per_c",
        rf"{COEFFICIENT}.{{0,30}}?(?:\bvoc\b|open|\buoc\b)|\bβ\s*\(?voc|\btk[ -]?\(?[uv]oc",
        "rel/K|V/K",
    ),
    _wanted("vmp_per_c", rf"{COEFFICIENT}.{{0,30}}?(?:\bvmpp?\b|voltage at max)", "rel/K|V/K"),
    _wanted("isc_per_c", rf"{COEFFICIENT}.{{0,30}}?(?:\bisc\b|short)|\bα\s*\(?isc|\btk[ -]?\(?isc", "rel/K|A/K"),
    _wanted("power_per_c", rf"{COEFFICIENT}.{{0,30}}?(?:pmax|pmpp?|power)|\bγ\s*\(?p|\btk[ -]?\(?pm", "rel/K|W/K"),
    _wanted("system_voltage_v", rf"(?:{MAX}\s*)?system\s*voltage", "V"),
    _wanted("series_fuse_a", r"series\s*fuse|fuse\s*rating|over-?\s?current\s*protection|reverse\s*current", "A"),
    _wanted("open_circuit_v", r"open[- ]?circuit\s*voltage|\bvoc\b|\buoc\b", "V", unless=_HEAT),
    _wanted("short_circuit_a", r"short[- ]?circuit\s*current|\bisc\b", "A", unless=_HEAT),
    _wanted(
        "max_power_v",
        rf"voltage\s*at\s*{AT_MAX}(?:\s*power)?(?:\s*point)?|{AT_MAX}\s*(?:power\s*)?(?:operating\s*)?voltage|"
        r"\bvmpp?\b|\bumpp\b|\bvpm(?:ax)?\b",
        "V",
        unless=_HEAT + r"|system",
    ),
    _wanted(
        "max_power_a",
        rf"current\s*at\s*{AT_MAX}(?:\s*power)?(?:\s*point)?|{AT_MAX}\s*(?:power\s*)?(?:operating\s*)?current|"
        r"\bimpp?\b|\bipm(?:ax)?\b",
        "A",
        unless=_HEAT,
    ),
    _wanted(
        "power_w",
        rf"(?:{MAX}|peak|nominal|rated)\s*(?:output\s*)?power|\bpmax\b|\bpmpp\b|power\s*(?:class|output)",
        "W",
        unless=_HEAT + r"|voltage|current|toleran",
    ),
    _wanted("length_mm width_mm", r"dimensions?|module\s*size|\bl\s*[x×]\s*w\s*[x×]\s*h", "mm", shape="size"),
    _wanted("bifaciality", r"bifacial(?:ity)?(?:\s*(?:factor|coefficient))?", "%", 100.0),
    _wanted("cells_in_series", r"cells\s*in\s*series|series\s*cells", ""),
)

HEIGHT = r"(?:operating\s*|installation\s*)?(?:altitude|elevation|height\s*above\s*sea)"
LESS = r"(?:power\s*)?derating\s*(?:above|over|from|at|>)|full\s*power\s*(?:up\s*)?to"
LESS_ABOVE = rf"without\s*derating|{LESS}|>\s*(?=\d[\d.,]*\s*m\b[^)]*derat)"
LESS_IN_HEAT = rf"{LESS}|>\s*(?=\d+\s*(?:[°º]?\s*c\b|℃)[^)]*derat)"

INVERTER = (
    _wanted("peak_efficiency", rf"(?:{MAX}|peak)\s*(?:conversion\s*|inverter\s*)?efficiency", "%", 100.0),
    _wanted("weighted_efficiency", r"(?:euro(?:pean)?|cec|weighted)[\s.-]*(?:weighted\s*)?efficiency", "%", 100.0),
    _wanted(
        "pv.inputs",
        r"(?:number|no\.?|quantity)\s*of\s*(?:independent\s*)?mpp?t?\s*(?:trackers?|inputs?)?s?|mpp\s*trackers|\bmppts\b",
        "",
    ),
    _wanted(
        "pv.tracker.full_power_low_v",
        r"full[- ]?(?:load|power)\s*(?:dc\s*|pv\s*)?(?:mpp?t?\s*)?voltage(?:\s*range)?|"
        r"mpp?t?\s*(?:operating\s*)?voltage\s*(?:range\s*)?\(?\s*(?:at\s*)?(?:full|nominal|rated)\s*(?:load|power)\)?",
        "V",
        shape="one",
    ),
    _wanted(
        "pv.tracker.mppt_low_v pv.tracker.mppt_high_v",
        r"mpp?t?\s*(?:operating\s*)?(?:voltage\s*)?(?:range|window)",
        "V",
        shape="range",
    ),
    _wanted(
        "pv.tracker.max_v",
        rf"{MAX}\s*(?:dc|pv|input)\s*(?:dc\s*|pv\s*|input\s*)?(?:array\s*)?voltage|"
        rf"\b(?:dc|pv)\s*{MAX}\s*(?:input\s*)?voltage",
        "V",
        shape="each",
    ),
    _wanted("pv.tracker.start_v", r"start(?:-?\s?up|ing)?\s*(?:input\s*)?voltage", "V", shape="each"),
    _wanted(
        "pv.tracker.short_circuit_a",
        rf"(?:{MAX}\s*)?(?:pv\s*|dc\s*|input\s*)?short[- ]?circuit\s*current|\bisc\s*(?:pv\s*)?(?:per|/)",
        "A",
        shape="each",
    ),
    _wanted(
        "pv.tracker.usable_a",
        rf"{MAX}\s*(?:usable\s*|operating\s*)?(?:dc|pv|input|mppt?)\s*(?:dc\s*|pv\s*|input\s*)?current|"
        rf"{MAX}\s*(?:usable\s*|operating\s*)?current\s*per\s*(?:mpp|input|tracker|string)",
        "A",
        shape="each",
        unless="short",
    ),
    _wanted("pv.usable_dc_kw", rf"{MAX}\s*(?:usable\s*)?(?:dc|pv)\s*(?:input\s*|array\s*)?power", "W", 1000.0),
    _wanted(
        "battery.low_v battery.high_v", r"batter(?:y|ies)\s*(?:input\s*)?voltage(?:\s*range)?", "V", shape="range"
    ),
    _wanted(
        "battery.charge_a battery.discharge_a",
        r"charg\w+\s*[/&]\s*discharg\w+\s*current",
        "A",
        shape="pair",
    ),
    _wanted(
        "battery.charge_kw battery.discharge_kw",
        r"charg\w+\s*[/&]\s*discharg\w+\s*power",
        "W",
        1000.0,
        shape="pair",
    ),
    _wanted("battery.discharge_kw", r"discharg\w+\s*power", "W", 1000.0, unless=r"charg\w+\s*[/&]\s*discharg"),
    _wanted("battery.charge_kw", r"\bcharg\w+\s*power", "W", 1000.0),
    _wanted("battery.discharge_a", r"discharg\w+\s*current", "A", unless=r"charg\w+\s*[/&]\s*discharg"),
    _wanted("battery.charge_a", r"\bcharg\w+\s*current", "A"),
    _wanted(
        "backup.surge_kw",
        r"(?:back-?\s?up|off-?\s?grid|island\w*)?.{0,12}(?:peak|surge|overload)\s*(?:output\s*|apparent\s*)?power",
        "W",
        1000.0,
    ),
    _wanted("backup.transfer_ms", r"(?:transfer|switch(?:ing|-?\s?over)?|change-?\s?over)\s*time", "s", 0.001),
    _wanted("backup.pass_through_a", r"(?:pass-?\s?through|bypass|transfer\s*relay)\s*(?:current|rating)?", "A"),
    _wanted(
        "backup.continuous_kw",
        r"(?:back-?\s?up|off-?\s?grid|island\w*)\s*(?:mode\s*)?(?:\(\w+\)\s*)?(?:rated|nominal|continuous|max\w*\.?)?\s*"
        r"(?:output\s*|apparent\s*)*power",
        "W",
        1000.0,
        unless="peak|surge",
    ),
    _wanted(
        "max_ac_a",
        rf"{MAX}\s*(?:continuous\s*)?(?:ac\s*)?(?:output\s*|grid\s*)?(?:ac\s*)?current",
        "A",
        unless=r"dc|pv|mpp|input|charg|short",
    ),
    _wanted(
        "grid_low_v grid_high_v",
        r"(?:\bac\b|grid|mains|output)\s*(?:operating\s*)?voltage\s*(?:range|window)",
        "V",
        shape="range",
        unless=r"back-?up|off-?grid|island|battery|\bpv\b|\bdc\b",
    ),
    _wanted(
        "volts",
        r"(?:nominal|rated)\s*(?:ac|grid|output|mains)\s*(?:output\s*|grid\s*)?voltage",
        "V",
        shape="grid",
    ),
    _wanted(
        "standby_w",
        r"(?:night|stand-?\s?by|self|idle|no-?\s?load)[- ]?(?:time\s*)?(?:power\s*)?(?:consumption|losses)",
        "W",
    ),
    _wanted(
        "ac_kw",
        r"(?:rated|nominal|max\w*\.?)\s*(?:ac\s*)?(?:output\s*|grid\s*)?(?:active\s*)?(?:ac\s*)?(?:output\s*)?power",
        "W",
        1000.0,
        unless=r"\bdc\b|\bpv\b|charg|back-?up|off-?grid|island|input",
    ),
    _wanted("highest_m", HEIGHT, "mm", 1000.0, unless="without", unit_wanted=True),
    _wanted("full_power_to_m", LESS_ABOVE, "mm", 1000.0, unit_wanted=True),
    _wanted("full_power_to_c", LESS_IN_HEAT, "°C", unit_wanted=True),
    _wanted(
        "works_from_c works_to_c",
        r"(?:operating|working|ambient)\s*(?:ambient\s*|air\s*)?temp(?:erature|\.)?",
        "°C",
        shape="range",
        unless="storage",
    ),
    _wanted("weight_kg", r"\bweight\b", "kg"),
    _wanted("warranty_years", r"warranty", "years"),
)

# Under a heading that names the backup output, what else would be the unit's on the grid.
UNDER_BACKUP = (
    _wanted(
        "backup.continuous_kw",
        r"(?:rated|nominal|continuous)\s*(?:ac\s*)?(?:output\s*|apparent\s*|active\s*)*power",
        "W",
        1000.0,
        unless="peak|surge",
    ),
    _wanted(
        "backup.surge_kw", r"\b(?:surge|peak)\b", "W", 1000.0, unless="protect|arrest|efficien", unit_wanted=True
    ),
)
NOT_UNDER_BACKUP = frozenset({"ac_kw", "max_ac_a", "volts", "grid_low_v"})

# What a lead-acid sheet calls what it is charged to: "boost charge voltage", "cyclic use".
CHARGED = r"(?:(?:use|service|charg\w*)?\s*(?:charg\w*\s*)?voltage|use\b|service\b)"
PACK = (
    _wanted("depth_of_discharge", r"depth\s*of\s*discharge|\bdod\b", "%", 100.0, unless="cycle"),
    _wanted(
        "nominal_kwh",
        r"(?:nominal|total|rated)\s*(?:battery\s*)?(?:energy|capacity)|\benergy\b",
        "Wh",
        1000.0,
        unless="usable",
        unit_wanted=True,
    ),
    _wanted(
        "empty_v full_v",
        r"(?:operating|working|battery|voltage)\s*(?:voltage\s*)?(?:range|window)|(?:operating|working)\s*voltage",
        "V",
        shape="range",
    ),
    _wanted("absorption_v", rf"(?:absorption|boost|cycl\w+)\s*{CHARGED}", "V", shape="least"),
    _wanted("float_v", rf"(?:float|stand-?\s?by)\s*{CHARGED}", "V", shape="least"),
    _wanted("charge_a discharge_a", r"charg\w+\s*[/&]\s*discharg\w+\s*current", "A", shape="pair"),
    _wanted("discharge_a", r"discharg\w+\s*current", "A", unless=r"charg\w+\s*[/&]\s*discharg"),
    _wanted("charge_a", r"\bcharg\w+\s*current", "A"),
    _wanted("round_trip", r"(?:round[- ]?trip|energy|battery)\s*efficiency", "%", 100.0),
    _wanted("discharge_min_c work_max_c", r"discharg\w+\s*temperature", "°C", shape="range"),
    _wanted("charge_min_c", r"\bcharg\w+\s*temperature", "°C"),
    _wanted(
        "discharge_min_c work_max_c", r"\bdischarg\w*:?\s*(?=[-−–+]?\d)", "°C", shape="range", unit_wanted=True
    ),
    _wanted("charge_min_c", r"\bcharg\w*:?\s*(?=[-−–+]?\d)", "°C", unit_wanted=True),
    _wanted("highest_m", HEIGHT, "mm", 1000.0, unit_wanted=True),
    _wanted("weight_kg", r"\bweight\b", "kg"),
    _wanted("warranty_years", r"warranty", "years"),
    _wanted(
        "count_max",
        rf"{MAX}\s*(?:number\s*of\s*)?(?:units|modules|batteries|packs)(?:\s*in\s*(?:parallel|series))?|scalab\w*|"
        r"\bparallel\w*\s*(?:connection)?\s*:?\s*(?:up\s*to|max\w*\.?)?\s*(?=\d)",
        "",
        shape="most",
    ),
)

OPTIMISER = (
    _wanted("efficiency", rf"(?:{MAX}|peak|weighted)?\s*efficiency", "%", 100.0),
    _wanted("mppt_low_v mppt_high_v", r"mpp?t?\s*(?:operating\s*)?(?:voltage\s*)?range", "V", shape="range"),
    _wanted("max_v", rf"(?:absolute\s*)?{MAX}\s*(?:dc\s*)?input\s*voltage", "V"),
    _wanted("short_circuit_a", r"short[- ]?circuit\s*current|\bisc\b", "A"),
    _wanted("string_min", r"min\w*\.?\s*(?:string\s*length|optimi[sz]ers)", ""),
    _wanted("string_max", rf"{MAX}\s*(?:string\s*length|optimi[sz]ers)", ""),
    _wanted("string_power_w", rf"{MAX}\s*power\s*(?:per|of\s*a)\s*string|string\s*power", "W"),
    _wanted(
        "power_w", r"(?:rated|nominal|max\w*\.?)\s*(?:dc\s*)?(?:input\s*)?(?:dc\s*)?power", "W", unless="string"
    ),
)

MICRO = (
    _wanted("peak_efficiency", rf"(?:{MAX}|peak)\s*(?:conversion\s*|inverter\s*)?efficiency", "%", 100.0),
    _wanted("weighted_efficiency", r"(?:euro(?:pean)?|cec|weighted)[\s.-]*(?:weighted\s*)?efficiency", "%", 100.0),
    _wanted("mppt_low_v mppt_high_v", r"mpp?t?\s*(?:operating\s*)?(?:voltage\s*)?range", "V", shape="range"),
    _wanted("max_v", rf"{MAX}\s*(?:(?:dc|pv|module)\s*)?(?:input|dc)\s*(?:dc\s*)?voltage", "V"),
    _wanted("start_v", r"start(?:-?\s?up|ing)?\s*voltage", "V", shape="least"),
    _wanted("short_circuit_a", r"short[- ]?circuit\s*current|\bisc\b", "A"),
    _wanted("usable_a", rf"{MAX}\s*(?:continuous\s*)?(?:dc\s*)?input\s*(?:dc\s*)?current", "A", unless="short"),
    _wanted("ac_a", r"(?:rated|nominal|max\w*\.?)\s*(?:continuous\s*)?(?:ac\s*)?output\s*current", "A"),
    _wanted("highest_m", HEIGHT, "mm", 1000.0, unit_wanted=True),
    _wanted("volts", r"(?:nominal|rated)\s*(?:ac|grid|output)\s*(?:output\s*|grid\s*)?voltage", "V", shape="grid"),
    _wanted(
        "branch_units_max", r"(?:max\w*\.?\s*)?(?:units|microinverters|inverters)\s*per\s*(?:branch|\d+\s*a)", ""
    ),
    _wanted("night_w", r"night\w*\s*(?:time\s*)?(?:power\s*)?consumption", "W"),
    _wanted(
        "ac_w",
        r"(?:rated|nominal|max\w*\.?)\s*(?:continuous\s*)?(?:ac\s*)?output\s*(?:ac\s*)?power",
        "W",
        unless="peak",
    ),
    _wanted("warranty_years", r"warranty", "years"),
)

FIELDS = {
    "modules": MODULE,
    "inverters": INVERTER,
    "packs": PACK,
    "optimisers": OPTIMISER,
    "microinverters": MICRO,
}
# Words that state a choice: field, the word to take, and where it is read.
HERTZ = (
    ("grid_hz", "50 and 60", r"\b50\s*(?:hz)?\s*(?:/|,|and|or)\s*60\b|\b60\s*(?:hz)?\s*(?:/|,|and|or)\s*50\b"),
    ("grid_hz", "50", r"(?:frequency|\d\s*v\w*\s*[/,])[^\d]{0,20}50\s*hz"),
    ("grid_hz", "60", r"(?:frequency|\d\s*v\w*\s*[/,])[^\d]{0,20}60\s*hz"),
)
CHOICES: dict[str, tuple[tuple[str, str, str], ...]] = {
    "modules": (
        ("technology", "thin film", r"thin[- ]?film|cdte|cigs"),
        ("technology", "multi", r"poly-?\s?crystalline|multi-?\s?crystalline"),
    ),
    "inverters": (
        ("phases", "three-wire", r"three[- ]?wire|3\s*[x×]\s*230\s*V(?!\s*/\s*400)"),
        ("phases", "three", r"three[- ]?phase|3[- ]?phase|230\s*/\s*400"),
        ("phases", "split", r"split[- ]?phase|120\s*/\s*240"),
        ("phases", "single", r"single[- ]?phase|1[- ]?phase"),
        *HERTZ,
    ),
    "packs": (
        ("chemistry", "LFP", r"lifepo4?|\blfp\b|iron\s*phosphate"),
        ("chemistry", "NMC", r"\bnmc\b"),
        ("chemistry", "sodium-ion", r"sodium[- ]?ion"),
        ("chemistry", "lead-acid gel", r"\bgel\b|\bopzv\b"),
        ("chemistry", "lead-acid AGM", r"\bagm\b"),
        ("chemistry", "lead-acid flooded", r"\bopzs\b|\bflooded\b|\bvented\b|\btubular\b"),
    ),
    "optimisers": (),
    "microinverters": (
        ("phases", "three-wire", r"three[- ]?wire|3\s*[x×]\s*230\s*V(?!\s*/\s*400)"),
        ("phases", "three", r"three[- ]?phase"),
        ("phases", "split", r"split[- ]?phase|120\s*/\s*240"),
        ("phases", "single", r"single[- ]?phase"),
        *HERTZ,
    ),
}
