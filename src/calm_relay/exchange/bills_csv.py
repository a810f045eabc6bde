"""Bills from a table of any common shape: the days of each, its energy, and what went out and was made in them."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path

from pydantic import ValidationError

from calm_relay.exchange.bounds import any_text, read_bytes
from calm_relay.exchange.csv_layout import DELIMITERS, EXPORT_WORDS, TARIFF, VALUE, plain_number
from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.spreadsheet import is_packed, workbook_sheets
from calm_relay.exchange.stamps import Stamp, month_of, read_stamp
from calm_relay.job.survey import Bill

# A job holds so many; of a longer row the latest are taken.
MOST_BILLS, FEW_KWH = 60, 20.0
_FIRST = re.compile(r"\b(?:start|from|first|begin\w*|von|ab|desde|inicio|du|dal|da|van|vanaf|od|fra|från)\b", re.I)
_LAST = re.compile(r"\b(?:end|to|until|till|last|bis|hasta|fin|fim|au|al|tot|einde|eind|do|til|till)\b", re.I)
_COUNTER = re.compile(r"reading|counter|z.hlerstand|stand\b|index|lectura|lettura|leitura|relev|register", re.I)
_ENERGY = re.compile(
    r"[mk]?wh\b|usage|used|consum|verbrauch|bezug|energy|energie|import|verbruik|afname|soutir", re.I
)
_MADE = re.compile(r"produc|produz|erzeug|ertrag|yield|opwek|\bmade\b|\bpv\b|solar|\barray\b", re.I)
_MONEY = re.compile(
    r"cost|amount|price|charge|total due|balance|betrag|kosten|preis|importe|€|\$|£|eur\b|usd\b", re.I
)
_LENGTH = re.compile(r"\bdays\b|\btage\b|\bd[ií]as\b|\bjours\b|\bgiorni\b|\bdagen\b", re.I)
_READ = re.compile(r"read|ables|lectur|lettur|leitur|relev|meterst", re.I)
# Two columns of days that are no span, such as that of the bill and that of the reading.
_NO_SPAN = re.compile(
    r"(?:bill|invoice|statement|read(?:ing)?|due|issue|rechnungs|ablese)[ _-]?(?:date|datum|day)", re.I
)
_TARIFF_TOO = re.compile(r"\bh[cp]\b|shoulder|controlled|\b[pf]\d\b|punta|llano|valle", re.I)
_SUM = re.compile(r"total|sum|gesamt|summe", re.I)
_COUNTED = re.compile(r"kwh|reading|stand\b|counter|index", re.I)
_NO_ENERGY = re.compile(r"\bdays?\b|tage|d[ií]as|jours|giorni|temp|degree|number|\bno\b|account|meter", re.I)
_MONTH = re.compile(
    r"(?:(?P<year>\d{4})[-/. ](?P<number>\d{1,2})|(?P<after>\d{1,2})[-/. ](?P<then>\d{4})"
    r"|(?P<word>[^\W\d_]{3,10})\.?[-/. ']+(?P<late>\d{4}|\d{2}))"
)
_COMMAS, _POINTS = (re.compile(rf"\D*\d{{1,3}}(?:{mark}\d{{3}})+\D*") for mark in (",", r"\."))
_EMPTY = {"", "-", "–"}
_YEAR_HEAD = re.compile(r"year|jahr|año|ann[ée]+e?|anno|ano|jaar|rok|år", re.I)
_MONTH_HEAD = re.compile(r"month|monat|mes|m[êe]s|mois|mese|maand|miesi[ąa]c|m[åa]nad|måned", re.I)
_SPAN = re.compile(r"\s+(?:-|–|to|until|bis|au|al|a|tot)\s+|\s*–\s*", re.I)


@dataclass(frozen=True)
class ReadBills:
    """Bills in their order, and what has to be said of how they were read."""

    bills: tuple[Bill, ...]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Row:
    """Cells of a line of the file."""

    line: int
    cells: list[str]

    def at(self, column: int) -> str:
        return self.cells[column].strip() if column < len(self.cells) else ""


@dataclass(frozen=True)
class _Draft:
    """A bill while it is read: its row, its days, of which the last may be open, and its energies [kWh]."""

    row: _Row
    first: date
    last: date | None
    kwh: float
    sent: float | None
    made: float | None


@dataclass(frozen=True)
class _Layout:
    """Where the columns are: of days, of energy (summed where there are several), of export and of the array.

    Of one column of days it says whether the figures are a counter's, whether bills begin or end on them, and which
    column tells how many days a bill has.
    """

    days: tuple[int, ...]
    energy: tuple[int, ...]
    sent: int | None = None
    made: int | None = None
    counter: bool = False
    begins: bool = False
    length: int | None = None


def read_bills(path: Path, *, month_first: bool = False) -> ReadBills:
    """Bills from a CSV, XLSX or ODS file.

    A row holds a bill's first and last day, a month, or the day a meter was read with what it counted or what was
    used since; columns are known by their heads, and without heads by their order.

    Parameters
    ----------
    path : path-like
        The file.
    month_first : bool
        Whether 3/4/2025 is in March where the file leaves both open.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path = Path(path)
    heads, rows = _table(path)
    if not rows:
        raise InputError(path, "", "holds no bill; wanted lines of first day, last day, kWh under a header")
    layout = _layout(heads, rows)
    mark = _decimal_mark(layout, rows)
    day_first = _day_first(layout, rows, month_first)
    drafts = [_draft(path, row, layout, heads, mark, day_first) for row in rows]
    notes = []
    if len(layout.energy) > 1:
        notes.append(f"{' and '.join(heads[column].strip() for column in layout.energy)} are summed")
    if any(draft.last is None for draft in drafts):
        drafts, note = _closed(path, drafts, layout)
        notes.append(note)
    drafts = _apart(sorted(drafts, key=lambda draft: draft.first))
    if len(drafts) > MOST_BILLS:
        drafts = drafts[-MOST_BILLS:]
        notes.append(f"the latest {MOST_BILLS} are taken")
    return ReadBills(tuple(_bill(path, draft) for draft in drafts), tuple(notes))


