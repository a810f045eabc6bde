"""The site plan: roof faces from above to scale, where the equipment stands, and how its cables run."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from math import copysign, cos, radians, sin
from re import sub

from calm_relay.exchange.shapes import Anchor, Circle, Drawing, Layer, Shape, Stroke, Words
from calm_relay.job.quantity import FOOT_M
from calm_relay.job.wiring import Wiring
from calm_relay.planning.architecture.design import Design, DesignContext
from calm_relay.planning.architecture.topology import Node
from calm_relay.planning.site.array import Face
from calm_relay.planning.site.roof_room import room_of, unmeasured_row
from calm_relay.planning.wiring.wiring import WiringPlan

# Millimetres of the sheet for a metre of the site, and the room around it.
PER_M, EDGE = 9.0, 14.0
TEXT, SMALL = 4.2, 3.6
# Between parts that nobody placed [m]: they stand in a row below the house.
APART = 4.0
HALF_M = 0.45
ACROSS = 16
# What is kept free between words and a cable [mm].
CLEAR = 1.0
# How far words are moved for it, and how far from their face they may come to lie [mm].
NEAR, BESIDE = 40.0, 8.0
MARKS = {
    "meter": "M",
    "board": "B",
    "changeover": "C",
    "unit": "~",
    "battery": "+ −",
    "generator": "G",
    "car charger": "=",
}


@dataclass(frozen=True)
class FacePlan:
    """A face from above: its corners from the eaves on, and its middle [m], east and north of the middle of the house.

    `measured` says whether its rectangle was; else it is as large as its modules.
    """

    name: str
    middle: tuple[float, float]
    corners: tuple[tuple[float, float], ...]
    modules: tuple[tuple[tuple[float, float], ...], ...]
    measured: bool
    is_new: bool


def _turned(x: float, y: float, azimuth: float) -> tuple[float, float]:
    """A point of a face, x along the eaves and y down the slope [m], as east and north of its middle."""
    angle = radians(azimuth)
    # Down the slope is where the face looks.
    return (-x * cos(angle) + y * sin(angle), x * sin(angle) + y * cos(angle))


def face_plan(face: Face, middle: tuple[float, float]) -> FacePlan:
    """A face from above.

    Parameters
    ----------
    face : Face
        The face.
    middle : tuple of float
        Where its middle lies, east and north of the middle of the house [m].
    """
    module, plan = face.module, face.plan
    room = room_of(face)
    flat = max(cos(radians(plan.tilt)), 0.08)
    if plan.rectangle is not None and room is not None:
        width, height = plan.rectangle.width_m, plan.rectangle.height_m
        across, upright = max(room.columns, 1), room.upright
    else:
        across, upright = unmeasured_row(plan), True
        rows = -(-plan.count // across)
        width, height = across * (module.width_mm / 1000.0 + 0.02), rows * (module.length_mm / 1000.0 + 0.02)
    long_m, short_m = module.length_mm / 1000.0, module.width_mm / 1000.0
    wide, high = (short_m, long_m) if upright else (long_m, short_m)

    def at(x: float, y: float) -> tuple[float, float]:
        east, north = _turned(x, y * flat, plan.azimuth)
        return middle[0] + east, middle[1] + north

    corners = tuple(
        at(x, y)
        for x, y in (
            (-width / 2, height / 2),
            (width / 2, height / 2),
            (width / 2, -height / 2),
            (-width / 2, -height / 2),
        )
    )
    rows = -(-plan.count // across)
    left, top = -min(plan.count, across) * (wide + 0.02) / 2.0, -rows * (high + 0.02) / 2.0
    modules = []
    for number in range(plan.count):
        row, column = divmod(number, across)
        x, y = left + column * (wide + 0.02), top + row * (high + 0.02)
        modules.append((at(x, y), at(x + wide, y), at(x + wide, y + high), at(x, y + high)))
    return FacePlan(plan.name, middle, corners, tuple(modules), plan.rectangle is not None, plan.fate == "new")


def _box(corners: tuple[tuple[float, float], ...]) -> tuple[float, float, float, float]:
    """West, south, east and north end of some points [m]."""
    return (
        min(x for x, _ in corners),
        min(y for _, y in corners),
        max(x for x, _ in corners),
        max(y for _, y in corners),
    )


def _meet(one: tuple[float, float, float, float], other: tuple[float, float, float, float]) -> bool:
    return min(one[2], other[2]) > max(one[0], other[0]) and min(one[3], other[3]) > max(one[1], other[1])


def _wider(box: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """A box with room around it [mm]."""
    return box[0] - CLEAR, box[1] - CLEAR, box[2] + CLEAR, box[3] + CLEAR


def _moves(
    words: list[Words],
    boxes: list[tuple[float, float, float, float]],
    own: tuple[float, float, float, float],
) -> list[tuple[float, float]]:
    """By how much words may be moved to lie beside what is near them, at their face [mm]; the shortest way first."""
    left, right = min(item.box[0] for item in words), max(item.box[2] for item in words)
    top, bottom = min(item.box[1] for item in words), max(item.box[3] for item in words)
    field = left - NEAR, own[1] - NEAR, right + NEAR, bottom + NEAR
    near = [box for box in boxes if _meet(field, _wider(box))]
    room = 1.1 * CLEAR
    aside = {0.0, *(box[0] - room - right for box in near), *(box[2] + room - left for box in near)}
    # Below, or over the edge that lies across from the eaves.
    down = {0.0, *(box[3] + room - top for box in near if box[3] + room > top), own[1] - 2.0 * room - bottom}

    def apart(dx: float, dy: float) -> float:
        """How far the words then lie from their face."""
        return max(left + dx - own[2], own[0] - right - dx, top + dy - own[3], own[1] - bottom - dy)

    moves = ((dx, dy) for dx in aside for dy in down)
    return sorted((move for move in moves if apart(*move) <= BESIDE), key=lambda move: abs(move[0]) + abs(move[1]))


def default_places(faces: tuple[Face, ...], nodes: tuple[Node, ...]) -> dict[str, tuple[float, float]]:
    """Where faces and parts stand while nobody placed them: each face where it looks, parts in a row below."""
    places: dict[str, tuple[float, float]] = {}
    taken: list[tuple[float, float, float, float]] = []
    lowest = 0.0
    for face in faces:
        out = 0.0
        while True:
            # Outwards, the way it looks, until it lies on no other.
            middle = _turned(0.0, out, face.plan.azimuth)
            box = _box(face_plan(face, middle).corners)
            if not any(_meet(box, other) for other in taken):
                break
            out += 0.5
        taken.append(box)
        places[f"face {face.plan.name}"] = (round(middle[0], 2), round(middle[1], 2))
        lowest = min(lowest, box[1])
    shown = [node for node in nodes if node.kind in MARKS]
    for number, node in enumerate(shown):
        places[node.key] = ((number - (len(shown) - 1) / 2.0) * APART, round(lowest - 3.4, 2))
    return places


def places_of(
    plan: WiringPlan, design: Design, context: DesignContext, stated: Wiring
) -> dict[str, tuple[float, float]]:
    """Where faces ("face " and the name) and parts stand, east and north of the middle of the house [m]."""
    places = default_places(_faces(design, context), plan.topology.nodes)
    return places | {place.key: (place.east_m, place.north_m) for place in stated.places if place.key in places}


def _faces(design: Design, context: DesignContext) -> tuple[Face, ...]:
    laid = {face.plan.name for unit in design.converters for face in unit.faces}
    return tuple(face for face in context.faces if face.plan.name in laid)


def site_plan(
    plan: WiringPlan, design: Design, context: DesignContext, stated: Wiring, title: str = ""
) -> Drawing:
    """Draws the site from above, north up.

    Parameters
    ----------
    plan : WiringPlan
        Parts and cables.
    design : Design
        What is built.
    context : DesignContext
        Its faces.
    stated : Wiring
        Places that were stated by hand.
    title : str
        What stands above it.

    Returns
    -------
    Drawing
        In millimetres; `parts` are nodes and faces ("face " and the name) by their keys.
    """
    places = places_of(plan, design, context, stated)
    return _Site(plan, _faces(design, context), places).drawn(title)


class _Site:
    """Puts the site plan together."""

    def __init__(self, plan: WiringPlan, faces: tuple[Face, ...], places: dict[str, tuple[float, float]]) -> None:
        self.plan, self.places = plan, places
        self.faces = tuple(face_plan(face, places[f"face {face.plan.name}"]) for face in faces)
        points = [point for face in self.faces for point in face.corners] + list(places.values())
        self.left = min(x for x, _ in points) - 2.0
        self.top = max(y for _, y in points) + 1.2
        self.width = (max(x for x, _ in points) + 2.0 - self.left) * PER_M
        self.height = (self.top - min(y for _, y in points) + 3.4) * PER_M
        self.parts: dict[str, tuple[float, float, float, float]] = {}
        self.written: list[tuple[float, float, float, float]] = []

    def at(self, point: tuple[float, float]) -> tuple[float, float]:
        """A point of the site on the sheet [mm]."""
        return EDGE + (point[0] - self.left) * PER_M, EDGE + (self.top - point[1]) * PER_M

    def drawn(self, title: str) -> Drawing:
        shapes: list[Shape] = []
        cables = list(self._cables())
        for face in self.faces:
            shapes += self._face(face)
        for face in self.faces:
            words = self._words(face, cables)
            self.written += [item.box for item in words]
            shapes += words
        shapes += cables
        for node in self.plan.topology.nodes:
            if node.key in self.places:
                shapes += self._node(node)
        width, height = max(self.width + 2 * EDGE, 120.0), self.height + 2 * EDGE
        shapes += self._scale(width, height)
        if title:
            shapes.append(Words(title, (EDGE, 8.0), 3.4, bold=True))
        return Drawing(width, height, tuple(shapes), self.parts, title, frozenset(self.places))

    def _face(self, face: FacePlan) -> Iterator[Shape]:
        key = f"face {face.name}"
        corners = tuple(self.at(point) for point in face.corners)
        yield Stroke(corners, "PARTS", 0.4, dashed=not face.measured, closed=True, part=key)
        # The eaves are the edge that water leaves by: drawn double.
        yield Stroke(corners[:2], "PARTS", 0.9, part=key)
        for module in face.modules:
            yield Stroke(
                tuple(self.at(p) for p in module), "DC", 0.18, dashed=not face.is_new, closed=True, part=key
            )
        xs, ys = [x for x, _ in corners], [y for _, y in corners]
        self.parts[key] = (min(xs), min(ys), max(xs), max(ys))

    def _words(self, face: FacePlan, cables: list[Stroke]) -> list[Words]:
        """A face's name and what lies on it, outside its eaves, where no cable runs through them if there is room."""
        key, corners = f"face {face.name}", tuple(self.at(point) for point in face.corners)
        (x0, y0), (x1, y1) = corners[:2]
        mx, my = self.at(face.middle)
        # Outside the eaves, where no module lies.
        ex, ey = (x0 + x1) / 2.0, (y0 + y1) / 2.0
        far = max(((ex - mx) ** 2 + (ey - my) ** 2) ** 0.5, 1.0)
        dx, dy = (ex - mx) / far, (ey - my) / far
        anchor: Anchor = "start" if dx > 0.5 else "end" if dx < -0.5 else "middle"
        x, y = ex + 2.5 * dx, ey + 4.0 * dy + (1.5 if abs(dy) < 0.5 else 0.0) - (5.2 if dy < -0.5 else 0.0)
        count = f"{len(face.modules)} modules" + ("" if face.measured else ", size not measured")
        if anchor == "middle":
            # Eaves that lean come nearer to one end of the words than to their middle.
            widest = max(Words(face.name, (x, y), TEXT, bold=True).width, Words(count, (x, y), SMALL).width)
            half = min(widest, abs(x1 - x0)) / 2.0
            y += copysign(half * abs(y1 - y0) / max(abs(x1 - x0), 1e-9), dy)
        words = [
            Words(text, (x, y + number * 4.8), size, anchor, not number, part=key)
            for number, (text, size) in enumerate(((face.name, TEXT), (count, SMALL)))
        ]
        lean = (y1 - y0) / (x1 - x0) if anchor == "middle" and abs(x1 - x0) > 1e-9 else 0.0
        others = [box for other, box in self.parts.items() if other != key] + self.written
        boxes = [_box(stretch) for cable in cables for stretch in pairwise(cable.points)]
        for dx, dy in _moves(words, boxes + others, self.parts[key]):
            moved = [replace(item, at=(item.at[0] + dx, item.at[1] + dy + lean * dx)) for item in words]
            if not any(_meet(item.box, _wider(box)) for item in moved for box in (*boxes, *others)):
                return moved
        return words

    def _node(self, node: Node) -> Iterator[Shape]:
        x, y = self.at(self.places[node.key])
        half = HALF_M * PER_M
        box = ((x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half))
        yield Stroke(box, "PARTS", 0.4, dashed=node.status == "there", closed=True, part=node.key)
        yield Words(MARKS[node.kind], (x, y + 1.0), TEXT, "middle", layer="PARTS", part=node.key)
        self.parts[node.key] = (x - half, y - half, x + half, y + half)
        for number, line in enumerate(_lines(node.title)):
            yield Words(line, (x, y + half + 4.6 + 4.4 * number), SMALL, "middle", part=node.key)

    def _cables(self) -> Iterator[Stroke]:
        """Cables from part to part, and from each face to the unit that its strings are on."""
        for edge in self.plan.topology.power_edges:
            ends: list[tuple[str, str]] = []
            if edge.start in self.places and edge.end in self.places:
                ends = [(edge.start, edge.end)]
            elif edge.kind in ("string", "branch"):
                start = edge.start
                title = self.plan.topology.node(edge.end).title
                ends = [(start, f"face {name}") for name in title.split(", ") if f"face {name}" in self.places]
                ends = ends or [
                    (start, key) for key in self.places if key.startswith("face ") and key[5:] in title
                ]
            elif edge.kind == "battery" and edge.start in self.places:
                ends = [(edge.start, f"battery of {edge.start}")]
            for start, end in ends:
                if start in self.places and end in self.places:
                    yield from self._run(edge.key, start, end, "DC" if edge.circuit == "dc" else "AC", edge.status)

    def _run(self, key: str, start: str, end: str, layer: Layer, status: str) -> Iterator[Stroke]:
        half = HALF_M * PER_M
        (x0, y0), (x1, y1) = self.at(self.places[start]), self.at(self.places[end])
        # Cables follow walls: up from each part, then across; to a face straight to its middle.
        y0 -= half
        if not end.startswith("face "):
            y1 -= half
            lane = min(y0, y1) - 5.0 - (2.0 if layer == "DC" else 0.0)
        else:
            lane = (y0 + y1) / 2.0
        path = ((x0, y0), (x0, lane), (x1, lane), (x1, y1))
        yield Stroke(path, layer, 0.35, dashed=status == "there", part=key)

    def _scale(self, width: float, height: float) -> Iterator[Shape]:
        x, y = EDGE, height - 7.0
        metres = 20.0 * FOOT_M if self.plan.tables.in_feet else 5.0
        yield Stroke(((x, y - 1.0), (x, y), (x + metres * PER_M, y), (x + metres * PER_M, y - 1.0)), "FRAME", 0.4)
        said = f"{self.plan.tables.length_words(metres)}; dashed: there today, or not measured"
        yield Words(said, (x + metres * PER_M + 3.0, y + 1.0), SMALL)
        cx, cy = width - EDGE + 3.0, EDGE
        yield Circle((cx, cy), 4.2, "FRAME", 0.25)
        yield Stroke(((cx, cy + 3.4), (cx, cy - 3.4)), "FRAME", 0.4)
        yield Stroke(((cx - 1.4, cy - 1.2), (cx, cy - 3.4), (cx + 1.4, cy - 1.2)), "FRAME", 0.4)
        yield Words("N", (cx, cy - 5.0), TEXT, "middle", bold=True, layer="FRAME")


def _lines(text: str) -> list[str]:
    """A name in at most three lines, of which none ends between a number and its volts."""
    lines: list[str] = []
    for word in sub(r"(\d) V\b", "\\1\u00a0V", text).split(" "):
        if lines and len(lines[-1]) + 1 + len(word) <= ACROSS:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return [line.replace("\u00a0", " ") for line in lines[:3]]
