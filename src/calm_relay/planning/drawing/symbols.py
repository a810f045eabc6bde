"""Symbols of parts, drawn by ourselves after IEC 60617, or after IEEE 315 where the region uses those."""

from collections.abc import Callable, Iterator

from calm_relay.exchange.shapes import Circle, Layer, Shape, Stroke, Words

# Half the side of a part's box [mm].
HALF = 6.0
PEN = 0.35
LINE: dict[str, Layer] = {"dc": "DC"}


def _box(x: float, y: float, half: float = HALF, **more: object) -> Stroke:
    corners = ((x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half))
    return Stroke(corners, "PARTS", PEN, closed=True, **more)  # type: ignore[arg-type]


def _wave(x: float, y: float, width: float) -> Iterator[Shape]:
    """One period of alternating current."""
    r = width / 4.0
    yield Circle((x - r, y), r, "PARTS", start=0.0, end=180.0)
    yield Circle((x + r, y), r, "PARTS", start=180.0, end=360.0)


def _direct(x: float, y: float, width: float) -> Iterator[Shape]:
    """A line, and a broken line below it: direct current."""
    half = width / 2.0
    yield Stroke(((x - half, y - 0.6), (x + half, y - 0.6)), "PARTS")
    for left in (-half, -half / 3.0 + 0.1, half / 3.0 + 0.2):
        yield Stroke(((x + left, y + 0.6), (x + left + width / 4.0, y + 0.6)), "PARTS")


def unit(x: float, y: float, *, dashed: bool, dc: bool = True) -> Iterator[Shape]:
    """An inverter: alternating current on the side of the grid, direct current on the other."""
    yield _box(x, y, dashed=dashed)
    yield Stroke(((x - HALF, y + HALF), (x + HALF, y - HALF)), "PARTS", 0.25, dashed)
    yield from _wave(x - HALF / 2.2, y - HALF / 2.2, 3.6)
    if dc:
        yield from _direct(x + HALF / 2.2, y + HALF / 2.2, 4.0)


