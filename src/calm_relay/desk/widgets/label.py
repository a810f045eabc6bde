"""Words on screen: what a user or a file wrote is plain text, and never taken for markup.

Every label is made here. A `Label` shows its text as it is; a `RichLabel` shows markup that `rich` put together, in
which everything filled in is escaped. `tip` makes a tooltip, `unmarked` the text of a button or a menu.
"""

import html
import string
from typing import Any, ClassVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QTextDocument
from PySide6.QtWidgets import QApplication, QLabel, QWidget

from calm_relay.planning.common.region_words import AS_WRITTEN, RegionWords

PLAIN, RICH = Qt.TextFormat.PlainText, Qt.TextFormat.RichText


# So many tooltips may be known by what they were written as.
MOST_WRITTEN = 2000


class _Region:
    """The words of the region whose job is on the desk, and what tooltips said in them were written as."""

    words = AS_WRITTEN
    written: ClassVar[dict[str, str]] = {}


def speak(words: RegionWords) -> None:
    """Has every label speak a region's words from now on, those that are there included."""
    before, _Region.words = _Region.words, words
    if words.pairs == before.pairs:
        return
    for widget in QApplication.allWidgets():
        if isinstance(widget, Label | RichLabel):
            widget.setText(widget.written)
        _name_again(widget)


def spoken(made: QWidget) -> QWidget:
    """What was just made, its tooltips and the names of its parts in the region's words."""
    if _Region.words.pairs:
        for widget in (made, *made.findChildren(QWidget)):
            _name_again(widget)
    return made


def _name_again(widget: QWidget) -> None:
    """Says a widget's tooltip and its name for those who cannot see it in the region's words."""
    for kept, now, say in (
        ("written name", widget.accessibleName(), widget.setAccessibleName),
        ("written tip", widget.toolTip(), widget.setToolTip),
    ):
        if now:
            written, shown = widget.property(kept) or ("", "")
            # What was set anew since is what is written now.
            written = written if shown == now else _Region.written.get(now, now)
            told = said(written)
            if told != now:
                say(told)
            widget.setProperty(kept, (written, told))


def said(text: str) -> str:
    """A text in the region's words."""
    return _Region.words(text)


class Label(QLabel):
    """Plain text, in the region's words; `written` is the text as it was given."""

    def __init__(self, text: str = "", parent=None):
        super().__init__(parent)
        self.setTextFormat(PLAIN)
        self.setText(text)

    def setText(self, text: str) -> None:
        """Shows a text."""
        self.written = text
        super().setText(said(text))


class RichLabel(QLabel):
    """Markup made by `rich`; any other text is shown as it is. `written` is what was given."""

    def __init__(self, text: str = "", parent=None):
        super().__init__(parent)
        self.setTextFormat(RICH)
        self.setText(text)

    def setText(self, text: str) -> None:
        """Shows markup, or plain text escaped, in the region's words."""
        self.written = text
        shown = said(text)
        super().setText(shown if isinstance(shown, Markup) else html.escape(shown).replace("\n", "<br>"))


class SealedDocument(QTextDocument):
    """A text document that loads nothing: no picture, no style, no file and no device."""

    def loadResource(self, kind, name):
        """Nothing, whatever is asked for."""
        return None


class Markup(str):
    """Text that is markup already; only markup can be added to it."""

    def __add__(self, other: str) -> "Markup":
        return Markup(str.__add__(self, other if isinstance(other, Markup) else html.escape(other)))


class _Escaping(string.Formatter):
    def format_field(self, value: Any, format_spec: str) -> str:
        text = super().format_field(value, format_spec)
        return text if isinstance(value, Markup) else html.escape(text)


_ESCAPING = _Escaping()
# No heavier weight of the letters is shipped; a bolder one would be this one drawn twice.
STRONG = "<span style='font-weight:600'>"


def rich(template: str, *values: Any, **named: Any) -> Markup:
    """Markup with values filled in as `str.format` does, each of them escaped unless it is markup itself."""
    template = template.replace("<b>", STRONG).replace("</b>", "</span>")
    return Markup(_ESCAPING.vformat(template, values, named))


def joined(between: str, parts) -> Markup:
    """Parts with markup between them; parts that are no markup are escaped."""
    return Markup(between.join(part if isinstance(part, Markup) else html.escape(part) for part in parts))


def tip(text: str) -> str:
    """A tooltip, or the text of a message, that shows exactly this text."""
    text, written = said(text), text
    if text != written and len(_Region.written) < MOST_WRITTEN:
        _Region.written[text] = written
    if "<" not in text:
        return text
    return f"<qt>{html.escape(text)}</qt>".replace("\n", "<br>")


def unmarked(text: str) -> str:
    """A text as a button or a menu shows it, its ampersands no marks of keys."""
    return text.replace("&", "&&")