def _table(path: Path) -> tuple[list[str], list[_Row]]:
    """Heads and rows of the first table with days in it; lines of words above it and sums below it are left."""
    raw = read_bytes(path, "bills")
    if is_packed(raw):
        choices = workbook_sheets(path, "bills")
    else:
        choices = [split_lines(path, any_text(raw), delimiter) for delimiter in DELIMITERS]
    best: tuple[int, list[str], list[_Row]] = (0, [], [])
    for cells in choices:
        rows = [_Row(number, row) for number, row in enumerate(_months_in_one(cells), 1)]
        dated = [number for number, row in enumerate(rows) if _is_dated(row)]
        if dated and len(dated) * 100 + len(rows[dated[0]].cells) > best[0]:
            body = [row for row in rows[dated[0] : dated[-1] + 1] if any(cell.strip() for cell in row.cells)]
            above = [row.cells for row in rows[: dated[0]] if sum(map(_is_word, row.cells)) > 1]
            best = (len(dated) * 100 + len(rows[dated[0]].cells), above[-1] if above else [], body)
    heads = best[1]
    return heads + [""] * (max((len(row.cells) for row in best[2]), default=0) - len(heads)), best[2]


def _months_in_one(cells: list[list[str]]) -> list[list[str]]:
    """Rows with a column of years and one of months have both in the first of them: "2025-03"."""
    for at, row in enumerate(cells[:30]):
        year = next((column for column, cell in enumerate(row) if _YEAR_HEAD.fullmatch(cell.strip())), None)
        month = next((column for column, cell in enumerate(row) if _MONTH_HEAD.fullmatch(cell.strip())), None)
        if year is not None and month is not None:
            return cells[: at + 1] + [_with_month(row, year, month) for row in cells[at + 1 :]]
    return cells


def _with_month(row: list[str], year: int, month: int) -> list[str]:
    if len(row) <= max(year, month) or not re.fullmatch(r"\s*\d{4}\s*", row[year]):
        return row
    cell = row[month].strip()
    number = int(cell) if cell.isdecimal() and len(cell) < 3 else month_of(cell)
    if number is None:
        return row
    joined = list(row)
    joined[year], joined[month] = f"{row[year].strip()}-{number:02d}", ""
    return joined


