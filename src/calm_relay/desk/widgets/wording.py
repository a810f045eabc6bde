"""How sentences are set on screen."""

import re

_UNITS = "kWh|kWp|kW|W|V|A|h|l|s|km|m|mm²|m²|days?|min|kVA|Hz|°C|years?"
_UNIT = re.compile(rf"(?<=\d) (?=(?:{_UNITS})\b)|(?<=[$€£¥×]) (?=\d)")


def keep_units(text: str) -> str:
    """The text with numbers and their units bound together, so that no line ends between them."""
    return type(text)(_UNIT.sub("\u00a0", text))
