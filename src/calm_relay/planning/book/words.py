"""A book in words and rows: the table, what is due, and whom to call."""

from collections.abc import Sequence
from datetime import date
from typing import Any

from calm_relay.planning.book.replan import Book, Call
from calm_relay.planning.book.row import COLUMNS, BookRow
from calm_relay.planning.common.amounts import amount_text

# Columns of the file: those of a row, what is due, and the answer under the change.
AFTER = ("option", "title", "saving", "npv", "second_worth", "problem")
TABLE_COLUMNS = (*COLUMNS, "due_on", "due", *(f"{name}_then" for name in AFTER), "call")
HEADS = ("Job", "Place", "State", "Option", "Due", "Saves a year", "kWp", "kWh")
# The first so many of them are words.
WORDS = 5


def table_rows(book: Book, today: date) -> list[dict[str, Any]]:
    """Rows under `TABLE_COLUMNS`, in the files' order; what was not asked is empty."""
    calls = {call.before.file: call.sentence for call in book.calls}
    rows = []
    for number, row in enumerate(book.rows):
        due_on, due = row.due(today)
        after = book.after[number].kept if book.after else dict.fromkeys(AFTER)
        rows.append(
            {
                **row.kept,
                "due_on": due_on,
                "due": due,
                **{f"{name}_then": after[name] for name in AFTER},
                "call": calls.get(row.file, ""),
            }
        )
    return rows


def shown(row: BookRow, today: date) -> list[str]:
    """A row under `HEADS`."""
    due_on, due = row.due(today)
    planned = not row.problem
    return [
        row.name or row.file,
        row.place.partition(",")[0],
        row.state,
        row.title if planned else f"not planned: {row.problem}",
        f"{due_on} {due.partition(':')[0]}".strip(),
        saving_text(row) if planned else "",
        f"{row.array_kwp:.1f}" if planned else "",
        f"{row.battery_kwh:.1f}" if planned else "",
    ]


def sort_key(row: BookRow, column: int, today: date) -> tuple[bool, float | str]:
    """What a row is sorted by under one of `HEADS`; rows that say nothing there come last."""
    figures = {5: row.saving, 6: row.array_kwp, 7: row.battery_kwh}
    if column in figures:
        return bool(row.problem), figures[column]
    text = shown(row, today)[column]
    return not text, text.casefold()


CALL_HEADS = ("Customer", "Job", "What there is to say", "More a year than planned")


def call_cells(call: Call) -> list[str]:
    """A call under `CALL_HEADS`."""
    return [call.before.customer, call.before.name, call.sentence, amount_text(call.gain, call.after.currency)]


def saving_text(row: BookRow) -> str:
    """What a job saves a year, with its currency."""
    return amount_text(row.saving, row.currency)


def call_words(call: Call) -> str:
    """Whom to call and why, in a line."""
    who = f"{call.before.customer}, " if call.before.customer else ""
    gain = f"{abs(call.gain):,.0f} a year {'more' if call.gain >= 0 else 'less'} than planned"
    return f"{who}{call.before.name}: {call.sentence}; saves {call.after.currency} {gain}"


def summary(book: Book, today: date) -> str:
    """How many jobs there are, what could not be planned, and what is due, in a sentence or two."""
    count, broken = len(book.rows), sum(bool(row.problem) for row in book.rows)
    said = f"{count:,} {'job' if count == 1 else 'jobs'}"
    said += f", {broken} not planned" if broken else ""
    due = len(book.due(today))
    said += f", {due} due." if due else "."
    if book.same_names:
        names = ", ".join(book.same_names[:2]) + (" and more" if len(book.same_names) > 2 else "")
        said += f" Several jobs have one name: {names}; the file tells them apart."
    return f"{said} {book.problem}".strip()


def book_text(book: Book, today: date) -> str:
    """The whole book as text of even columns: the table, what is due, whom to call."""
    lines = _even([list(HEADS), *(shown(row, today) for row in book.rows)])
    lines += ["", summary(book, today)]
    if not book.change.is_none:
        calls = book.calls
        lines += [
            "",
            f"Under {book.change.words}: " + (f"call {len(calls)}." if calls else "nobody's answer changes."),
        ]
        lines += [f"  {call_words(call)}." for call in calls]
    return "\n".join(lines)


def _even(rows: Sequence[Sequence[str]], most: int = 42) -> list[str]:
    cut = [[text if len(text) <= most else f"{text[: most - 1]}…" for text in row] for row in rows]
    widths = [max(len(row[at]) for row in cut) for at in range(len(cut[0]))]
    return [
        "  ".join(
            text.rjust(width) if at >= WORDS else text.ljust(width)
            for at, (text, width) in enumerate(zip(row, widths, strict=True))
        ).rstrip()
        for row in cut
    ]