def _is_word(cell: str) -> bool:
    return re.search(r"[^\W\d_]", cell) is not None


def _is_dated(row: _Row) -> bool:
    """Whether a row has a day or a month, and more beside it."""
    filled = [cell.strip() for cell in row.cells if cell.strip()]
    return len(filled) > 1 and any(map(_has_day, filled))


def _has_day(cell: str) -> bool:
    return read_stamp(cell) is not None or _month(cell) is not None or _two_days(cell) is not None


def _two_days(cell: str) -> tuple[Stamp, Stamp] | None:
    parts = _SPAN.split(cell.strip())
    found = [read_stamp(part) for part in parts]
    return (found[0], found[1]) if len(found) == 2 and found[0] and found[1] else None


def _month(cell: str) -> tuple[int, int] | None:
    """Year and month of a cell that names a whole month."""
    match = _MONTH.fullmatch(cell.strip())
    if match is None:
        return None
    if match["word"]:
        month, year = month_of(match["word"]), int(match["late"])
    else:
        month, year = int(match["number"] or match["after"]), int(match["year"] or match["then"])
    year += 2000 if year < 100 else 0
    return (year, month) if month is not None and 1 <= month <= 12 and 1990 <= year <= 2100 else None


def _layout(heads: Sequence[str], rows: Sequence[_Row]) -> _Layout:
    width = len(heads)
    share = max(1.0, 0.6 * len(rows))
    days = [
        column
        for column in range(width)
        if (dated := sum(_has_day(row.at(column)) for row in rows)) >= share
        or (dated and (_FIRST.search(heads[column]) or _LAST.search(heads[column])))
    ]
    days = days or [column for column in range(width) if _has_day(rows[0].at(column))]
    first = next((column for column in days if _FIRST.search(heads[column])), None)
    last = next((column for column in days if _LAST.search(heads[column]) and column != first), None)
    begins = False
    if first is not None and last is not None:
        days = [first, last]
    elif len(days) > 1 and not any(map(_NO_SPAN.search, heads)):
        days = days[:2]
    else:
        begins = first is not None
        read = next((column for column in days if _READ.search(heads[column])), days[0])
        days = [read if first is None else first]
    numeric = [
        column
        for column in range(width)
        if column not in days
        and _is_numeric([row.at(column) for row in rows])
        and not (_MONEY.search(heads[column]) and "kwh" not in heads[column].lower())
        and (_COUNTED.search(heads[column]) or not _NO_ENERGY.search(heads[column]))
    ]
    length = next(
        (column for column in range(width) if _LENGTH.search(heads[column]) and column not in days), None
    )
    sent = [column for column in numeric if EXPORT_WORDS.search(heads[column]) and not _is_made(heads[column])]
    made = [column for column in numeric if _MADE.search(heads[column]) and column not in sent]
    rest = [column for column in numeric if column not in sent and column not in made]
    named = [column for column in rest if _ENERGY.search(heads[column])]
    sums = [column for column in named if _SUM.search(heads[column])]
    parts = [column for column in named if TARIFF.search(heads[column]) or _TARIFF_TOO.search(heads[column])]
    if sums:
        energy = sums[:1]
    elif len(parts) > 1:
        energy = parts
    else:
        energy = (named or rest)[:1]
    if not energy:
        # What stands beside the days is to be the energy; reading it says what is wrong.
        energy = list(range(max(days) + 1, width))[:1] or [max(days) + 1]
    counter = _counts_up(heads, rows, energy, days)
    return _Layout(
        tuple(days), tuple(energy), sent[0] if sent else None, made[0] if made else None, counter, begins, length
    )


def _is_numeric(cells: Sequence[str]) -> bool:
    """Whether most of a column's cells that are filled are numbers."""
    filled = [cell for cell in cells if cell not in _EMPTY]
    good = sum(VALUE.fullmatch(cell) is not None and not _has_day(cell) for cell in filled)
    return good >= max(1.0, 0.6 * len(filled))


def _is_made(head: str) -> bool:
    """Whether a head tells what the array makes and not what goes out."""
    return (
        _MADE.search(head) is not None
        and re.search(r"export|feed|grid|einspeis|inject|inje|return", head, re.I) is None
    )


