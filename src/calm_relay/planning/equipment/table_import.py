"""Items from the rows of a spreadsheet: which column is which field, what is refused and why; prices of a supplier."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from calm_relay.exchange.spreadsheet import SheetTable
from calm_relay.job.base import Model
from calm_relay.job.field_words import choices_of, lower_first, plain_type, words_of
from calm_relay.job.own_item import ITEMS, OwnItem, ValueSource
from calm_relay.planning.equipment.datasheet_fields import CHOICES, FIELDS, UNITS
from calm_relay.planning.equipment.datasheet_reader import grouped, number_of, numbers_in
from calm_relay.planning.equipment.draft import (
    INPUTS,
    field_at,
    item_of,
    key_of,
    missing,
    parts_of,
    paths_of,
    refused_item,
)
from calm_relay.planning.equipment.label_words import head_in_english, words_in_english

# Fields beside those of the item itself.
ARTICLE, SUPPLIER, PRICED, STOCK = "article", "supplier", "priced", "stock"
ABOUT = {ARTICLE: "Article number", SUPPLIER: "Supplier", PRICED: "Price of", STOCK: "Stock"}
# Of a battery, what its nominal energy or its usable share follow from.
USABLE = "usable_kwh"
_ARTICLE_WORDS = r"article|\bart\.?\s*n|item\s*n|\bsku\b|part\s*n|order\s*(?:no|code)|\bcode\b"
_ABOUT_WORDS = {
    ARTICLE: _ARTICLE_WORDS,
    SUPPLIER: r"supplier|vendor|wholesale",
    PRICED: r"price\s*(?:of|date)|valid\s*from",
    STOCK: r"\bstock\b|availab",
    "price": r"price|\bnet\b|\bcost\b",
    "name": r"^(?:name|description|product|model|designation|type)$",
}
# What heads columns of tables, shorter than a line of a datasheet says it.
_HEADS = {
    "packs": {
        USABLE: r"usable\s*(?:energy|capacity)",
        "cycle_life": r"^(?:(?:no\.?|number)\s*of\s*)?cycles?(?:\s*life)?$",
    },
    "inverters": {"phases": r"^(?:no\.?\s*of\s*|number\s*of\s*)?phases?$"},
    "microinverters": {"phases": r"^(?:no\.?\s*of\s*|number\s*of\s*)?phases?$"},
}
_PHASES = {"1": "single", "1~": "single", "1p": "single", "3": "three", "3~": "three", "3p": "three", "2": "split"}
# The dimension of each unit a field may have, and what one of the field's unit is in it.
_OWN = {
    "W": ("W", 1.0), "kW": ("W", 1000.0), "V": ("V", 1.0), "A": ("A", 1.0), "mm": ("mm", 1.0), "kWh": ("Wh", 1000.0),
    "kg": ("kg", 1.0), "ms": ("s", 0.001), "s": ("s", 1.0), "years": ("years", 1.0), "%": ("%", 100.0),
    "%/°C": ("rel/K", 1.0), "°C": ("°C", 1.0), "h": ("h", 1.0), "C": ("C", 1.0),
}  # fmt: skip
# A head must be at least so much like a field's title, in per cent.
ENOUGH_ALIKE = 72.0
# A price list's name must be at least so much like an item's.
SAME_NAME = 88.0
RATED = {"voc_per_c": "open_circuit_v", "vmp_per_c": "max_power_v", "isc_per_c": "short_circuit_a"}
# Which of the numbers of a range, a size or a pair a field is.
_PLACES = {
    kind: {
        path: (place, item.shape)
        for item in wanted
        if len(item.paths) > 1
        for place, path in enumerate(item.paths)
    }
    for kind, wanted in FIELDS.items()
}


@dataclass(frozen=True)
class Column:
    """A column of a table, and the unit of its values where their cells have none; "" for the field's own."""

    number: int
    unit: str = ""


@dataclass(frozen=True)
class Refused:
    """A row that does not become an item, and why."""

    row: int
    reason: str


@dataclass(frozen=True)
class Imported:
    """What a table comes to: items, and the rows that do not fit."""

    items: tuple[OwnItem[Any], ...]
    refused: tuple[Refused, ...]


def fields_of(kind: str) -> dict[str, str]:
    """Every field that a column may be, by path, and what it is called."""
    parts = frozenset({"pv", "battery", "backup"}) if kind == "inverters" else frozenset()
    found = {}
    for path in paths_of(kind, parts):
        title = "MPPT inputs" if path == INPUTS else words_of(*field_at(kind, path)).title
        part = {"pv": "PV: ", "battery": "Battery: ", "backup": "Backup: "}.get(path.partition(".")[0], "")
        found[path] = f"{part}{lower_first(title)}" if part else title
    return found | ({USABLE: "Usable energy"} if kind == "packs" else {}) | ABOUT


