"""The options as a column of buttons; the one pressed is in view, those that cannot be built wait in a list."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import font

ROOM = 152
TALL, LOW = 42, 20
# From this height on a button has a second line for its note.
TWO_LINES = 36
# Margins, padding and border beside a title.
AROUND_TITLE = 44
AROUND_LOW_TITLE = 37
CANNOT_BE_BUILT, STOPPED, FITS_BEST = "cannot be built", "stopped", "fits best"
SHORT = {CANNOT_BE_BUILT: "no", STOPPED: "stop", FITS_BEST: "best"}


class OptionSwitch(QWidget):
    """Emits `chosen` with an option's number, and `compare` when all are to stand beside each other."""

    chosen = Signal(int)
    compare = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setFixedWidth(222)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(14, 7, 4, 4)
        self.buttons: list[QPushButton] = []
        self.compare_button = QPushButton("Compare the options")
        self.compare_button.setObjectName("small")
        self.compare_button.setToolTip("The bench Choice (F9)")
        self.compare_button.clicked.connect(lambda _=False: self.compare.emit())
        self.refused = QPushButton()
        self.refused.setObjectName("small")
        self.refused_menu = QMenu(self.refused)
        self.refused.setMenu(self.refused_menu)
        below = QHBoxLayout()
        below.setSpacing(4)
        below.addWidget(self.compare_button, 1)
        below.addWidget(self.refused, 1)
        self._column.addLayout(below)

    def show_options(self, options, best: str | None, shown: int) -> None:
        """Shows the options; `best` is marked in words, `shown` is pressed."""
        named = [(option.title, note_of(option, best)) for option in options]
        self._show_named(named, shown)
        self._list_refused(options, shown)

    def show_kept(self, named, shown: int) -> None:
        """Shows options by title and note as they were last time; none can be pressed yet."""
        self._show_named(named, shown)
        for button in self.buttons:
            button.setEnabled(False)
        self.refused.setVisible(False)

    def show_none(self) -> None:
        """A job that is only begun has no options to compare."""
        self.show_kept([], 0)
        self.compare_button.setVisible(False)

    def _show_named(self, options, shown):
        while len(self.buttons) < len(options):
            self._add_button()
        while len(self.buttons) > len(options):
            # A job with fewer options came.
            gone = self.buttons.pop()
            self._column.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        listed = [number == shown or note != CANNOT_BE_BUILT for number, (_, note) in enumerate(options)]
        height = max(LOW, min(TALL, ROOM // max(sum(listed), 1)))
        self._column.setSpacing(5 if height >= TWO_LINES else 2)
        self.compare_button.setVisible(True)
        for number, (button, (title, note)) in enumerate(zip(self.buttons, options, strict=True)):
            button.setEnabled(True)
            text = f"{LETTERS[number]}   {title}"
            named = f"Option {LETTERS[number]}, {title}{', ' * bool(note)}{note}"
            button.setAccessibleName(named)
            button.setToolTip(tip(f"{title}{': ' * bool(note)}{note}{_key(number)}"))
            button.setFixedHeight(height)
            button.setProperty("low", height < TWO_LINES)
            # A title that would be cut is set smaller.
            title_width = QFontMetrics(font(strong=True)).horizontalAdvance(text)
            button.setProperty("long", title_width > self.width() - AROUND_TITLE)
            button.style().polish(button)
            letters = button.fontMetrics()
            second = _second_line(LETTERS[number], note, letters) if height >= TWO_LINES else _beside(note)
            button.setText(f"{text}{second}")
            if (
                height < TWO_LINES
                and letters.horizontalAdvance(f"{text}{second}") > self.width() - AROUND_LOW_TITLE
            ):
                # What it is marked as stays; the title gives way.
                room = self.width() - AROUND_LOW_TITLE - letters.horizontalAdvance(second)
                button.setText(f"{letters.elidedText(text, Qt.TextElideMode.ElideRight, room)}{second}")
            button.setChecked(number == shown)
            button.setVisible(listed[number])

    def _add_button(self):
        number = len(self.buttons)
        button = QPushButton()
        button.setObjectName("option")
        button.setCheckable(True)
        # Not a group of buttons that exclude each other: it would leave the tab to one of them.
        button.clicked.connect(lambda _=False, number=number: self.chosen.emit(number))
        self._column.insertWidget(number, button)
        self.buttons.append(button)

    def _list_refused(self, options, shown):
        from calm_relay.planning.verdict.option import RefusedOption

        self.refused_menu.clear()
        refused = [number for number, option in enumerate(options) if isinstance(option, RefusedOption)]
        for number in refused:
            title = f"{LETTERS[number]}   {options[number].title}"
            action = self.refused_menu.addAction(title)
            action.setToolTip(tip(". ".join(options[number].refusal.reasons)))
            action.setCheckable(True)
            action.setChecked(number == shown)
            action.triggered.connect(lambda _=False, number=number: self.chosen.emit(number))
        self.refused_menu.setToolTipsVisible(True)
        self.refused.setVisible(bool(refused))
        self.refused.setText(f"{len(refused)} refused")
        self.refused.setToolTip("What cannot be built on this job, and why")
        self.refused.setAccessibleName(f"{len(refused)} options that cannot be built")
        self.compare_button.setText("Compare" if refused else "Compare the options")


def note_of(option, best: str | None) -> str:
    """What the switch says of an option beside its title; `best` is the key of the one that fits best."""
    from calm_relay.planning.verdict.option import RefusedOption

    if isinstance(option, RefusedOption):
        return CANNOT_BE_BUILT
    if option.stopped:
        return STOPPED
    return FITS_BEST if option.key == best else ""


def _second_line(letter, note, letters):
    """A note below its title, which stands behind the option's letter."""
    before = letters.horizontalAdvance(f"{letter}   ")
    return f"\n{' ' * round(before / letters.horizontalAdvance(' '))}{note}" if note else ""


def _beside(note):
    return f" · {SHORT[note]}" if note else ""


def _key(number):
    return f"   Ctrl+{(number + 1) % 10}" if number < 10 else ""
