"""Bills from a table of any common shape: the days of each, its energy, and what went out and was made in them."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Literal

from pydantic import ValidationError

from calm_relay.exchange.csv_layout import EXPORT_WORDS, TARIFF, VALUE, plain_number
from calm_relay.exchange.dated_rows import (
    Row,
    dated_rows,
    day_first,
    decimal_mark,
    energy_in,
    has_day,
    is_numeric,
    month_around,
    names_months,
    stamps_of,
    two_days,
    whole_month,
)
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.flow_heads import flows_of
from calm_relay.exchange.stamps import read_stamp
from calm_relay.job.survey import Bill

# A job holds so many; of a longer row the latest are taken.
MOST_BILLS, FEW_KWH = 60, 20.0
_FIRST = re.compile(r"\b(?:start|from|first|begin\w*|von|ab|desde|inicio|du|dal|da|van|vanaf|od|fra|från)\b", re.I)
_LAST = re.compile(r"\b(?:end|to|until|till|last|bis|hasta|fin|fim|au|al|tot|einde|eind|do|til|till)\b", re.I)
_COUNTER = re.compile(r"reading|counter|z.hlerstand|stand\b|index|lectura|lettura|leitura|relev|register", re.I)
_ENERGY = re.compile(
    r"[mk]?wh\b|usage|used|consum|verbrauch|bezug|energy|energie|import|verbruik|afname|soutir", re.I
)
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
# Between how many days a bill is long.
_LENGTHS = (15, 100)
# From so many rows on a table may be one of days.
_MONTH_OF_DAYS = 27


@dataclass(frozen=True)
class ReadBills:
    """Bills in their order, what has to be said of how they were read, and what they count where the table says so."""

    bills: tuple[Bill, ...]
    notes: tuple[str, ...] = ()
    counts: Literal["gross", "net"] | None = None


@dataclass(frozen=True)
class _Draft:
    """A bill while it is read: its row, its days, of which the last may be open, and its energies [kWh]."""

    row: Row
    first: date
    last: date | None
    kwh: float
    sent: float | None
    made: float | None


@dataclass(frozen=True)
class _Layout:
    """Where the columns are: of days, of energy (summed where there are several), of export and of the array.

    `counts` tells what the energy is where the heads do. Of one column of days it says whether the figures are a
    counter's, whether bills begin or end on them, whether the first of a month stands for the month, and which column
    tells how many days a bill has.
    """

    days: tuple[int, ...]
    energy: tuple[int, ...]
    sent: int | None = None
    made: int | None = None
    counter: bool = False
    begins: bool = False
    length: int | None = None
    counts: Literal["gross", "net"] | None = None
    monthly: bool = False


def read_bills(path: Path, *, month_first: bool = False, today: date | None = None) -> ReadBills:
    """Bills from a CSV, XLSX or ODS file.

    A row holds a bill's first and last day, a month, or the day a meter was read with what it counted or what was
    used since; columns are known by their heads, and without heads by their order.

    Parameters
    ----------
    path : path-like
        The file.
    month_first : bool
        Whether 3/4/2025 is in March where the file leaves both open.
    today : date, optional
        A month that is not over by then is left out; the day of the clock when left out.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path = Path(path)
    heads, rows = dated_rows(path, "bills")
    if not rows:
        raise InputError(path, "", "holds no bill; wanted lines of first day, last day, kWh under a header")
    layout = _layout(heads, rows)
    columns = [*layout.energy, *(column for column in (layout.sent, layout.made) if column is not None)]
    stamps = [stamps_of(row, layout.days) for row in rows]
    before = day_first(stamps, _LENGTHS, month_first=month_first)
    daily = _are_days([_span(path, row, layout, before)[0] for row in rows])
    # Of a day three digits behind a mark may be decimals.
    mark = decimal_mark([row.at(column) for row in rows for column in columns], 0.0 if daily else FEW_KWH)
    drafts = [_draft(path, row, layout, heads, mark, before) for row in rows]
    notes = []
    if len(layout.energy) > 1:
        notes.append(f"{' and '.join(heads[column].strip() for column in layout.energy)} are summed")
    if any(draft.last is None for draft in drafts):
        if daily and not layout.counter:
            drafts = [replace(draft, last=draft.first) for draft in drafts]
        else:
            drafts, note = _closed(path, drafts, layout)
            notes.append(note)
    if daily:
        drafts = _by_month(drafts)
        notes.append("days are summed into months")
    drafts = _apart(sorted(drafts, key=lambda draft: draft.first))
    over = [draft for draft in drafts if draft.last is not None and draft.last < (today or date.today())]
    if over and len(over) < len(drafts):
        drafts = over
        notes.append("what is not over yet is left out")
    if len(drafts) > MOST_BILLS:
        drafts = drafts[-MOST_BILLS:]
        notes.append(f"the latest {MOST_BILLS} are taken")
    return ReadBills(tuple(_bill(path, draft) for draft in drafts), tuple(notes), layout.counts)