def guess_columns(kind: str, table: SheetTable) -> dict[str, Column]:
    """The likeliest column for each field, by what heads it; each column is one field."""
    from rapidfuzz import fuzz, utils

    scores: list[tuple[float, tuple[str, ...], int]] = []
    for number, head in enumerate(table.heads):
        if not head:
            continue
        whole = head_in_english(re.sub(r"[\(\[].*?[\)\]]", " ", head).replace("_", " ").strip())
        # Under a merged head the last word is the column's own.
        for plain in {whole, whole.rpartition(" ")[2]}:
            for wanted in FIELDS[kind]:
                if not wanted.label.search(plain) or (wanted.not_after and wanted.not_after.search(whole)):
                    continue
                if len(wanted.paths) > 1 and _are_pairs(table, number):
                    # "80-550", "1722 x 1134 x 30", "100/110": one column is two fields.
                    scores.append((96.0, wanted.paths, number))
                scores += [(95.0 - 0.1 * n, (path,), number) for n, path in enumerate(wanted.paths)]
            for path, title in fields_of(kind).items():
                names = title.rpartition(": ")[2], path.rpartition(".")[2]
                alike = max(fuzz.ratio(plain, name, processor=utils.default_process) for name in names)
                if alike >= ENOUGH_ALIKE:
                    scores.append((alike - 0.01 * (plain != whole), (path,), number))
        heads = _ABOUT_WORDS | _HEADS.get(kind, {})
        scores += [(90.0, (field,), number) for field, label in heads.items() if re.search(label, whole, re.I)]
    found: dict[str, Column] = {}
    used: set[int] = set()
    for _, paths, number in sorted(scores, key=lambda score: (-score[0], score[2])):
        if number not in used and not any(path in found for path in paths):
            found |= dict.fromkeys(paths, Column(number, _unit_of(table, number)))
            used.add(number)
    return found


def _are_pairs(table: SheetTable, number: int) -> bool:
    """Whether most of a column's cells hold a range, a size or a pair."""
    filled = [row[number] for row in table.rows[:200] if row[number]]
    return sum(len(_joined(cell, ".")) > 1 for cell in filled) > 0.5 * len(filled)


def _joined(cell: str, mark: str) -> list[tuple[float, str]]:
    """The numbers of a range, a size or a pair with their units, the last one's where one has none."""
    groups = grouped(numbers_in(re.sub(r"(?<=\d)\s*[x×*]\s*(?=\d)", " x ", cell), mark))
    group = max(groups, key=len, default=[])
    return [
        (number.value, number.unit or next((after.unit for after in group[at:] if after.unit), ""))
        for at, number in enumerate(group)
    ]


def _unit_of(table: SheetTable, number: int) -> str:
    if table.units[number]:
        return table.units[number]
    match = re.search(r"[\(\[,/]\s*([^\s\(\)\[\],/]{1,6}(?:/[^\s\)\]]{1,3})?)\s*[\)\]]?\s*$", table.heads[number])
    return match.group(1) if match and match.group(1).lower() in UNITS else ""


def import_rows(
    kind: str,
    table: SheetTable,
    columns: Mapping[str, Column],
    taken: frozenset[str] | set[str] = frozenset(),
    of_all: Mapping[str, str] | None = None,
) -> Imported:
    """Items from the rows of a table.

    Parameters
    ----------
    kind : str
        A key of `planning.equipment.draft.MODELS`.
    table : SheetTable
        What was read.
    columns : mapping of str to Column
        The column of each field, by its path.
    taken : set of str
        Keys that other items have; an item of the same article and name is the caller's to match.
    of_all : mapping of str to str
        What holds for every row, by path, where it has no column: a battery family, the phases.
    """
    mark = _decimal_mark(table, columns)
    items: list[OwnItem[Any]] = []
    refused: list[Refused] = []
    keys = set(taken)
    for row, number in zip(table.rows, table.numbers, strict=True):
        try:
            own = _item(kind, table, row, columns, mark, keys, of_all or {})
        except ValidationError as error:
            refused.append(Refused(number, refused_item(error, fields_of(kind))))
            continue
        except ValueError as error:
            refused.append(Refused(number, str(error)))
            continue
        keys.add(own.key)
        items.append(own)
    return Imported(tuple(items), tuple(refused))


def _decimal_mark(table: SheetTable, columns: Mapping[str, Column]) -> str:
    cells = [row[column.number] for row in table.rows[:200] for column in columns.values()]
    commas, points = (sum(bool(re.search(rf"\d\{mark}\d{{1,2}}(?!\d)", cell)) for cell in cells) for mark in ",.")
    return "," if commas > points else "."


