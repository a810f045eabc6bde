"""Numbers as people type them: with or without a unit, with a decimal point or comma, in metres or in feet."""

import re

FOOT_M = 0.3048
INCHES = 12
# [m/s]
MILE_AN_HOUR = 5280 * FOOT_M / 3600.0
# fmt: off
FACTORS: dict[str, dict[str, float]] = {
    "kWh": {"wh": 0.001, "kwh": 1.0, "mwh": 1000.0},
    "kW": {"w": 0.001, "kw": 1.0, "mw": 1000.0},
    "kVA": {"va": 0.001, "kva": 1.0},
    "W": {"w": 1.0, "kw": 1000.0},
    "A": {"a": 1.0, "ma": 0.001},
    "kA": {"ka": 1.0, "a": 0.001},
    "V": {"v": 1.0, "kv": 1000.0},
    "%": {"%": 1.0},
    "°C": {"°c": 1.0, "ºc": 1.0, "℃": 1.0, "c": 1.0},
    "°": {"°": 1.0, "deg": 1.0},
    "years": {"years": 1.0, "year": 1.0, "y": 1.0},
    "h": {"h": 1.0, "min": 1 / 60},
    "m": {
        "m": 1.0, "cm": 0.01, "mm": 0.001, "ft": FOOT_M, "feet": FOOT_M, "foot": FOOT_M, "'": FOOT_M,
        "in": FOOT_M / INCHES, "inch": FOOT_M / INCHES, "inches": FOOT_M / INCHES, '"': FOOT_M / INCHES,
    },
    "cm": {
        "cm": 1.0, "mm": 0.1, "m": 100.0, "in": 2.54, "inch": 2.54, "inches": 2.54, '"': 2.54, "ft": FOOT_M * 100.0,
    },
    "m/s": {"m/s": 1.0, "km/h": 1.0 / 3.6, "mph": MILE_AN_HOUR, "kn": 1852.0 / 3600.0},
    "mm": {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, '"': 25.4, "inch": 25.4, "inches": 25.4},
    "kg": {"kg": 1.0, "g": 0.001, "lb": 0.45359237, "lbs": 0.45359237},
    "s": {"s": 1.0, "ms": 0.001, "min": 60.0},
    "ms": {"ms": 1.0, "s": 1000.0},
    "C": {"c": 1.0},
    "W/m²": {"w/m²": 1.0, "w/m2": 1.0, "kw/m²": 1000.0, "kw/m2": 1000.0},
    "Hz": {"hz": 1.0},
    "MΩ": {"mω": 1.0, "mohm": 1.0, "gω": 1000.0, "gohm": 1000.0, "kω": 0.001, "kohm": 0.001},
    "kWh/m²": {"kwh/m²": 1.0, "kwh/m2": 1.0, "wh/m2": 0.001, "mj/m2": 1.0 / 3.6, "mj/m²": 1.0 / 3.6},
    "%/°C": {"%/°c": 1.0, "%/k": 1.0, "%": 1.0},
    "m²": {"m²": 1.0, "m2": 1.0, "ft²": 0.09290304, "ft2": 0.09290304, "sqft": 0.09290304},
    "/m": {"/m": 1.0, "/ft": 1.0 / FOOT_M},
    "l": {"l": 1.0, "litre": 1.0, "litres": 1.0, "gal": 3.785411784},
    "": {},
}
# fmt: on
# What is told otherwise where a region measures in feet, and how much one of it is in the unit that is kept.
IN_FEET = {
    "m": ("ft", FOOT_M),
    "m²": ("ft²", FOOT_M**2),
    "/m": ("/ft", 1.0 / FOOT_M),
    "cm": ("in", 2.54),
    "m/s": ("mph", MILE_AN_HOUR),
}
FACTORS |= {
    shown: {name: factor / each for name, factor in FACTORS[unit].items()}
    for unit, (shown, each) in IN_FEET.items()
}
# Below it feet are told in inches [ft], and from there on whole.
IN_INCHES, IN_WHOLE_FEET = 1.0, 10.0
_FAHRENHEIT = {"°f", "ºf", "℉", "f"}
# A number with its thousands marks; no figure of the trade is longer.
MOST_CHARACTERS = 60
_FEET_AND_INCHES = re.compile(
    r"(\d+)\s*(?:ft|feet|foot|['′])\s*(\d+(?:[.,]\d+)?)\s*(?:in|inch|inches|[\"″])", re.I
)
_NUMBER = re.compile(r"([+\-−]?)\s*(\d[\d\s.,'’]*|[.,]\d+)\s*(\S*)")