def _layout(heads: Sequence[str], rows: Sequence[Row]) -> _Layout:
    width = len(heads)
    share = max(1.0, 0.6 * len(rows))
    days = [
        column
        for column in range(width)
        if (dated := sum(has_day(row.at(column)) for row in rows)) >= share
        or (dated and (_FIRST.search(heads[column]) or _LAST.search(heads[column])))
    ]
    days = days or [column for column in range(width) if has_day(rows[0].at(column))]
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
        and is_numeric([row.at(column) for row in rows])
        and not (_MONEY.search(heads[column]) and "kwh" not in heads[column].lower())
        and (_COUNTED.search(heads[column]) or not _NO_ENERGY.search(heads[column]))
    ]
    length = next(
        (column for column in range(width) if _LENGTH.search(heads[column]) and column not in days), None
    )
    flows = flows_of(heads)
    made = [column for column in numeric if flows[column] == "made"]
    sent = [column for column in numeric if column not in made and EXPORT_WORDS.search(heads[column])]
    rest = [column for column in numeric if column not in sent and column not in made]
    used = [column for column in rest if flows[column] == "used"]
    counts: Literal["gross", "net"] | None = None
    if made and used:
        # A portal's table: of what the house uses and what came in one is asked for, and not the other for it.
        come = [column for column in rest if flows[column] == "in"]
        counts, rest = ("net", come) if come else ("gross", used)
        if counts == "gross":
            sent, made = [], []
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
        tuple(days),
        tuple(energy),
        sent[0] if sent else None,
        made[0] if made else None,
        counter,
        begins,
        length,
        counts,
        len(days) == 1 and names_months(heads[days[0]]),
    )


def _counts_up(heads: Sequence[str], rows: Sequence[Row], energy: Sequence[int], days: Sequence[int]) -> bool:
    """Whether the one column of energy beside one column of days holds what a meter's counter stands at."""
    if len(days) > 1 or len(energy) > 1 or len(rows) < 2 or whole_month(rows[0].at(days[0])) is not None:
        return False
    if energy[0] >= len(heads) or (not _COUNTER.search(heads[energy[0]]) and _ENERGY.search(heads[energy[0]])):
        return False
    read = [plain_number(match[1], ".") for row in rows if (match := VALUE.fullmatch(row.at(energy[0])))]
    values = [value for value in read if value is not None]
    changes = [after - before for before, after in pairwise(values)]
    if not changes:
        return False
    rising = all(change >= 0 for change in changes) or all(change <= 0 for change in changes)
    return rising and (bool(_COUNTER.search(heads[energy[0]])) or min(values) > 2.0 * max(map(abs, changes)))


def _span(path: Path, row: Row, layout: _Layout, in_order: bool) -> tuple[date, date | None]:
    """First and last day of a row; of a day alone no last one."""
    cells = [row.at(column) for column in layout.days]
    month = whole_month(cells[0])
    if month is not None:
        first, after = month_around(date(*month, 1))
        return first, after - timedelta(days=1)
    two = two_days(cells[0])
    stamps = two or tuple(read_stamp(cell) for cell in cells)
    days = []
    for place, stamp in enumerate(stamps):
        if stamp is None:
            raise InputError(path, f"line {row.line}", f"the day is {cells[place]!r}; wanted 2025-01-31")
        try:
            days.append(stamp.when(in_order).date())
        except ValueError:
            shown = cells[min(place, len(cells) - 1)]
            raise InputError(path, f"line {row.line}", f"{shown!r} is no day of the calendar") from None
    if len(days) == 1 and layout.monthly and days[0].day == 1:
        first, after = month_around(days[0])
        return first, after - timedelta(days=1)
    return days[0], days[1] if len(days) > 1 else None


def _draft(path: Path, row: Row, layout: _Layout, heads: Sequence[str], mark: str, in_order: bool) -> _Draft:
    first, last = _span(path, row, layout, in_order)
    if last is None and layout.length is not None and re.fullmatch(r"[1-9]\d{0,2}", row.at(layout.length)):
        days = timedelta(days=int(row.at(layout.length)) - 1)
        first, last = (first, first + days) if layout.begins else (first - days, first)
    parts = [energy_in(path, row, column, heads, mark) for column in layout.energy]
    if all(part is None for part in parts):
        raise InputError(path, f"line {row.line}", f"the energy is {row.at(layout.energy[0])!r}; wanted kWh")
    sent, made = (
        None if column is None else energy_in(path, row, column, heads, mark)
        for column in (layout.sent, layout.made)
    )
    return _Draft(row, first, last, sum(part or 0.0 for part in parts), sent, made)


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


def _are_days(days: Sequence[date]) -> bool:
    """Whether a table has a row for each day."""
    steps = [(after - before).days for before, after in pairwise(sorted(days))]
    return len(steps) >= _MONTH_OF_DAYS and sum(step == 1 for step in steps) >= 0.8 * len(steps)


def _by_month(drafts: Sequence[_Draft]) -> list[_Draft]:
    """Days that follow one another in a month as one bill."""
    made: list[_Draft] = []
    for draft in sorted(drafts, key=lambda draft: draft.first):
        last = made[-1] if made else None
        if (
            last is not None
            and last.last is not None
            and (draft.first - last.last).days == 1
            and last.first.month == draft.first.month
        ):
            made[-1] = replace(
                last,
                last=draft.last,
                kwh=last.kwh + draft.kwh,
                sent=_sum(last.sent, draft.sent),
                made=_sum(last.made, draft.made),
            )
        else:
            made.append(draft)
    return made


def _sum(one: float | None, other: float | None) -> float | None:
    return None if one is None or other is None else one + other


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
