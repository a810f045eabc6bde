"""Pages of a PDF, filled from top to bottom, with text that can be searched and bookmarks for its heads."""

import io
from collections.abc import Callable
from html import unescape
from re import sub

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter

from calm_relay import __version__
from calm_relay.desk.widgets.label import SealedDocument
from calm_relay.desk.widgets.theme import LIGHT, font, plain_letters
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.planning.common.region_words import AS_WRITTEN, RegionWords

DPI = 96


def paper_of(plan) -> QPageSize:
    """The paper that is usual in the country of the job's place, as its label ends; A4 where it is not known."""
    countries = plan.equipment.library.countries
    usual = countries.get(plan.job.site.place.rpartition(", ")[2])
    letter = usual is not None and usual.paper == "letter"
    return QPageSize(QPageSize.PageSizeId.Letter if letter else QPageSize.PageSizeId.A4)


class Pages:
    """Fills pages from top to bottom, and starts another when something does not fit."""

    def __init__(self, writer, points, foot, ink: str = LIGHT.ink, words: RegionWords = AS_WRITTEN):
        self._writer, self._points, self._foot, self._ink = writer, points, foot, ink
        self._words = words
        self.painter = QPainter(writer)
        self.width, self.height = writer.width(), writer.height() - 22
        self.y = 0.0
        self.count = 1
        self.marks: list[tuple[str, int]] = []
        self._sign()

    def room(self, height) -> None:
        """Makes sure of a height on this page or the next."""
        if self.y and self.y + height > self.height:
            self.next()

    def next(self) -> None:
        """Begins another page."""
        self._writer.newPage()
        self.count += 1
        self.y = 0.0
        self._sign()

    def text(self, html, space=8.0) -> None:
        """Sets words over the whole width."""
        document = self._document(html)
        height = document.size().height()
        self.room(height)
        self.painter.save()
        self.painter.translate(0, self.y)
        document.drawContents(self.painter)
        self.painter.restore()
        self.y += height + space

    def head(self, words, keep=80.0) -> None:
        """A head that stays with what follows, and a bookmark for it."""
        self.room(keep)
        self.mark(words)
        self.text(f"<h3 style='font-weight:600; margin:0; color:{self._ink}'>{words}</h3>", 2.0)

    def mark(self, words) -> None:
        """A bookmark at this place."""
        self.marks.append(
            (self._words(unescape(sub("<[^>]*>", "", words)).replace("\u00a0", " ").strip()), self.count - 1)
        )

    def table(self, rows, widths, space=8.0) -> None:
        """Rows of cells (HTML) in columns of shares of the width; a page ends between rows."""
        for row in rows:
            cells = "".join(f"<td width='{share}%'>{cell}</td>" for cell, share in zip(row, widths, strict=True))
            self.text(f"<table width='100%' cellpadding='1'><tr>{cells}</tr></table>", 0.0)
        self.y += space

    def picture(self, paint, width, height, space=8.0, below=0.0) -> None:
        """A picture of its own width, scaled to the page's, with room `below` it for words that belong to it."""
        scale = self.width / width
        self.room(height * scale + below)
        self.painter.save()
        self.painter.translate(0, self.y)
        self.painter.scale(scale, scale)
        paint(self.painter)
        self.painter.restore()
        self.y += height * scale + space

    def image(self, image: QImage, most_wide: float, most_high: float) -> None:
        """A picture of pixels at the upper right of what follows; it takes no room of its own."""
        scale = min(most_wide / image.width(), most_high / image.height())
        width, height = image.width() * scale, image.height() * scale
        self.painter.drawImage(QRectF(self.width - width, self.y, width, height), image)

    def end(self) -> None:
        """Closes the last page."""
        self.painter.end()

    def _document(self, html):
        document = SealedDocument()
        document.documentLayout().setPaintDevice(self._writer)
        document.setDocumentMargin(0)
        document.setDefaultFont(font(self._points))
        document.setDefaultStyleSheet(
            f"body, td, th, li {{ color: {LIGHT.ink}; }} .quiet {{ color: {LIGHT.quiet}; }} b {{ font-weight: 600; }}"
        )
        document.setHtml(f"<body>{keep_units(self._words(html))}</body>")
        document.setPageSize(QSizeF(self.width, 1e6))
        document.setTextWidth(self.width)
        return document

    def _sign(self):
        self.painter.setPen(QColor(LIGHT.quiet))
        self.painter.setFont(font(7.5))
        box = QRectF(0, self.height + 8, self.width, 14)
        page = f"page {self.count}"
        room = self.width - self.painter.fontMetrics().horizontalAdvance(page) - 12
        foot = self.painter.fontMetrics().elidedText(
            self._words(self._foot), Qt.TextElideMode.ElideRight, int(room)
        )
        self.painter.drawText(box, Qt.AlignmentFlag.AlignLeft, foot)
        self.painter.drawText(box, Qt.AlignmentFlag.AlignRight, page)


def pdf_of(
    size: QPageSize,
    title: str,
    foot: str,
    points: float,
    fill: Callable[[Pages], None],
    *,
    lying: bool = False,
    ink: str = LIGHT.ink,
    words: RegionWords = AS_WRITTEN,
) -> tuple[bytes, int]:
    """A PDF that a function fills; returns it, and how many pages it has.

    Parameters
    ----------
    size : QPageSize
        Its paper.
    title, foot : str
        What the file is called, and what stands below each page.
    points : float
        Size of its words.
    fill : callable
        Takes the pages.
    lying : bool
        Whether the paper lies.
    ink : str
        Colour of its heads.
    words : RegionWords
        In which it speaks.
    """
    content = QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    with plain_letters():
        writer = QPdfWriter(buffer)
        writer.setResolution(DPI)
        writer.setPageSize(size)
        if lying:
            writer.setPageOrientation(QPageLayout.Orientation.Landscape)
        writer.setPageMargins(QMarginsF(14, 12, 14, 14), QPageLayout.Unit.Millimeter)
        writer.setTitle(title)
        writer.setCreator(f"Calm Relay {__version__}")
        pages = Pages(writer, points, foot, ink, words)
        try:
            fill(pages)
        finally:
            pages.end()
    buffer.close()
    return with_bookmarks(bytes(content.data()), pages.marks), pages.count


def with_bookmarks(content: bytes, marks: list[tuple[str, int]]) -> bytes:
    """A PDF with bookmarks, each a title and the number of its page from 0."""
    from pypdf import PdfReader, PdfWriter

    if not marks:
        return content
    writer = PdfWriter(clone_from=PdfReader(io.BytesIO(content)))
    for title, page in marks:
        writer.add_outline_item(title, page)
    stream = io.BytesIO()
    writer.write(stream)
    return stream.getvalue()
