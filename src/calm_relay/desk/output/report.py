"""The summary for print: the line of each option, the comparison, findings, assumptions and cautions."""

from datetime import date
from html import escape
from pathlib import Path

from PySide6.QtCore import QRectF

from calm_relay import __version__
from calm_relay.desk.charts.scale_rows import ON_PAPER, ScaleRows
from calm_relay.desk.energy_path.path_picture import HEIGHT, LinePicture
from calm_relay.desk.output.pages import paper_of, pdf_of
from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.theme import LIGHT, SEVERITY_WORD
from calm_relay.exchange.files import write_atomically
from calm_relay.planning.common.cautions import cautions_of
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.scales import compared, scales_of
from calm_relay.planning.views.tables import assumptions_of

LINE_WIDTH = 1040.0
# Options printed in full: as it is, and those that serve best.
PRINTED = 4
# Sizes of words, the largest first, of which the first is taken that keeps within the pages.
BODY_POINTS, MOST_PAGES = (8.2, 7.6, 7.0), 5


def write_report(plan, path: Path, today: date) -> int:
    """Writes the summary as a PDF of two to five pages, more only where that is too few at its smallest words.

    Returns how many.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    for points in BODY_POINTS:
        content, count = _rendered(plan, today, points)
        if count <= MOST_PAGES:
            break
    write_atomically(path, content)
    return count


def _rendered(plan, today, points):
    """The summary with words of a size, and how many pages it fills."""

    def fill(pages):
        _opening(pages, plan)
        _lines(pages, plan)
        _comparison(pages, plan)
        _made_of(pages, plan)
        _reasons(pages, plan)
        _left_aside(pages, plan)
        _findings(pages, plan)
        _assumptions(pages, plan)
        _cautions(pages, plan.job.supply)

    foot = f"{plan.job.name} · {today:%-d %B %Y} · Calm Relay {__version__}"
    return pdf_of(paper_of(plan), plan.job.name, foot, points, fill, words=plan.rules.words)


def _opening(pages, plan):
    job = plan.job
    note = f" <span style='color:{LIGHT.check}'>({escape(plan.assumed_note)})</span>" if plan.assumed_note else ""
    whose = escape(f"{job.customer or 'No customer named'} · {job.site.place}")
    pages.text(
        f"<h2 style='font-weight:600; margin:0'>{escape(job.name)}</h2>"
        f"<p class='quiet' style='margin:2px 0'>{whose}</p>"
        f"<p style='font-size:11pt; font-weight:600; margin:6px 0 2px 0'>{escape(plan.choice.sentence)}</p>"
        f"<p style='margin:0'>Weather: {escape(plan.site.source)}{note}. Home: {escape(plan.demand.source)}.</p>"
        f"<p style='margin:4px 0 0 0'><i>{cautions_of(job.supply)[0]}</i></p>"
    )


def _lines(pages, plan):
    for number in compared(plan, 0, PRINTED):
        option = plan.options[number]
        verdict = " fits best" if option.key == plan.choice.key else ""
        pages.head(f"{LETTERS[number]} &nbsp; {escape(option.title)}<span class='quiet'>{verdict}</span>", 170)
        line = line_of(plan, option)
        picture = LinePicture(line, QRectF(0, 0, LINE_WIDTH, HEIGHT), LIGHT)
        low = any(station.row for station in line.stations)
        pages.picture(picture.paint, LINE_WIDTH, HEIGHT + 8 if low else 118, 2.0)


def _comparison(pages, plan):
    keys = [option.key for option in plan.options]
    shown = keys.index(plan.choice.key) if plan.choice.key else 0
    rows = ScaleRows(
        scales_of(plan),
        LETTERS[: len(keys)],
        shown,
        plan.assumed_note,
        LIGHT,
        compared(plan, 0, PRINTED),
        pitch=ON_PAPER,
    )
    pages.head("The options on common scales", rows.height + 30)
    pages.picture(lambda painter: rows.paint(painter, 720), 720, rows.height)


def _made_of(pages, plan):
    """The units, the work and what is paid towards them, line by line, of each option that is printed."""
    currency, rows = plan.job.tariff.currency, []
    for number in compared(plan, 0, PRINTED):
        option = plan.options[number]
        money = None if isinstance(option, RefusedOption) else option.outcome.money
        if money is None or not money.lines:
            continue
        parts = " · ".join(
            f"{escape(line.label)}:\u00a0{line.amount:,.0f}".replace("-", "\u2212")
            if line.amount < 0.0
            else f"{escape(line.label)}:\u00a0{line.amount:,.0f}"
            for line in money.lines
        )
        rows.append(
            (
                LETTERS[number],
                parts,
                f"<span style='font-weight:600'>{escape(currency)} {money.outlay:,.0f}</span>",
            )
        )
    if rows:
        pages.head("What each is made of")
        pages.table(rows, (4, 82, 14))


def _reasons(pages, plan):
    for number in compared(plan, 0, PRINTED):
        option = plan.options[number]
        pages.head(f"{LETTERS[number]} &nbsp; {escape(option.title)}")
        cells = "".join(f"<td width='50%'>{_side(plan, option, good)}</td>" for good in (True, False))
        pages.text(f"<table width='100%' cellpadding='2'><tr>{cells}</tr></table>", 4.0)


def _left_aside(pages, plan):
    """Options that stand behind the best ones in a line, those that cannot be built with their reasons."""
    summary, printed = [], compared(plan, 0, PRINTED)
    for number, option in enumerate(plan.options):
        if number in printed:
            continue
        title = f"<b>{LETTERS[number]} {escape(option.title)}</b>"
        if isinstance(option, RefusedOption):
            summary.append(f"{title} cannot be built: {escape('; '.join(option.refusal.reasons))}.")
        else:
            score = plan.choice.scores[option.key].total * 100
            summary.append(f"{title}: {score:.0f} of 100.")
    if summary:
        pages.head("The other ways")
        pages.text("".join(f"<p style='margin:0'>{line}</p>" for line in summary), 4.0)


def _side(plan, option, good):
    word, sign, colour = ("for", "+", LIGHT.ok) if good else ("against", "−", LIGHT.check)
    reasons = plan.choice.reasons[option.key]
    mine = "<br>".join(f"{sign} {escape(item.sentence)}" for item in reasons if item.speaks_for == good)
    return f"<span style='color:{colour}'>{word}</span><br>{mine or 'Nothing that weighs.'}"


def _findings(pages, plan):
    """Findings worst first; one that several options share stands once, with all their letters.

    What is in order is said of the option that fits best alone.
    """
    pages.head("What to know")
    whose: dict = {}
    printed = compared(plan, 0, PRINTED)
    best = next((number for number in printed if plan.options[number].key == plan.choice.key), printed[0])
    for number in (best, *(other for other in printed if other != best)):
        option = plan.options[number]
        for item in option.findings:
            entry = item.severity, item.station, item.sentence, item.rule
            if item.severity is Severity.OK and number != best and entry not in whose:
                continue
            letters = whose.setdefault(entry, [])
            if LETTERS[number] not in letters:
                letters.append(LETTERS[number])
    rows = []
    for (severity, station, sentence, rule), letters in sorted(whose.items(), key=lambda entry: entry[0][0]):
        weight = "600" if severity is Severity.STOP else "400"
        style = f"color:{LIGHT.of(severity)}; font-weight:{weight}"
        word = f"<span style='{style}'>{SEVERITY_WORD[severity]}</span>"
        summary = f"{escape(sentence)} <span class='quiet'>{escape(rule)}.</span>"
        rows.append((" ".join(letters), word, station, summary))
    pages.table(rows, (6, 8, 11, 75))


def _assumptions(pages, plan):
    pages.head("What the plan rests on, and where each comes from")
    head, *rows = assumptions_of(plan)
    names = [f"<span class='quiet'>{name}</span>" for name in head]
    pages.table([names, *([escape(cell) for cell in row] for row in rows)], (9, 25, 36, 30))


def _cautions(pages, supply):
    pages.head("Cautions", 110)
    told = "".join(f"<li>{caution}</li>" for caution in cautions_of(supply))
    pages.text(f"<ul style='margin:0'>{told}</ul>")