def _item(
    kind: str,
    table: SheetTable,
    row: Sequence[str],
    columns: Mapping[str, Column],
    mark: str,
    keys: set[str],
    of_all: Mapping[str, str],
) -> OwnItem[Any]:
    stated: dict[str, Any] = {}
    absolute: dict[str, float] = {}
    about = {path: row[columns[path].number] if path in columns else of_all.get(path, "") for path in ABOUT}
    for path, text in of_all.items():
        if path not in ABOUT and path not in columns:
            stated[path], _ = _value(kind, path, text, "", mark, fields_of(kind)[path])
    for path, column in columns.items():
        cell = row[column.number]
        if path in ABOUT or path == USABLE or not cell:
            continue
        if cell.startswith("="):
            raise ValueError(f"{table.heads[column.number]!r} holds a formula and no value; wanted a number")
        value, per_degree = _value(kind, path, cell, column.unit, mark, table.heads[column.number])
        if per_degree:
            absolute[path] = value
        else:
            stated[path] = value
    for path, change in absolute.items():
        base = stated.get(RATED.get(path, "power_w"))
        if not base:
            raise ValueError(f"{path} is stated in volts or amperes a degree, and its rated figure is missing")
        stated[path] = round(change / base, 7)
    if USABLE in columns and row[columns[USABLE].number]:
        _take_usable(stated, row[columns[USABLE].number], columns[USABLE].unit, mark, table)
    wanted = missing(kind, stated, parts_of(kind, stated))
    if wanted:
        titles = fields_of(kind)
        raise ValueError(f"is missing {', '.join(lower_first(titles[path]) for path in wanted)}")
    stock = about.get(STOCK, "").lower()
    return ITEMS[kind](
        item=item_of(kind, stated, key_of(str(stated["name"]), keys)),
        stock="discontinued" if "disc" in stock else "on order" if "order" in stock else "in stock",
        article=about.get(ARTICLE, "")[:60],
        supplier=about.get(SUPPLIER, "")[:80],
        priced=day if re.fullmatch(r"\d{4}-\d{2}-\d{2}", day := about.get(PRICED, "")) else "",
        sources=tuple(ValueSource(path=path, origin="datasheet", note=table.path.name[:200]) for path in stated),
    )


def _take_usable(stated: dict[str, Any], cell: str, unit: str, mark: str, table: SheetTable) -> None:
    """Nominal energy and usable share of a battery from its usable energy, whichever of them is not stated."""
    usable, _ = _measure(*field_at("packs", "nominal_kwh"), cell, unit, mark, f"{table.path.name}: usable energy")
    if "nominal_kwh" not in stated:
        stated["nominal_kwh"] = round(usable / stated.setdefault("depth_of_discharge", 1.0), 6)
    elif "depth_of_discharge" not in stated:
        stated["depth_of_discharge"] = round(min(usable / stated["nominal_kwh"], 1.0), 4)


def _value(kind: str, path: str, cell: str, unit: str, mark: str, head: str) -> tuple[Any, bool]:
    """A cell as the model takes it, and whether it is a change a degree of the rated figure still."""
    if path == INPUTS:
        return round(_number(cell, mark, head)), False
    model, name = field_at(kind, path)
    holds = plain_type(model, name)
    if name == "phases" and (phases := _PHASES.get(re.sub(r"\s+|\.0$|-?ph\w*", "", cell.lower()))):
        return phases, False
    if choices_of(model, name):
        return _choice(kind, path, model, name, cell, head), False
    if holds is bool:
        return cell.strip().lower() in {"yes", "y", "true", "1", "x", "ja", "oui", "si", "sí", "sim", "tak"}, False
    if holds not in (float, int):
        if name in {"families", "optimisers", "mixes_with"}:
            return tuple(key_of(part) for part in re.split(r"[,;]", cell) if part.strip()), False
        if name == "cycle_life":
            return ({"depth": 0.8, "cycles": _number(cell, mark, head)},), False
        return key_of(cell) if name in {"family", "expansion_of", "built_in_pack"} else cell, False
    place = _PLACES[kind].get(path)
    if place is not None and len(pair := _joined(cell, mark)[:2]) > 1:
        at, shape = place
        # A range rises, and a module is longer than wide, however they are written.
        pair = pair if shape == "pair" else sorted(pair, reverse=shape == "size")
        number, own = pair[at]
        cell, mark = f"{number:.12g} {own}".strip(), "."
    each = [_measure(model, name, part, unit, mark, head) for part in cell.split("/")] if "/" in cell else None
    if path.startswith("pv.tracker."):
        values = each or [_measure(model, name, cell, unit, mark, head)]
        return tuple(round(one) if holds is int else one for one, _ in values), False
    value, per_degree = _measure(model, name, cell, unit, mark, head)
    return (round(value) if holds is int else value), per_degree


