"""The words of a datasheet with their places: from a PDF's text layer, or from text that was pasted."""

import re
import threading
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

from calm_relay.exchange.bounds import MOST_CHARACTERS, MOST_PAGES, checked_size
from calm_relay.exchange.errors import InputError

# Words closer than this share of their height stand in one cell.
CELL_GAP = 0.9
# PDFium is not safe to call from two threads at once.
_PDFIUM = threading.Lock()


@dataclass(frozen=True)
class Word:
    """A word and its box on the page, in points from the upper left corner."""

    text: str
    left: float
    top: float
    right: float
    bottom: float

    @property
    def middle(self) -> float:
        """Its centre across [points]."""
        return (self.left + self.right) / 2.0


@dataclass(frozen=True)
class Line:
    """Words beside each other, from left to right."""

    page: int
    words: tuple[Word, ...]

    @property
    def text(self) -> str:
        """As it is read; wide gaps become tabs."""
        parts = [word.text for word in self.words[:1]]
        for before, word in pairwise(self.words):
            wide = word.left - before.right > CELL_GAP * (before.bottom - before.top)
            parts += ["\t" if wide else " ", word.text]
        return "".join(parts)

    def word_at(self, place: int) -> Word:
        """The word that the character at a place of `text` belongs to, or the next one."""
        at = 0
        for word in self.words:
            at += len(word.text) + 1
            if place < at:
                return word
        return self.words[-1]


@dataclass(frozen=True)
class Page:
    """A page's size in points, and its lines from top to bottom."""

    width: float
    height: float
    lines: tuple[Line, ...]


@dataclass(frozen=True)
class Sheet:
    """A datasheet; `path` is None for pasted text, whose lines lie on one page of character cells."""

    path: Path | None
    pages: tuple[Page, ...]

    @property
    def has_text(self) -> bool:
        """Whether there is anything to read; a scanned sheet has none and must be typed."""
        return any(page.lines for page in self.pages)

    @property
    def lines(self) -> tuple[Line, ...]:
        """Every line, page after page."""
        return tuple(line for page in self.pages for line in page.lines)


def read_sheet(path: Path) -> Sheet:
    """The words of a PDF with their places.

    Raises
    ------
    InputError
        When it is no PDF, damaged, encrypted, or longer than this reads.
    """
    import pypdfium2

    path = Path(path)
    with _PDFIUM:
        document = _opened(path)
        try:
            if len(document) > MOST_PAGES:
                raise InputError(path, "", f"has {len(document)} pages; wanted at most {MOST_PAGES}")
            return Sheet(path, tuple(_page_of(document[number], number) for number in range(len(document))))
        except pypdfium2.PdfiumError as error:
            raise InputError(
                path, "", f"has a page that is damaged ({error}); wanted a datasheet as PDF"
            ) from None
        finally:
            document.close()


def _opened(path: Path) -> Any:
    import pypdfium2
    import pypdfium2.raw as raw

    checked_size(path, "datasheet")
    try:
        return pypdfium2.PdfDocument(path)
    except pypdfium2.PdfiumError as error:
        if getattr(error, "err_code", None) == raw.FPDF_ERR_PASSWORD:
            raise InputError(path, "", "is encrypted; wanted a PDF that opens without a password") from None
        raise InputError(path, "", "is damaged or no PDF; wanted a datasheet as PDF") from None
    except OSError as error:
        raise InputError(path, "", f"cannot be read ({error.strerror or error})") from None


def _page_of(page: Any, number: int) -> Page:
    width, height = page.get_size()
    text = page.get_textpage()
    count = min(text.count_chars(), MOST_CHARACTERS)
    words: list[Word] = []
    letters: list[str] = []
    boxes: list[tuple[float, float, float, float]] = []

    def finish() -> None:
        if letters:
            left, bottom = min(box[0] for box in boxes), min(box[1] for box in boxes)
            right, top = max(box[2] for box in boxes), max(box[3] for box in boxes)
            words.append(Word("".join(letters), left, height - top, right, height - bottom))
            letters.clear()
            boxes.clear()

    whole = text.get_text_range(0, count) if count else ""
    for index, letter in enumerate(whole[:count]):
        if letter.isspace() or letter in "\x00\ufffe":
            finish()
            continue
        # A loose box has the height of the font: a dash or a comma then stands in its line.
        box = text.get_charbox(index, loose=True)
        if boxes and (box[0] - boxes[-1][2] > 0.35 * (box[3] - box[1]) or abs(box[1] - boxes[-1][1]) > 3.0):
            finish()
        letters.append(letter)
        boxes.append(box)
    finish()
    text.close()
    page.close()
    return Page(width, height, _lines_of(words, number))


def _lines_of(words: list[Word], page: int) -> tuple[Line, ...]:
    """Words put into lines: those whose heights overlap by half."""
    rows: list[list[Word]] = []
    for word in sorted(words, key=lambda word: (word.top + word.bottom, word.left)):
        centre = (word.top + word.bottom) / 2.0
        home = next((row for row in reversed(rows[-4:]) if row[0].top <= centre <= row[0].bottom), None)
        if home is None:
            rows.append([word])
        else:
            home.append(word)
    return tuple(Line(page, tuple(sorted(row, key=lambda word: word.left))) for row in rows)


def sheet_of_text(text: str) -> Sheet:
    """Pasted text as a sheet of one page; tabs and runs of spaces part its columns."""
    lines = []
    for number, row in enumerate(text[:MOST_CHARACTERS].expandtabs(4).splitlines()):
        words = tuple(
            Word(found.group(), found.start() * 0.5, float(number), found.end() * 0.5, number + 1.0)
            for found in re.finditer(r"\S+", row)
        )
        if words:
            lines.append(Line(0, words))
    return Sheet(None, (Page(60.0, len(lines) + 1.0, tuple(lines)),))


@lru_cache(maxsize=6)
def page_picture(path: Path, number: int, width: int) -> tuple[int, int, bytes]:
    """A page drawn `width` pixels wide: width, height and its rows of 32-bit BGRx pixels.

    Raises
    ------
    InputError
        When the file cannot be opened any more.
    """
    with _PDFIUM:
        document = _opened(path)
        try:
            page = document[number]
            bitmap = page.render(scale=width / page.get_width(), prefer_bgrx=True, rev_byteorder=False)
            array = bitmap.to_numpy()
            result = array.shape[1], array.shape[0], array.tobytes()
            page.close()
            return result
        finally:
            document.close()
