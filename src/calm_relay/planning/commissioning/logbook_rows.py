"""A logbook as rows that are shown: the day, what kind of entry, and what it says."""

from collections.abc import Iterable
from typing import Any

from calm_relay.exchange.logbook import Line, Logbook
from calm_relay.job.logbook import KINDS
from calm_relay.planning.commissioning.promise import FLOWS, WORDS, Held, Promise

FIGURES = {
    "production_kwh": "made",
    "import_kwh": "from the grid",
    "export_kwh": "to the grid",
    "throughput_kwh": "out of the battery",
}
MONTH_HEADS = ("Month", *(f"{words}, kWh read; expected" for words in WORDS.values()))
HEADS = ("Day", "Entry", "What it says", "By")


def entry_rows(lines: Iterable[Line]) -> list[list[str]]:
    """Rows under `HEADS`, the latest first."""
    rows = [
        [_day(line.entry), KINDS[line.entry.kind][1], words_of(line.entry), getattr(line.entry, "by", "")]
        for line in lines
    ]
    return sorted(rows, key=lambda row: row[0], reverse=True)


def month_rows(promise: Promise) -> list[list[str]]:
    """Each month against its promise, the latest first: a column a flow, fact and what was to be expected."""
    return [
        [f"{year}-{month:02d}", *(_held(flows[flow]) for flow in FLOWS)]
        for year, month, flows in reversed(promise.months)
    ]


def _held(held: Held) -> str:
    if held.fact is None:
        return f"not read; {held.expected:,.0f} ± {held.off:,.0f}"
    mark = "▼ " if held.is_short else "▲ " if held.is_over else ""
    return f"{mark}{held.fact:,.0f}; {held.expected:,.0f} ± {held.off:,.0f}"


def _day(entry: Any) -> str:
    if hasattr(entry, "on"):
        return entry.on
    return f"{entry.year}-{entry.month:02d}" if hasattr(entry, "month") else f"{entry.year}"


def words_of(entry: Any) -> str:
    """What an entry says, in a line."""
    if entry.kind in ("month", "meter"):
        said = [
            f"{getattr(entry, name):,.0f} kWh {words}"
            for name, words in FIGURES.items()
            if getattr(entry, name) is not None
        ]
        light = getattr(entry, "light_kwh_m2", None)
        said += [f"light {light:,.0f} kWh/m²"] if light is not None else []
        return ", ".join(said) or "nothing read"
    if entry.kind == "commissioning":
        counts = f"{entry.passed} readings right, {entry.doubtful} doubtful, {entry.failed} failed"
        return _joined(entry.option, counts, entry.text)
    if entry.kind == "capacity":
        return _joined(entry.part, f"{entry.kwh:g} kWh from full to empty", entry.text)
    if entry.kind == "part":
        return _joined(entry.part, f"serial {entry.serial}" if entry.serial else "", entry.text)
    if entry.kind == "firmware":
        return f"{entry.part}: {entry.version}"
    if entry.kind == "weather":
        return f"hours of {entry.path}"
    if entry.kind == "photo":
        return _joined(entry.caption, entry.path)
    return _joined(getattr(entry, "part", ""), entry.text)


def _joined(*parts: str) -> str:
    return "; ".join(" ".join(part.split()) for part in parts if part)


def summary_of(book: Logbook) -> str:
    """How much a logbook holds, and what of it cannot be used."""
    count, rows = len(book.lines), book.series.at.size
    said = f"{count} {'entry' if count == 1 else 'entries'}" + (f", {rows:,} rows of readings" if rows else "")
    if book.problems:
        lines = ", ".join(str(item.line) for item in book.problems[:5])
        more = f" and {len(book.problems) - 5} more" if len(book.problems) > 5 else ""
        one = len(book.problems) == 1
        said += (
            f". Line{'' if one else 's'} {lines}{more} of {book.path.name} cannot be used: {book.problems[0].problem}. "
            "Nothing was changed in the file"
        )
    return f"{said}."