def _counts_up(heads: Sequence[str], rows: Sequence[_Row], energy: Sequence[int], days: Sequence[int]) -> bool:
    """Whether the one column of energy beside one column of days holds what a meter's counter stands at."""
    if len(days) > 1 or len(energy) > 1 or len(rows) < 2 or _month(rows[0].at(days[0])) is not None:
        return False
    if not _COUNTER.search(heads[energy[0]]) and _ENERGY.search(heads[energy[0]]):
        return False
    read = [plain_number(match[1], ".") for row in rows if (match := VALUE.fullmatch(row.at(energy[0])))]
    values = [value for value in read if value is not None]
    changes = [after - before for before, after in pairwise(values)]
    if not changes:
        return False
    rising = all(change >= 0 for change in changes) or all(change <= 0 for change in changes)
    return rising and (bool(_COUNTER.search(heads[energy[0]])) or min(values) > 2.0 * max(map(abs, changes)))


def _decimal_mark(layout: _Layout, rows: Sequence[_Row]) -> str:
    columns = [*layout.energy, *(column for column in (layout.sent, layout.made) if column is not None)]
    cells = [row.at(column) for row in rows for column in columns]
    for cell in cells:
        if "," in cell and "." in cell:
            return max(",.", key=cell.rfind)
    commas = [cell for cell in cells if "," in cell]
    points = [cell for cell in cells if "." in cell]
    # Three digits behind every mark are thousands where the numbers are otherwise whole.
    if commas and not points:
        return "." if all(map(_COMMAS.fullmatch, commas)) else ","
    if points and not commas and all(map(_POINTS.fullmatch, points)):
        # No bill is of so few kWh.
        few = all(float(re.sub(r"[^\d.]", "", cell)) < FEW_KWH for cell in points if cell.count(".") == 1)
        return "," if few else "."
    return "."


def _day_first(layout: _Layout, rows: Sequence[_Row], month_first: bool) -> bool:
    """Whether days stand before months: as one of them says, else as the bills run on, else as is usual there."""
    stamps = [_stamps_of(row, layout) for row in rows]
    flat = [stamp for row in stamps for stamp in row if not (stamp.year_first or stamp.named_month)]
    if any(stamp.a > 12 for stamp in flat):
        return True
    if any(stamp.b > 12 for stamp in flat):
        return False
    good, bad = (_regular(stamps, order) for order in (True, False))
    return good > bad if good != bad else not month_first


def _regular(stamps: Sequence[Sequence[Stamp]], day_first: bool) -> int:
    """How many bills are as long as bills are, and follow one another in one direction, read in an order."""
    try:
        days = [[stamp.when(day_first).date() for stamp in row] for row in stamps]
    except ValueError:
        return -len(stamps)
    own = [(row[-1] - row[0]).days for row in days if len(row) > 1]
    steps = [(after[0] - before[0]).days for before, after in pairwise(days) if before and after]
    onward = max(sum(15 <= step <= 100 for step in steps), sum(-100 <= step <= -15 for step in steps))
    return sum(15 <= length <= 100 for length in own) - sum(length < 0 for length in own) + onward


def _stamps_of(row: _Row, layout: _Layout) -> list[Stamp]:
    found: list[Stamp] = []
    for column in layout.days:
        two = _two_days(row.at(column))
        stamp = read_stamp(row.at(column))
        found += list(two) if two else [stamp] if stamp else []
    return found


def _span(path: Path, row: _Row, layout: _Layout, day_first: bool) -> tuple[date, date | None]:
    """First and last day of a row; of a day alone no last one."""
    cells = [row.at(column) for column in layout.days]
    month = _month(cells[0])
    if month is not None:
        first = date(*month, 1)
        return first, (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)
    two = _two_days(cells[0])
    stamps = two or tuple(read_stamp(cell) for cell in cells)
    days = []
    for place, stamp in enumerate(stamps):
        if stamp is None:
            raise InputError(path, f"line {row.line}", f"the day is {cells[place]!r}; wanted 2025-01-31")
        try:
            days.append(stamp.when(day_first).date())
        except ValueError:
            shown = cells[min(place, len(cells) - 1)]
            raise InputError(path, f"line {row.line}", f"{shown!r} is no day of the calendar") from None
    return days[0], days[1] if len(days) > 1 else None