def _number(text: str, mark: str, head: str) -> float:
    match = re.search(r"[-−–+]?\s?\d[\d.,'’ ]*", text)
    value = number_of(match.group().strip().rstrip(".,"), mark) if match else None
    if value is None:
        raise ValueError(f"{head!r} holds {text!r}; wanted a number")
    return value


def _measure(model: type[Model], name: str, text: str, unit: str, mark: str, head: str) -> tuple[float, bool]:
    """A number in the model's unit, by the unit in its cell, else that of its column."""
    value = _number(text, mark, head)
    words = words_of(model, name)
    named = (
        re.sub(r"^[-−–+]?\s?\d[\d.,'’ ]*", "", words_in_english(text).strip()).strip().strip("()[]").lower()
        or unit.lower()
    )
    if not named or words.unit not in _OWN:
        return round(value / words.scale, 9), False
    dimension, size = _OWN[words.unit]
    if named not in UNITS:
        raise ValueError(f"{head!r} holds {text!r}: {named!r} is no unit that is read; wanted {words.unit}")
    found, factor = UNITS[named]
    if found == "°F" and dimension == "°C":
        return round((value - 32.0) / 1.8, 6), False
    if dimension == "rel/K" and found in {"V/K", "A/K", "W/K"}:
        return value * factor, True
    if found != dimension:
        raise ValueError(f"{head!r} holds {text!r} in {named}; wanted {words.unit}")
    return round(value * factor / size, 9), False


def _choice(kind: str, path: str, model: type[Model], name: str, cell: str, head: str) -> str:
    for choice in choices_of(model, name):
        if cell.strip().lower() == choice.lower():
            return choice
    for field, choice, pattern in CHOICES[kind]:
        if field == path and re.search(pattern, words_in_english(cell), re.I):
            return choice
    raise ValueError(f"{head!r} holds {cell!r}; wanted one of {', '.join(choices_of(model, name))}")


@dataclass(frozen=True)
class NewPrice:
    """A price of a supplier's list for an own item: what it is today, what the list has, and by what they match."""

    kind: str
    own: OwnItem[Any]
    price: float
    row: int
    by: str

    @property
    def changed(self) -> OwnItem[Any]:
        """The item with the new price."""
        return self.own.with_(item=self.own.item.with_(price=self.price))


def price_columns(table: SheetTable) -> dict[str, int]:
    """The columns that look like article number, name and price."""
    patterns = {
        "article": _ARTICLE_WORDS,
        "name": r"name|description|product|model|designation",
        "price": r"price|\bnet\b|cost|amount|€|\$|£",
    }
    found: dict[str, int] = {}
    for field, pattern in patterns.items():
        for number, head in enumerate(table.heads):
            if number not in found.values() and re.search(pattern, head_in_english(head), re.I):
                found[field] = number
                break
    return found


def new_prices(
    table: SheetTable, columns: Mapping[str, int], own: Mapping[str, Sequence[OwnItem[Any]]]
) -> tuple[tuple[NewPrice, ...], tuple[Refused, ...]]:
    """Prices of a list for own items, by article number where both have one, else by the most similar name.

    Parameters
    ----------
    table : SheetTable
        The supplier's list.
    columns : mapping of str to int
        Numbers of the columns "price", and "article", "name" or both.
    own : mapping of str to sequence of OwnItem
        Own items by kind.
    """
    from rapidfuzz import fuzz, process, utils

    mark = _decimal_mark(table, {"price": Column(columns["price"])})
    everything = [(kind, item) for kind, items in own.items() for item in items]
    articles = {item.article.casefold(): (kind, item) for kind, item in everything if item.article}
    names = [item.item.name for _, item in everything]
    found: dict[tuple[str, str], NewPrice] = {}
    refused: list[Refused] = []
    for row, number in zip(table.rows, table.numbers, strict=True):
        article = row[columns["article"]].casefold() if "article" in columns else ""
        name = row[columns["name"]] if "name" in columns else ""
        match, by = articles.get(article), "article number"
        if match is None and name and names:
            best = process.extractOne(
                name, names, scorer=fuzz.token_sort_ratio, processor=utils.default_process, score_cutoff=SAME_NAME
            )
            if best is not None:
                match, by = everything[best[2]], f"name, {best[1]:.0f}% alike"
        if match is None:
            continue
        cell = row[columns["price"]]
        try:
            price = _number(cell, mark, table.heads[columns["price"]])
        except ValueError as error:
            refused.append(Refused(number, str(error)))
            continue
        if price <= 0.0:
            refused.append(Refused(number, f"the price is {price:g}; wanted one above 0"))
            continue
        kind, item = match
        known = found.get((kind, item.key))
        if known is None or (by == "article number" and known.by != "article number"):
            found[kind, item.key] = NewPrice(kind, item, price, number, by)
    return tuple(found.values()), tuple(refused)
