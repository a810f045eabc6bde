"""A drawing on a sheet of paper: frame, title block, fitted to the paper's size."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from calm_relay.exchange.shapes import Drawing, Shape, Stroke, Words, moved, scaled

Paper = Literal["A4", "A3", "Letter", "Tabloid"]
# Lying, width by height [mm].
PAPERS: dict[str, tuple[float, float]] = {
    "A4": (297.0, 210.0),
    "A3": (420.0, 297.0),
    "Letter": (279.4, 215.9),
    "Tabloid": (431.8, 279.4),
}
EDGE, BLOCK, STRIP = 8.0, 23.0, 4.5
# A small drawing is not blown up without end.
LARGEST = 1.4


@dataclass(frozen=True)
class TitleBlock:
    """What the block in the lower right says; a field that is empty leaves a line to be filled by hand."""

    job: str
    option: str
    date: str
    drawn_with: str
    drawn_by: str = ""
    checked_by: str = ""
    revision: str = ""
    caution: str = ""


def on_paper(drawing: Drawing, block: TitleBlock, paper: str) -> Drawing:
    """A drawing on a sheet with frame and title block.

    Parameters
    ----------
    drawing : Drawing
        What is drawn; it is made to fit and never blown up by more than `LARGEST`.
    block : TitleBlock
        What the block says.
    paper : str
        One of `PAPERS`.

    Raises
    ------
    ValueError
        For another paper.
    """
    if paper not in PAPERS:
        raise ValueError(f"paper is {paper!r}; wanted one of {', '.join(PAPERS)}")
    width, height = PAPERS[paper]
    room = width - 2 * EDGE - 4.0, height - 2 * EDGE - BLOCK - 4.0
    by = min(room[0] / drawing.width, room[1] / drawing.height, LARGEST)
    dx, dy = EDGE + 2.0 + (room[0] - drawing.width * by) / 2.0, EDGE + 2.0 + (room[1] - drawing.height * by) / 2.0
    shapes = [moved(scaled(shape, by), dx, dy) for shape in drawing.shapes]
    shapes += _frame(width, height)
    shapes += _block(block, width, height)
    parts = {
        key: (left * by + dx, top * by + dy, right * by + dx, bottom * by + dy)
        for key, (left, top, right, bottom) in drawing.parts.items()
    }
    return Drawing(width, height, tuple(shapes), parts, drawing.title)


def _frame(width: float, height: float) -> Iterator[Shape]:
    corners = ((EDGE, EDGE), (width - EDGE, EDGE), (width - EDGE, height - EDGE), (EDGE, height - EDGE))
    yield Stroke(corners, "FRAME", 0.5, closed=True)
    yield Stroke(((EDGE, height - EDGE - BLOCK), (width - EDGE, height - EDGE - BLOCK)), "FRAME", 0.35)


def _block(block: TitleBlock, width: float, height: float) -> Iterator[Shape]:
    top, bottom = height - EDGE - BLOCK, height - EDGE
    inner = width - 2 * EDGE
    shares = ((0.0, 0.36), (0.36, 0.24), (0.60, 0.20), (0.80, 0.20))
    for start, _ in shares[1:]:
        x = EDGE + inner * start
        yield Stroke(((x, top), (x, bottom - STRIP)), "FRAME", 0.25)
    yield Stroke(((EDGE, bottom - STRIP), (width - EDGE, bottom - STRIP)), "FRAME", 0.25)
    cells = (
        (("Job", block.job), ("Option", block.option)),
        (("Drawn with", block.drawn_with), ("Scale", "none")),
        (("Date", block.date), ("Revision", block.revision)),
        (("Drawn by", block.drawn_by), ("Checked by", block.checked_by)),
    )
    for (start, share), rows in zip(shares, cells, strict=True):
        x = EDGE + inner * start + 2.0
        for number, (name, text) in enumerate(rows):
            y = top + 4.0 + number * 8.5
            yield Words(name, (x, y), 2.2, layer="FRAME")
            yield Words(_cut(text, inner * share - 4.0, 3.0), (x, y + 3.9), 3.0, bold=True, layer="FRAME")
    yield Words(_cut(block.caution, inner - 4.0, 2.2), (EDGE + 2.0, bottom - 1.4), 2.2, layer="FRAME")


def _cut(text: str, room: float, size: float) -> str:
    """A text as far as it fits."""
    most = max(int(room / (size * 0.6)), 1)
    return text if len(text) <= most else f"{text[: most - 1]}…"