def _draft(path: Path, row: _Row, layout: _Layout, heads: Sequence[str], mark: str, day_first: bool) -> _Draft:
    first, last = _span(path, row, layout, day_first)
    if last is None and layout.length is not None and re.fullmatch(r"[1-9]\d{0,2}", row.at(layout.length)):
        days = timedelta(days=int(row.at(layout.length)) - 1)
        first, last = (first, first + days) if layout.begins else (first - days, first)
    parts = [_kwh(path, row, column, heads, mark) for column in layout.energy]
    if all(part is None for part in parts):
        raise InputError(path, f"line {row.line}", f"the energy is {row.at(layout.energy[0])!r}; wanted kWh")
    sent, made = (
        None if column is None else _kwh(path, row, column, heads, mark) for column in (layout.sent, layout.made)
    )
    return _Draft(row, first, last, sum(part or 0.0 for part in parts), sent, made)


def _kwh(path: Path, row: _Row, column: int, heads: Sequence[str], mark: str) -> float | None:
    """A cell's energy [kWh], None where it is empty."""
    text = row.at(column)
    if text in _EMPTY:
        return None
    unit = re.search(r"\b([mk]?wh)\b", f"{text} {heads[column] if column < len(heads) else ''}", re.I)
    plain = re.sub(r"\s*[mk]?wh$", "", text, flags=re.I)
    value = plain_number(plain, mark) if VALUE.fullmatch(plain) else None
    if value is None:
        raise InputError(path, f"line {row.line}", f"the energy is {text!r}; wanted kWh")
    return value * {"mwh": 1000.0, "wh": 0.001}.get(unit[1].lower() if unit else "kwh", 1.0)


def _closed(path: Path, drafts: Sequence[_Draft], layout: _Layout) -> tuple[list[_Draft], str]:
    """Of days alone a bill runs from one to the day before the next; and what is to be said of it."""
    order = sorted(drafts, key=lambda draft: draft.first)
    if len(order) < 2:
        raise InputError(
            path,
            f"line {order[0].row.line}",
            "has one day; wanted the first and the last of the bill, or the day of a second reading",
        )
    made = []
    for before, after in pairwise(order):
        own = before if layout.begins else after
        draft = replace(own, first=before.first, last=after.first - timedelta(days=1))
        if layout.counter:
            draft = replace(
                draft,
                kwh=after.kwh - before.kwh,
                sent=_between(before.sent, after.sent),
                made=_between(before.made, after.made),
            )
        made.append(draft)
    if layout.counter:
        return (
            made,
            "the figures are taken for what a counter stood at, and a bill for what came between two of them",
        )
    lost = order[-1 if layout.begins else 0].row.line
    return made, f"line {lost} is left out, for no other day says how long its bill is"


def _between(before: float | None, after: float | None) -> float | None:
    return None if before is None or after is None else after - before


def _apart(drafts: Sequence[_Draft]) -> list[_Draft]:
    """Each ends on the day before the next, where it was to end on the day on which the next begins."""
    meets = [before.last == after.first for before, after in pairwise(drafts)]
    if not meets or sum(meets) < 0.6 * len(meets):
        return list(drafts)
    meets.append(all(meets))
    return [
        replace(draft, last=draft.last - timedelta(days=1))
        if met and draft.last and draft.last > draft.first
        else draft
        for draft, met in zip(drafts, meets, strict=True)
    ]


def _bill(path: Path, draft: _Draft) -> Bill:
    assert draft.last is not None, "open ones are closed"
    kwh, sent = draft.kwh, draft.sent
    if kwh < 0 and sent is None:
        # A meter that ran backwards: more went out than came in.
        kwh, sent = 0.0, -kwh
    try:
        return Bill(
            first=draft.first.isoformat(),
            last=draft.last.isoformat(),
            kwh=kwh,
            sent_kwh=None if sent is None else abs(sent),
            made_kwh=draft.made,
        )
    except ValidationError as error:
        raise InputError(path, f"line {draft.row.line}", " ".join(first_field_error(error)).strip()) from None