def parse_quantity(text: str, unit: str, decimal_mark: str = ".") -> float:
    """A number in `unit` from typed text.

    Parameters
    ----------
    text : str
        Such as "9.6", "9,6 kWh", "9600 Wh", for a length "12 ft 6 in", for a temperature "14 °F".
    unit : str
        A key of `FACTORS`: the unit of the result, and of a number typed without one.
    decimal_mark : str
        The local mark, "." or ","; it decides where a text can be read both ways, as "1,234" can.

    Raises
    ------
    ValueError
        With what would be right.
    """
    wanted = f"wanted a number such as {_example(unit, decimal_mark)}"
    if len(text) > MOST_CHARACTERS and len(text.strip()) > MOST_CHARACTERS:
        raise ValueError(f"{len(text.strip()):,} characters are no number; {wanted}")
    factors = FACTORS[unit]
    both = _FEET_AND_INCHES.fullmatch(text.strip()) if "ft" in factors else None
    if both is not None:
        return (int(both[1]) + float(both[2].replace(",", ".")) / INCHES) * factors["ft"]
    match = _NUMBER.fullmatch(text.strip())
    if match is None:
        raise ValueError(f"{text.strip()!r} is no number; {wanted}")
    sign, digits, named = match.groups()
    in_fahrenheit = unit == "°C" and named.lower() in _FAHRENHEIT
    if named and not in_fahrenheit and named.lower() not in factors:
        raise ValueError(f"{named!r} is no unit here; {wanted}")
    plain = _plain(digits.strip(), decimal_mark)
    if plain is None:
        raise ValueError(f"{digits.strip()!r} can be read more than one way; {wanted}")
    number = -float(plain) if sign in {"-", "−"} else float(plain)
    if in_fahrenheit:
        return round((number - 32.0) / 1.8, 3)
    return number * (factors[named.lower()] if named else 1.0)


def _plain(digits: str, decimal_mark: str) -> str | None:
    """Digits with a point for the decimal mark and without thousands marks; None when that is not clear."""
    digits = re.sub(r"[\s'’]", "", digits)
    marks = re.sub(r"\d", "", digits)
    if len(marks) == 1:
        grouped = re.fullmatch(r"[1-9]\d{0,2}[.,]\d{3}", digits) is not None
        mark = "" if grouped and marks != decimal_mark else marks
    elif len(set(marks)) == 1:
        mark = ""
    else:
        mark = marks[-1:]
    whole, _, part = digits.rpartition(mark) if mark else (digits, "", "")
    groups = re.split(r"[.,]", whole)
    if (mark and mark in whole) or any(len(group) != 3 for group in groups[1:]):
        return None
    return "".join(groups) + ("." + part if mark else "")


def _example(unit: str, decimal_mark: str) -> str:
    number = f"9{decimal_mark}6"
    names = {"kWh": "kWh or 9600 Wh", "kW": "kW or 9600 W", "ft": "ft or 9 ft 7 in"}
    return f"{number} {names.get(unit, unit)}".strip()


def quantity_text(value: float, unit: str, decimals: int, decimal_mark: str = ".") -> str:
    """A number as shown in a field, without needless zeros."""
    number = f"{value:.{decimals}f}"
    if "." in number:
        number = number.rstrip("0").rstrip(".")
    return with_unit(number.replace(".", decimal_mark), unit)


def shown_unit(unit: str, in_feet: bool) -> tuple[str, float]:
    """The unit that a number kept in `unit` is shown in, and how much of `unit` one of it is."""
    return IN_FEET.get(unit, (unit, 1.0)) if in_feet else (unit, 1.0)


def measure_text(value: float, unit: str, decimals: int, in_feet: bool) -> str:
    """A number kept in `unit` as a sentence tells it, in what is usual where lengths are told in feet or in metres."""
    shown, each = shown_unit(unit, in_feet)
    return f"{value / each:,.{decimals}f} {shown}"


def length_text(metres: float, in_feet: bool) -> str:
    """A length as a sentence tells it: metres as exact as they are, feet by tenths, inches and whole feet."""
    if not in_feet:
        return f"{metres:g} m".replace("-", "−")
    feet = metres / FOOT_M
    if 0.0 < abs(feet) < IN_INCHES:
        return f"{feet * INCHES:.0f} in".replace("-", "−")
    return f"{round(feet, 1 if abs(feet) < IN_WHOLE_FEET else None):,g} ft".replace("-", "−")


def with_unit(number: str, unit: str) -> str:
    """A written number with its unit behind it: percent and degrees stand close."""
    return f"{number}{'' if unit in {'%', '°', ''} else ' '}{unit}"
