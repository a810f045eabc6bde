"""The page of a datasheet beside the form: what was found is marked, and a number clicked goes into the form."""

import re

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.exchange.datasheet import Sheet, Word, page_picture
from calm_relay.exchange.errors import InputError

# Pasted text has character cells in place of points.
TEXT_CELL, TEXT_LINE = 8.0 / 0.5, 17.0
ZOOMS = ((1.0, "whole width"), (1.5, "150%"), (2.0, "200%"))


class SheetPage(QWidget):
    """One page. Emits `number_taken` with the words from the one clicked on, so that its unit comes along."""

    number_taken = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setAccessibleName("Page of the datasheet; click on a number to put it into the field in focus")
        self.setMouseTracking(True)
        self._sheet: Sheet | None = None
        self._number = 0
        self._image: QImage | None = None
        self._across = self._down = 1.0
        self._found: tuple[Word, ...] = ()
        self._marked: Word | None = None
        self._under: Word | None = None

    def show_page(self, sheet: Sheet, number: int, width: int) -> None:
        """Draws a page so many pixels wide.

        Raises
        ------
        InputError
            When its file cannot be opened any more.
        """
        self._sheet, self._number, self._under = sheet, number, None
        page = sheet.pages[number]
        if sheet.path is None:
            self._image, self._across, self._down = None, TEXT_CELL, TEXT_LINE
            length = max((line.words[-1].right for line in page.lines), default=10.0)
            size = QSize(round(length * TEXT_CELL) + 24, round((len(page.lines) + 2) * TEXT_LINE))
        else:
            ratio = self.devicePixelRatioF()
            wide, high, pixels = page_picture(sheet.path, number, round(width * ratio))
            self._image = QImage(pixels, wide, high, wide * 4, QImage.Format.Format_RGB32).copy()
            self._image.setDevicePixelRatio(ratio)
            self._across = self._down = width / page.width
            size = QSize(width, round(page.height * self._down))
        self.setFixedSize(size)
        self.update()

    def mark(self, found, marked: Word | None) -> None:
        """Frames the words that were found on this page, and the one of the field in focus."""
        self._found, self._marked = tuple(found), marked
        self.update()

    def box_of(self, word: Word) -> QRectF:
        """Where a word lies on the widget."""
        return QRectF(
            word.left * self._across, word.top * self._down,
            (word.right - word.left) * self._across, (word.bottom - word.top) * self._down,
        ).adjusted(-2, -1, 2, 1)  # fmt: skip

    @painted
    def paintEvent(self, painter):
        """The page, what was found, what is under the mouse."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is not None:
            painter.drawImage(0, 0, self._image)
        elif self._sheet is not None:
            painter.fillRect(self.rect(), QColor(look.card))
            painter.setPen(QColor(look.ink))
            painter.setFont(font(9))
            for line in self._sheet.pages[self._number].lines:
                for word in line.words:
                    at = self.box_of(word)
                    painter.drawText(at.bottomLeft().x() + 2, at.bottom() - 4, word.text)
        for word in self._found:
            shade = QColor(look.alternating)
            shade.setAlpha(60)
            painter.fillRect(self.box_of(word), shade)
        for word, width in ((self._marked, 2.4), (self._under, 1.2)):
            if word is not None:
                painter.setPen(QPen(QColor(look.alternating), width))
                painter.drawRect(self.box_of(word))

    def _word_under(self, point):
        if self._sheet is None:
            return None
        for line in self._sheet.pages[self._number].lines:
            for at, word in enumerate(line.words):
                if re.search(r"\d", word.text) and self.box_of(word).contains(point):
                    return line, at, word
        return None

    def mouseMoveEvent(self, event):
        """Frames the number under the mouse."""
        under = self._word_under(event.position())
        self._under = under[2] if under else None
        self.setCursor(Qt.CursorShape.PointingHandCursor if under else Qt.CursorShape.ArrowCursor)
        self.update()

    def mousePressEvent(self, event):
        """Takes the number that is clicked on."""
        under = self._word_under(event.position())
        if under:
            line, at, word = under
            self.number_taken.emit(" ".join(item.text for item in line.words[at : at + 2]), word)


class SheetView(QWidget):
    """A datasheet with its pages and columns of models.

    Signals
    -------
    number_taken : str, object
        The text from the number clicked on, and its word.
    column_taken : object
        Another column of models was chosen.
    """

    number_taken = Signal(str, object)
    column_taken = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.sheet: Sheet | None = None
        self._number = 0
        self._words: dict[int, list[Word]] = {}
        self.column = ChoiceField("Which of the models beside each other", width=12)
        self.zoom = ChoiceField("How large the page is shown", ZOOMS, width=10)
        self.zoom.show_value(1.0)
        self.back, self.on = QPushButton("‹"), QPushButton("›")
        self.where = Label()
        self.page = SheetPage()
        self.told = Label()
        self.told.setWordWrap(True)
        self._scroll = QScrollArea()
        self._scroll.setWidget(self.page)
        self._scroll.setMinimumWidth(420)
        self._lay_out()
        self.page.number_taken.connect(self.number_taken)
        self.column.taken.connect(self.column_taken)
        self.zoom.taken.connect(lambda _: self._draw())
        self.back.clicked.connect(lambda _=False: self.turn_to(self._number - 1))
        self.on.clicked.connect(lambda _=False: self.turn_to(self._number + 1))

    def _lay_out(self):
        top = QHBoxLayout()
        self._column_label = Label("&Model")
        self._column_label.setBuddy(self.column)
        for button, name in ((self.back, "Page before"), (self.on, "Next page")):
            button.setObjectName("small")
            button.setAccessibleName(name)
            button.setFixedWidth(30)
        for part in (self._column_label, self.column):
            top.addWidget(part)
        top.addStretch(1)
        for part in (self.back, self.where, self.on, self.zoom):
            top.addWidget(part)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(top)
        column.addWidget(self.told)
        column.addWidget(self._scroll, 1)

    def show_sheet(self, sheet: Sheet, columns) -> None:
        """Shows a sheet from its first page, with the names of its columns of models."""
        self.sheet, self._words = sheet, {}
        self.column.offer(list(enumerate(columns)))
        self.column.show_value(0 if columns else None)
        for part in (self.column, self._column_label):
            part.setVisible(len(columns) > 1)
        self.told.setText(
            "Click on a number to put it into the field in focus."
            if sheet.has_text
            else "This sheet is a picture without text: it must be typed."
        )
        self.turn_to(0)

    def turn_to(self, number: int) -> None:
        """Shows another page where there is one."""
        if self.sheet is not None and 0 <= number < len(self.sheet.pages):
            self._number = number
            self._draw()

    def mark(self, words_by_page, page: int | None = None, marked: Word | None = None) -> None:
        """Frames what was found on each page; turns to the page of the field in focus."""
        self._words = words_by_page
        if page is not None and page != self._number:
            self.turn_to(page)
        self.page.mark(self._words.get(self._number, ()), marked if page == self._number else None)
        if marked is not None and page == self._number:
            box = self.page.box_of(marked)
            self._scroll.ensureVisible(round(box.center().x()), round(box.center().y()), 120, 90)

    def _draw(self):
        if self.sheet is None:
            return
        width = round(max(self._scroll.width() - 16, 380) * (self.zoom.currentData() or 1.0))
        try:
            self.page.show_page(self.sheet, self._number, width)
        except InputError as error:
            self.told.setText(f"{error}.")
        pages = len(self.sheet.pages)
        self.where.setText(f"page {self._number + 1} of {pages}")
        self.back.setEnabled(self._number > 0)
        self.on.setEnabled(self._number + 1 < pages)
        self.page.mark(self._words.get(self._number, ()), None)

    def resizeEvent(self, event):
        """The page takes the width there is."""
        super().resizeEvent(event)
        self._draw()
