"""How sentences are set on screen."""

import re

_UNITS = "kWh|kWp|kW|W|V|A|h|l|s|km|m|ft|in|mm²|m²|ft²|days?|min|kVA|Hz|°C|years?"
_UNIT = re.compile(rf"(?<=\d) (?=(?:{_UNITS})\b)|(?<=[$€£¥₩₹₪₺₴₸₱₫₮₲₵₡₦฿×]) (?=\d)")
# Currencies that are written in letters.
_MONEY = re.compile(
    r"(?<!\w)(\$U|AED|Br|Bs|CFA|CHF|DA|DH|DT|Ft|JD|K|KSh|Kč|kr|lei|R|RM|Rp|Rs|RSD|SAR|S/|Tk|TSh|USh|zł) (?=\d)"
)


def keep_units(text: str) -> str:
    """The text with numbers and their units bound together, so that no line ends between them."""
    return type(text)(_MONEY.sub("\\1\u00a0", _UNIT.sub("\u00a0", text)))
