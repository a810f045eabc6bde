"""What a drawing is made of: strokes, circles and words in millimetres from the upper left corner."""

from dataclasses import dataclass, field, replace
from typing import Literal

Point = tuple[float, float]
Layer = Literal["AC", "DC", "DATA", "EARTH", "PROTECTION", "PARTS", "WORDS", "FRAME"]
LAYERS: tuple[Layer, ...] = ("AC", "DC", "DATA", "EARTH", "PROTECTION", "PARTS", "WORDS", "FRAME")
Anchor = Literal["start", "middle", "end"]
# Mean width of a character over the size of the text, and of a capital or digit: measured on the shipped font.
WIDTH, BOLD_WIDTH = 0.56, 0.6


@dataclass(frozen=True)
class Stroke:
    """Points joined by straight lines; `dashed` says that what it stands for is there already."""

    points: tuple[Point, ...]
    layer: Layer
    width: float = 0.25
    dashed: bool = False
    closed: bool = False
    filled: bool = False
    part: str = ""


@dataclass(frozen=True)
class Circle:
    """A circle, or the arc of one from `start` to `end` in degrees, anticlockwise from the right."""

    centre: Point
    radius: float
    layer: Layer
    width: float = 0.25
    dashed: bool = False
    filled: bool = False
    start: float = 0.0
    end: float = 360.0
    part: str = ""

    @property
    def is_arc(self) -> bool:
        """Whether it is less than a whole circle."""
        return self.end - self.start < 360.0


@dataclass(frozen=True)
class Words:
    """One line of text; `at` is on its baseline."""

    text: str
    at: Point
    size: float = 2.4
    anchor: Anchor = "start"
    bold: bool = False
    layer: Layer = "WORDS"
    part: str = ""
    label: str = ""

    @property
    def width(self) -> float:
        """About how wide it is [mm]."""
        return len(self.text) * self.size * (BOLD_WIDTH if self.bold else WIDTH)

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom [mm]."""
        x, y = self.at
        left = x - {"start": 0.0, "middle": 0.5, "end": 1.0}[self.anchor] * self.width
        return left, y - 0.8 * self.size, left + self.width, y + 0.25 * self.size


Shape = Stroke | Circle | Words


@dataclass(frozen=True)
class Drawing:
    """Shapes on a sheet of a size [mm]; `parts` are the boxes of what can be pointed at, by key; some can be moved."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    parts: dict[str, tuple[float, float, float, float]] = field(default_factory=dict)
    title: str = ""
    movable: frozenset[str] = frozenset()

    def part_at(self, x: float, y: float) -> str:
        """The key of the smallest part at a point; empty where there is none."""
        best, area = "", float("inf")
        for key, (left, top, right, bottom) in self.parts.items():
            if left <= x <= right and top <= y <= bottom and (right - left) * (bottom - top) < area:
                best, area = key, (right - left) * (bottom - top)
        return best

    def part_of_words(self, x: float, y: float) -> str:
        """The part that the words at a point speak of; empty where there are none."""
        for shape in self.shapes:
            if isinstance(shape, Words) and shape.part:
                left, top, right, bottom = shape.box
                if left <= x <= right and top <= y <= bottom:
                    return shape.part
        return ""

    def label_at(self, x: float, y: float) -> str:
        """The key of the words at a point that can be moved; empty where there are none."""
        for shape in self.shapes:
            if isinstance(shape, Words) and shape.label:
                left, top, right, bottom = shape.box
                if left <= x <= right and top <= y <= bottom:
                    return shape.label
        return ""


def moved(shape: Shape, dx: float, dy: float) -> Shape:
    """A shape at another place."""
    if isinstance(shape, Stroke):
        return replace(shape, points=tuple((x + dx, y + dy) for x, y in shape.points))
    if isinstance(shape, Circle):
        return replace(shape, centre=(shape.centre[0] + dx, shape.centre[1] + dy))
    return replace(shape, at=(shape.at[0] + dx, shape.at[1] + dy))


def scaled(shape: Shape, by: float) -> Shape:
    """A shape larger or smaller, measured from the corner; lines keep their width."""
    if isinstance(shape, Stroke):
        return replace(shape, points=tuple((x * by, y * by) for x, y in shape.points))
    if isinstance(shape, Circle):
        return replace(shape, centre=(shape.centre[0] * by, shape.centre[1] * by), radius=shape.radius * by)
    return replace(shape, at=(shape.at[0] * by, shape.at[1] * by), size=shape.size * by)
