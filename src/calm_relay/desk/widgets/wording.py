"""How sentences are set on screen."""

import re

_UNIT = re.compile(r"(?<=\d) (?=(?:kWh|kWp|kW|W|V|A|h|l|s|km|days?|min|kVA|Hz|°C|years?)\b)|(?<=[$€£¥]) (?=\d)")


def keep_units(text: str) -> str:
    """The text with numbers and their units bound together, so that no line ends between them."""
    return type(text)(_UNIT.sub("\u00a0", text))
