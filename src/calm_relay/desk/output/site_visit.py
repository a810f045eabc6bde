"""The sheet for a site visit: what is to be measured, the most telling first, with blanks to fill in by hand."""

from datetime import date
from html import escape
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QSizeF
from PySide6.QtGui import QPageLayout, QPdfWriter

from calm_relay import __version__
from calm_relay.desk.output.pages import paper_of
from calm_relay.desk.widgets.label import SealedDocument
from calm_relay.desk.widgets.theme import font, plain_letters
from calm_relay.exchange.files import write_atomically
from calm_relay.planning.common.cautions import cautions_of

DPI = 96
BLANK = "&nbsp;" * 34
LINE = "_" * 18
STRONG = "style='font-weight:600'"


def write_site_visit(plan, result, path: Path, today: date) -> int:
    """Writes the sheet as a PDF; returns how many pages it fills.

    Parameters
    ----------
    plan : Plan
        Of the job whose survey it is.
    result : planning.studies.survey.SurveyResult
        What is measured, assumed and missing.
    path : Path
        The file.
    today : date
        Printed on it.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    job, content = plan.job, QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    with plain_letters():
        writer = QPdfWriter(buffer)
        writer.setResolution(DPI)
        writer.setPageSize(paper_of(plan))
        writer.setPageMargins(QMarginsF(14, 12, 14, 14), QPageLayout.Unit.Millimeter)
        writer.setTitle(f"Site visit, {job.name}")
        writer.setCreator(f"Calm Relay {__version__}")
        document = SealedDocument()
        document.setDefaultFont(font(9))
        document.documentLayout().setPaintDevice(writer)
        document.setPageSize(QSizeF(writer.width(), writer.height()))
        document.setHtml(plan.rules.words(_html(job, result, today)))
        document.print_(writer)
        pages = document.pageCount()
    buffer.close()
    write_atomically(path, bytes(content.data()))
    return pages


def _html(job, result, today) -> str:
    currency = job.tariff.currency
    rows = []
    for swing in result.swings:
        moves = f"{currency} {swing.saving:,.0f} a year, {swing.hours:.1f} h"
        if swing.changes_choice:
            moves += "; another option may fit best"
        rows.append((swing.entry.label, swing.entry.station, swing.entry.now, moves))
    missing = [entry for entry in result.rest if entry.status != "measured"]
    rows += [(entry.label, entry.station, entry.now, "not known") for entry in missing]
    cells = "".join(
        f"<tr><td><span {STRONG}>{escape(label)}</span><br><small>{escape(station)}</small></td><td>{escape(now)}</td>"
        f"<td>{escape(moves)}</td><td style='border-bottom: 1px solid #444'>{BLANK}</td></tr>"
        for label, station, now, moves in rows
    )
    heads = "".join(
        f"<td {STRONG}>{words}</td>" for words in ("To measure", "The plan has", "It could move", "Measured")
    )
    known = ", ".join(escape(f"{entry.label}: {entry.now}") for entry in result.rest if entry.status == "measured")
    cautions = "".join(f"<li>{escape(text)}</li>" for text in cautions_of(job.supply))
    return (
        f"<h2 {STRONG}>Site visit: {escape(job.name)}</h2><p>{escape(job.site.place)}<br>{escape(job.customer)}<br>"
        f"Printed {today:%-d %B %Y}. Visited: {LINE} by {LINE}</p>"
        f"<table cellpadding='6' cellspacing='0' width='100%'><tr>{heads}</tr>"
        f"{cells}</table><p><span {STRONG}>Known:</span> {known or 'nothing yet'}.</p>"
        f"<p><span {STRONG}>Photos:</span> meter, board (a cover is opened by licensed hands alone), roof from each "
        f"side, place of the battery, labels of every unit there today.</p><ul>{cautions}</ul>"
    )