def battery(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """Cells: long and short plates."""
    yield _box(x, y, dashed=dashed)
    yield Stroke(((x - HALF, y), (x - 2.4, y)), "PARTS")
    for number, at in enumerate((-2.4, -1.2, 1.2, 2.4)):
        tall = 3.4 if number % 2 == 0 else 1.7
        yield Stroke(((x + at, y - tall), (x + at, y + tall)), "PARTS", PEN if number % 2 == 0 else 0.7)
    yield Stroke(((x - 1.2, y), (x - 0.4, y)), "PARTS")
    yield Stroke(((x + 0.4, y), (x + 1.2, y)), "PARTS")
    yield Stroke(((x + 2.4, y), (x + 4.4, y)), "PARTS")


def array(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """Modules: a box with the light's two arrows."""
    yield Stroke(
        ((x - HALF, y - 4.0), (x + HALF, y - 4.0), (x + HALF, y + 4.0), (x - HALF, y + 4.0)),
        "PARTS", PEN, dashed, closed=True,
    )  # fmt: skip
    yield Stroke(((x - HALF, y - 4.0), (x - HALF + 3.4, y), (x - HALF, y + 4.0)), "PARTS")
    for dx in (0.6, 3.0):
        tip = (x + dx, y - 0.4)
        yield Stroke(((x + dx + 2.6, y - 3.0), tip), "PARTS", 0.2)
        yield Stroke(((tip[0] + 1.5, tip[1] - 0.2), tip, (tip[0] + 0.2, tip[1] - 1.5)), "PARTS", 0.2)


def meter(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """A meter of energy: it counts kWh."""
    yield _box(x, y, dashed=dashed)
    yield Stroke(((x - HALF, y - 2.4), (x + HALF, y - 2.4)), "PARTS")
    yield Words("kWh", (x, y + 2.6), 2.8, "middle", layer="PARTS")


def grid(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """The network: a source of alternating current that is not ours."""
    yield Circle((x, y), HALF, "PARTS", PEN, dashed)
    yield from _wave(x, y, 6.0)


def generator(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """A rotating machine that gives."""
    yield Circle((x, y), HALF, "PARTS", PEN, dashed)
    yield Words("G", (x, y - 0.2), 4.0, "middle", layer="PARTS")
    yield from _wave(x, y + 2.8, 3.6)


def car_charger(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """A socket with two large contacts that gives direct current."""
    yield _box(x, y, dashed=dashed)
    for dx in (-2.1, 2.1):
        yield Circle((x + dx, y - 1.2), 1.3, "PARTS", PEN)
    yield from _direct(x, y + 3.2, 4.0)


def changeover(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """A switch between two sources: one contact, two that it can lie on."""
    yield _box(x, y, dashed=dashed)
    yield Stroke(((x - HALF, y), (x - 2.6, y)), "PARTS")
    yield Circle((x - 2.2, y), 0.4, "PARTS", filled=True)
    yield Stroke(((x - 2.2, y), (x + 2.4, y - 2.6)), "PARTS", PEN)
    for dy in (-2.6, 2.6):
        yield Circle((x + 2.4, y + dy), 0.4, "PARTS")
        yield Stroke(((x + 2.8, y + dy), (x + HALF, y + dy)), "PARTS")


def busbar(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """A common bar of packs."""
    yield Stroke(((x, y - HALF), (x, y + HALF)), "PARTS", 1.0, dashed)


def earth(x: float, y: float, *, dashed: bool) -> Iterator[Shape]:
    """Earth: three lines, each shorter."""
    for number, half in enumerate((2.6, 1.7, 0.8)):
        yield Stroke(((x - half, y + number * 1.1), (x + half, y + number * 1.1)), "EARTH", PEN)


def breaker(x: float, y: float, layer: Layer, *, american: bool) -> Iterator[Shape]:
    """A breaker in a horizontal line, 6 mm long: a contact that opens by itself."""
    if american:
        yield Circle((x, y + 1.2), 3.0, "PROTECTION", PEN, start=35.0, end=145.0)
        for dx in (-2.8, 2.8):
            yield Circle((x + dx, y), 0.35, "PROTECTION", filled=True)
        return
    yield Stroke(((x - 3.0, y), (x - 1.8, y)), layer)
    yield Stroke(((x - 1.8, y), (x + 1.6, y - 2.0)), "PROTECTION", PEN)
    for sign in (-1.0, 1.0):
        yield Stroke(((x + 1.1, y - 0.7 * sign), (x + 2.5, y + 0.7 * sign)), "PROTECTION")
    yield Stroke(((x + 1.8, y), (x + 3.0, y)), layer)


def fuse(x: float, y: float, layer: Layer, *, american: bool) -> Iterator[Shape]:
    """A fuse in a horizontal line, 6 mm long."""
    if american:
        yield Circle((x - 1.5, y), 1.5, "PROTECTION", PEN, start=0.0, end=180.0)
        yield Circle((x + 1.5, y), 1.5, "PROTECTION", PEN, start=180.0, end=360.0)
        return
    yield Stroke(((x - 3.0, y), (x + 3.0, y)), layer)
    yield Stroke(
        ((x - 2.4, y - 0.9), (x + 2.4, y - 0.9), (x + 2.4, y + 0.9), (x - 2.4, y + 0.9)), "PROTECTION", PEN,
        closed=True,
    )  # fmt: skip


def isolator(x: float, y: float, layer: Layer, *, american: bool) -> Iterator[Shape]:
    """A switch that isolates, in a horizontal line, 6 mm long."""
    yield Stroke(((x - 3.0, y), (x - 1.8, y)), layer)
    yield Stroke(((x - 1.8, y), (x + 1.6, y - 2.0)), "PROTECTION", PEN)
    if not american:
        yield Stroke(((x + 1.8, y - 1.0), (x + 1.8, y + 1.0)), "PROTECTION", PEN)
    yield Stroke(((x + 1.8, y), (x + 3.0, y)), layer)


def current_transformer(x: float, y: float, *, towards_left: bool) -> Iterator[Shape]:
    """A ring on a horizontal line, with the arrow that is on its body."""
    yield Circle((x, y), 1.8, "PROTECTION", PEN)
    sign = -1.0 if towards_left else 1.0
    tip = (x + 2.4 * sign, y - 3.0)
    yield Stroke(((x - 2.4 * sign, y - 3.0), tip), "PROTECTION")
    yield Stroke(((tip[0] - 1.1 * sign, tip[1] - 0.7), tip, (tip[0] - 1.1 * sign, tip[1] + 0.7)), "PROTECTION")


PARTS: dict[str, Callable[..., Iterator[Shape]]] = {
    "unit": unit,
    "branch": unit,
    "battery": battery,
    "battery bus": busbar,
    "array": array,
    "meter": meter,
    "grid": grid,
    "generator": generator,
    "car charger": car_charger,
    "changeover": changeover,
    "earth": earth,
}
