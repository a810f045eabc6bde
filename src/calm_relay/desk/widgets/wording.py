"""How sentences are set on screen."""

import re

_UNITS = "kWh|kWp|kW|W|V|A|h|l|s|km|m|ft|in|mm²|m²|ft²|days?|min|kVA|Hz|°C|years?"
_UNIT = re.compile(rf"(?<=\d) (?=(?:{_UNITS})\b)|(?<=[$£¥฿₡₦₩₪₫€₭₮₱₲₴₵₸₹₺₼₽₾×]) (?=\d)")
# Currencies that are written in letters.
_NAMES = (
    r"\$U|AED|AFN|AMD|Afl|Ar|BD|Br|Bs|CFA|CHF|CVE|D|DA|Db|den|DF|DH|DT|E|F|FBu|FC|FCFA|FG|Ft|G|IQD|IRR|JD|K|"
    r"KD|KGS|KHR|KM|kr|KSh|Kz|Kč|L|LD|Le|lei|M|MK|MOP|MT|MUR|MVR|Nfk|Nu|OMR|P|Q|QR|R|RF|RM|Rp|Rs|RSD|S/|"
    r"SAR|SDG|SR|SRD|SSP|SYP|TJS|Tk|TMT|TSh|UM|USh|UZS|VT|XCG|YER|zł"
)
_MONEY = re.compile(rf"(?<!\w)({_NAMES}) (?=\d)")


def keep_units(text: str) -> str:
    """The text with numbers and their units bound together, so that no line ends between them."""
    return type(text)(_MONEY.sub("\\1\u00a0", _UNIT.sub("\u00a0", text)))
