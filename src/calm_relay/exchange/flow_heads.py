"""What a column of a plant's figures counts, by its head, in the languages in which meters and portals write them."""

import re
import unicodedata
from collections.abc import Mapping, Sequence
from typing import Literal

Flow = Literal["used", "made", "in", "out", "charged", "discharged"]

# What stands behind says nothing more.
LONGEST_HEAD = 200
_BATTERY = r"batter|batteri|bateri|akku|accu|speicher|storage|\bess\b|accumul"
# A share of another flow, or no energy at all.
_NONE = re.compile(
    r"self|eigen|auto-?cons|zelf|direct|direkt|\bsoc\b|state of|ladezustand|temp|volt|spannung|frequ|price|cost|"
    r"kosten|forecast|\bev\b|\bcars?\b|vehicle|wallbox|generator|genset|heat ?pump|heater|hot water|irradi|\bco2|%"
)
_OTHER_UNIT = re.compile(r"[(\[ ](?:v|a|hz|va|var|kvar|kva|°?c|min)[)\]]?$")
_DISCHARGED = re.compile(r"discharg|entlad|descarg|decharg|scaric|ontlad|rozlad|urladd|utlad")
_CHARGED = re.compile(
    r"(?<![a-z])(?:charg|lad(?:en|ung)|aufgeladen|gelad|carga|caric|ricaric|ladow|opladd)|beladung"
)
# Also those of a meter's registers and of bills.
OUT_WORDS = (
    r"export|feed|einspeis|to (?:the )?(?:grid|utility)|return|inject|injec|sold\b|surplus|exced|vertid|immess|immiss|"
    r"injet|terug|retour|oddan|utmat|inmat|cedut|\b2\.8\b"
)
_OUT = re.compile(OUT_WORDS)
_IN = re.compile(
    r"import|(?:from|of) (?:the )?(?:grid|utility)|purchas|bought|\bgrid\b|bezug|netz|afname|levering|prelev|soutir|"
    r"pobor|\bred\b|reseau|\brete\b|\b1\.8\b"
)
_MADE = re.compile(
    r"produc|produi|produz|produkt|erzeug|ertrag|yield|opwek|solar|\bpv|\barray\b|fotov|photov|zonne|wytwor|wyprod|\bmade\b"
)
# At a meter it is what went out, beside the words of a meter's two directions what the array made.
_GENERATED = re.compile(r"generat|genera[cd]")
_USED = re.compile(
    r"consum|consom|verbrauch|verbruik|\bloads?\b|usage|\buse[ds]?\b|house|\bhome|\bhaus|zuzyc|forbruk|demand|domestic"
)
# One end of a flow between two parts, which is a share of others.
_TO_HOUSE = re.compile(r"(?:\bto\b|→|->|>) ?(?:the )?(?:home|house|loads?|consum)")
_FROM_BATTERY = re.compile(
    rf"\bfrom (?:the )?(?:{_BATTERY})|(?:{_BATTERY})\w* (?:to|→|->|>) ?(?:the )?(?:home|house|load)"
)
# Counters of a day or of a life, which a column of each interval beside them tells better.
_RUNNING = re.compile(r"daily|today|total|cumul|lifetime|heute|gesamt|\bday\b|tages")


def flows_of(heads: Sequence[str]) -> tuple[Flow | None, ...]:
    """What each column of a table counts; None where its head names no flow of a plant, or a share of one."""
    plain = [_plain(head[:LONGEST_HEAD]) for head in heads]
    found = [_flow(head) for head in plain]
    named = {flow for flow in found if flow is not None}
    if named & {"in", "out"}:
        found = [
            "made" if flow is None and _GENERATED.search(head) and not _NONE.search(head) else flow
            for flow, head in zip(found, plain, strict=True)
        ]
    return tuple(found)


def first_of(flows: Mapping[int, Flow | None], heads: Sequence[str], wanted: Sequence[Flow]) -> int | None:
    """The column of the first wanted flow that there is; one of each interval before one that runs on."""
    for flow in wanted:
        columns = [column for column, held in flows.items() if held == flow]
        if columns:
            return min(
                columns,
                key=lambda column: (_RUNNING.search(_plain(heads[column][:LONGEST_HEAD])) is not None, column),
            )
    return None


def _plain(head: str) -> str:
    """A head in small letters without accents, its words parted by spaces."""
    bare = "".join(c for c in unicodedata.normalize("NFD", head) if not unicodedata.combining(c))
    bare = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", bare)
    return " ".join(bare.replace("_", " ").lower().split())


def _flow(head: str) -> Flow | None:
    if _FROM_BATTERY.search(head):
        return "discharged"
    if _NONE.search(head) or _OTHER_UNIT.search(head) or _TO_HOUSE.search(head):
        return None
    if _DISCHARGED.search(head):
        return "discharged"
    battery = re.search(_BATTERY, head) is not None
    if _CHARGED.search(head):
        return "charged" if battery or "charg" in head else None
    if battery:
        return None
    for flow, words in (("out", _OUT), ("in", _IN), ("made", _MADE), ("used", _USED)):
        if words.search(head):
            return flow  # type: ignore[return-value]
    return None
