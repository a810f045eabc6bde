"""The single-line diagram: the topology as a tree from the grid, laid out by itself, with sizes and ratings."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from calm_relay.exchange.shapes import Anchor, Drawing, Layer, Shape, Stroke, Words, moved
from calm_relay.job.wiring import Wiring
from calm_relay.planning.architecture.topology import EARTH, Edge, Node
from calm_relay.planning.drawing.symbols import HALF, PARTS, breaker, current_transformer, fuse, isolator
from calm_relay.planning.wiring.cable import Cable, size_words
from calm_relay.planning.wiring.protection import FUSE, STRING_FUSE
from calm_relay.planning.wiring.wiring import WiringPlan

ROW = 36.0
LEFT, TOP = 16.0, 15.0
TEXT, SMALL = 3.3, 3.0
# A line of words, from one baseline to the next.
LEADING = 3.9
# Room of a cable: what leads to its device, the device, and what is left before the part it ends at.
BEFORE, DEVICE, AFTER = 3.0, 8.5, 3.0
NARROWEST = 15.0
# Between a rating and a line beside it.
CLEAR = 1.0
# Room of a current transformer on a cable.
RING = 8.6
# A signal beside a cable: right of a part and below its middle, and above or below the cable's words.
BESIDE, LOW, ABOVE = 1.6, 4.5, 5.1
# The earth of a frame or a cabinet, right of the part.
EARTH_AT = 3.4
# Characters of a part's name in a line below it.
ACROSS = 16
LINES = 3


@dataclass(frozen=True)
class _Place:
    """Where a part stands: the middle of its symbol, and the rows that hang behind it."""

    x: float
    y: float
    rows: tuple[float, ...]


@dataclass(frozen=True)
class _Row:
    """How deep a part stands behind the grid, its height, and the heights of what hangs behind it [mm]."""

    depth: int
    y: float
    behind: tuple[float, ...]


def single_line(plan: WiringPlan, stated: Wiring, title: str = "") -> Drawing:
    """Draws a design's parts and cables from the grid on the left to modules and batteries on the right.

    Parameters
    ----------
    plan : WiringPlan
        Topology, cables and protection.
    stated : Wiring
        The job's routes; labels that were moved by hand stay where they were put.
    title : str
        What stands above it.

    Returns
    -------
    Drawing
        Shapes in millimetres; `parts` are nodes and cables by their keys.
    """
    return _Sheet(plan, stated).drawn(title)


class _Sheet:
    """Puts the diagram together."""

    def __init__(self, plan: WiringPlan, stated: Wiring) -> None:
        self.plan, self.topology = plan, plan.topology
        self.american = plan.tables.symbols == "IEEE 315"
        self.shifts = {label.key: (label.dx, label.dy) for label in stated.labels}
        self.places: dict[str, _Place] = {}
        self.parts: dict[str, tuple[float, float, float, float]] = {}
        self._next_row = 0

    def drawn(self, title: str) -> Drawing:
        ends = {edge.end for edge in self.topology.power_edges}
        roots = [node for node in self.topology.nodes if node.key not in ends and node.kind != "earth"]
        self._rows: dict[str, _Row] = {}
        for root in roots:
            self._settle(root.key, 0)
        self._spread()
        shapes: list[Shape] = []
        for edge in self.topology.power_edges:
            shapes += self._cable(edge)
        for node in self.topology.nodes:
            shapes += self._part(node)
        shapes += self._transformers()
        for edge in self.topology.edges:
            if edge.kind == "data":
                shapes += self._data(edge)
        shapes += self._earth()
        bottom = TOP + self._next_row * ROW + 4.0
        legend = list(self._legend(bottom))
        shapes += legend
        right = max(self.right, *(shape.box[2] + 3.0 for shape in legend if isinstance(shape, Words)))
        if title:
            shapes.append(Words(title, (LEFT - HALF, 7.0), 3.4, bold=True))
        return Drawing(right, bottom + 9.0, tuple(shapes), self.parts, title)

    def _spread(self) -> None:
        """Columns so far apart that neither the words of cables nor those of parts meet."""
        depth = max(row.depth for row in self._rows.values())
        cables, left, right = [NARROWEST] * (depth + 1), [0.0] * (depth + 1), [0.0] * (depth + 1)
        for edge in self.topology.power_edges:
            at = self._rows[edge.end].depth
            cables[at] = max(cables[at], self._room_of(edge))
        for key, row in self._rows.items():
            reach = self._reach(self.topology.node(key), row)
            earthed = self._earth_reach(key)
            left[row.depth], right[row.depth] = (
                max(left[row.depth], reach[0]),
                max(right[row.depth], *reach[1:], earthed),
            )
        columns = [max(LEFT, left[0] + 2.0)]
        for at in range(1, depth + 1):
            apart = max(cables[at] + 2.0 * HALF, right[at - 1] + left[at] + 2.0)
            columns.append(columns[-1] + apart)
        self.right = columns[-1] + max(right[-1], HALF) + 4.0
        for key, row in self._rows.items():
            self.places[key] = _Place(columns[row.depth], row.y, row.behind)

    def _room_of(self, edge: Edge) -> float:
        """How wide a cable must be for its device and its words [mm]."""
        words = self._words_of(edge)
        if not words:
            return NARROWEST
        longest = Words(words[0], (0.0, 0.0), SMALL).width
        if len(words) > 1:
            longest = max(longest, self._rating_reach(edge) + Words(words[1], (0.0, 0.0), SMALL).width)
        return BEFORE + DEVICE + self._rings(edge) + longest + AFTER

    def _reach(self, node: Node, row: "_Row") -> tuple[float, float]:
        """How far the words below a part reach to its left and right [mm]."""
        lines = self._lines_of(node)
        widest = max(
            (Words(text, (0.0, 0.0), TEXT if not n else SMALL, bold=not n).width for n, text in enumerate(lines)),
            default=0.0,
        )
        if node.kind in ("board", "battery bus"):
            return 0.0, widest + 1.6
        if self._leaves_down(node.key, row.y, row.behind):
            return widest - HALF - 1.0, HALF + 1.0
        return widest / 2.0, widest / 2.0

    def _lines_of(self, node: Node) -> list[str]:
        """Name and detail of a part, in lines."""
        if node.kind in ("board", "battery bus"):
            return [node.title, *([node.detail] if node.detail else [])]
        title = node.title
        if node.kind == "unit" and node.count > 1 and "×" not in title:
            title = f"{node.count} × {title}"
        return [*_wrapped(title), *_wrapped(node.detail)]

    def _rings(self, edge: Edge) -> float:
        """Room of the current transformers on a cable [mm]."""
        return RING * sum(item.edge == edge.key for item in self.topology.transformers)

    def _rating_half(self, edge: Edge) -> float:
        """Half as wide as the rating below a device is [mm]; 0 where there is none."""
        device = self.plan.cable(edge.key).device
        return 0.0 if device is None else Words(f"{device.amps:g} A", (0.0, 0.0), SMALL).width / 2.0

    def _rating_shift(self, edge: Edge) -> float:
        """How far right of its device a rating stands, clear of what leads down to other parts [mm]."""
        before = DEVICE / 2.0 + (BEFORE if self._is_bar(edge.start) else 0.0)
        return max(self._rating_half(edge) + CLEAR - before, 0.0)

    def _rating_reach(self, edge: Edge) -> float:
        """How far the rating below a device reaches past the device [mm]."""
        half = self._rating_half(edge)
        return max(half + self._rating_shift(edge) - DEVICE / 2.0 + 2.0, 0.0) if half else 0.0

    def _words_of(self, edge: Edge) -> tuple[str, ...]:
        """Size above a cable and length below it; of one that is there and was not seen, that."""
        if edge.kind == "service":
            return ()
        cable = self.plan.cable(edge.key)
        if cable.is_there:
            return ("not seen",)
        runs = f"{edge.runs} × " if edge.runs > 1 else ""
        about = "≈ " if "length_m" in cable.laid.assumed else ""
        length = f"{about}{self.plan.tables.length_words(cable.laid.length_m)}"
        return f"{runs}{cable.words}{' !' if cable.missed else ''}", length

    def _settle(self, key: str, depth: int) -> float:
        """Gives a part and all behind it their rows; returns its height on the sheet [mm]."""
        behind = self.topology.children(key)
        if not behind:
            y = TOP + HALF + self._next_row * ROW
            self._next_row += 1
            self._rows[key] = _Row(depth, y, ())
            return y
        rows = tuple(self._settle(edge.end, depth + 1) for edge in behind)
        # What stands closest to the middle gets the straight line.
        y = rows[(len(rows) - 1) // 2]
        self._rows[key] = _Row(depth, y, rows)
        return y

    def _layer(self, edge: Edge) -> Layer:
        return "DC" if edge.circuit == "dc" else "AC"

    def _cable(self, edge: Edge) -> Iterator[Shape]:
        start, end = self.places[edge.start], self.places[edge.end]
        layer, dashed = self._layer(edge), edge.status == "there"
        leaves = start.x + (0.0 if self._is_bar(edge.start) else HALF)
        arrives = end.x - (0.0 if self._is_bar(edge.end) else HALF)
        elbow = leaves if self._is_bar(edge.start) else start.x + HALF + BEFORE
        cable = self.plan.cable(edge.key) if edge.kind != "service" else None
        device_x = elbow + (DEVICE / 2.0 if not self._is_bar(edge.start) else BEFORE + DEVICE / 2.0)
        drawn_device = bool(cable is not None and (cable.device is not None or edge.kind == "string"))
        pen = {"layer": layer, "width": 0.5 if not dashed else 0.3, "dashed": dashed, "part": edge.key}
        before = ((leaves, start.y), (elbow, start.y), (elbow, end.y)) if elbow != leaves else ((elbow, end.y),)
        if drawn_device:
            yield Stroke((*before, (device_x - 3.0, end.y)), **pen)  # type: ignore[arg-type]
            yield Stroke(((device_x + 3.0, end.y), (arrives, end.y)), **pen)  # type: ignore[arg-type]
            yield from self._device(cable, device_x, end.y, layer)
        else:
            yield Stroke((*before, (arrives, end.y)), **pen)  # type: ignore[arg-type]
        self.parts[edge.key] = (elbow, end.y - 4.5, arrives, end.y + 3.5)
        if cable is not None:
            yield from self._cable_words(edge, cable, device_x, arrives, end.y)

    def _device(self, cable: Cable | None, x: float, y: float, layer: Layer) -> Iterator[Shape]:
        if cable is None:
            return
        if cable.device is None:
            yield from isolator(x, y, layer, american=self.american)
        elif cable.device_kind in (FUSE, STRING_FUSE):
            yield from fuse(x, y, layer, american=self.american)
        else:
            yield from breaker(x, y, layer, american=self.american)

    def _cable_words(self, edge: Edge, cable: Cable, device_x: float, arrives: float, y: float) -> Iterator[Shape]:
        if cable.device is not None:
            middle = device_x + self._rating_shift(edge)
            yield from self._label(
                f"device {edge.key}",
                (Words(f"{cable.device.amps:g} A", (middle, y + SMALL + 1.0), SMALL, "middle", part=edge.key),),
            )
        texts = self._words_of(edge)
        x = device_x + DEVICE / 2.0 - 0.5 + self._rings(edge)
        places = ((x, y - 1.4), (x + self._rating_reach(edge), y + SMALL + 1.0))
        words = [Words(text, at, SMALL, part=edge.key) for text, at in zip(texts, places, strict=False)]
        yield from self._label(f"cable {edge.key}", tuple(words))

    def _label(self, key: str, words: tuple[Words, ...]) -> Iterator[Shape]:
        """Words that can be moved, where the job says they were put."""
        dx, dy = self.shifts.get(key, (0.0, 0.0))
        for item in words:
            yield moved(replace(item, label=key), dx, dy)

    def _is_bar(self, key: str) -> bool:
        return self.topology.node(key).kind in ("board", "battery bus")

    def _part(self, node: Node) -> Iterator[Shape]:
        if node.kind == "earth" or node.key not in self.places:
            return
        place, dashed = self.places[node.key], node.status == "there"
        if node.kind in ("board", "battery bus"):
            top = min((place.y, *place.rows)) - 4.0
            bottom = max((place.y, *place.rows)) + 4.0
            yield Stroke(((place.x, top), (place.x, bottom)), "PARTS", 1.1, dashed, part=node.key)
            self.parts[node.key] = (place.x - 3.0, top - 7.0, place.x + 3.0, bottom + 2.0)
            yield from self._under(node, self._lines_of(node), place.x + 1.6, bottom + LEADING, anchor="start")
            return
        for shape in PARTS[node.kind](place.x, place.y, dashed=dashed):
            yield replace(shape, part=node.key)
        self.parts[node.key] = (place.x - HALF, place.y - HALF, place.x + HALF, place.y + HALF)
        lines = self._lines_of(node)
        y = place.y + HALF + LEADING
        # A cable or a signal that goes down from the part leaves no room below its right half.
        if self._leaves_down(node.key, place.y, place.rows):
            yield from self._under(node, lines, place.x + HALF + 1.0, y, anchor="end")
        else:
            yield from self._under(node, lines, place.x, y)

    def _under(
        self, node: Node, lines: list[str], x: float, y: float, anchor: Anchor = "middle"
    ) -> Iterator[Shape]:
        words = tuple(
            Words(
                line, (x, y + number * LEADING), TEXT if not number else SMALL, anchor, not number, part=node.key
            )
            for number, line in enumerate(line for line in lines if line)
        )
        yield from self._label(f"part {node.key}", words)

    def _transformers(self) -> Iterator[Shape]:
        """Each control's ring on the service cable, with the line that carries what it reads."""
        done: dict[str, int] = {}
        for item in self.topology.transformers:
            edge = self.topology.edge(item.edge)
            number = done.get(item.edge, 0)
            done[item.edge] = number + 1
            end = self.places[edge.end]
            start = self.places[edge.start]
            leaves = start.x if self._is_bar(edge.start) else start.x + HALF
            x = leaves + BEFORE + DEVICE + RING * (number + 0.5) - 0.5
            for shape in current_transformer(x, end.y, towards_left=True):
                yield replace(shape, part=item.key)
            self.parts[item.key] = (x - 2.5, end.y - 4.0, x + 2.5, end.y + 2.5)
            many = f"{item.count} CT" if item.count > 1 else "CT"
            yield Words(many, (x, end.y - 4.6), SMALL, "middle", layer="PROTECTION")
            if item.unit is None:
                continue
            unit = self.places[self._unit_key(item.unit)]
            yield Stroke(_signal((x, end.y), unit, number), "DATA", 0.2, dashed=True, part=item.key)

    def _unit_key(self, number: int) -> str:
        return next(node.key for node in self.topology.nodes if node.unit == number and node.kind == "unit")

    def _leaves_down(self, key: str, y: float, behind: tuple[float, ...]) -> bool:
        """Whether a cable or a signal goes down from a part."""
        if any(row > y + 1.0 for row in behind):
            return True
        ends = {edge.start: edge.end for edge in self._links} | {edge.end: edge.start for edge in self._links}
        return key in ends and self._rows[ends[key]].y > y + 1.0

    @cached_property
    def _links(self) -> tuple[Edge, ...]:
        """Signals from unit to unit."""
        return tuple(
            edge
            for edge in self.topology.edges
            if edge.kind == "data" and self.topology.node(edge.end).kind == "unit"
        )

    def _data(self, edge: Edge) -> Iterator[Shape]:
        """A signal: beside the cable of its two ends, so that neither that nor another is crossed."""
        start, end = self.places[edge.start], self.places[edge.end]
        yield Stroke(_beside(start, end, linked=edge in self._links), "DATA", 0.2, dashed=True, part=edge.key)

    def _earth_words(self, key: str) -> str:
        """Size of a part's conductor to earth; empty where it has none that is new."""
        bond = next((item for item in self.plan.bonds if item.edge.start == key), None)
        return size_words(bond.size) if bond is not None and bond.edge.status == "new" else ""

    def _earth_reach(self, key: str) -> float:
        """How far the earth of a frame or a cabinet reaches to the right of its part's middle [mm]."""
        if not any(bond.edge.start == key for bond in self.plan.bonds):
            return 0.0
        words = self._earth_words(key)
        return HALF + EARTH_AT + 3.2 + (Words(words, (0.0, 0.0), SMALL).width if words else 0.0)

    def _earth(self) -> Iterator[Shape]:
        bonded = {bond.edge.start for bond in self.plan.bonds}
        for edge in self.topology.edges:
            if edge.kind != "earth" or edge.start not in self.places:
                continue
            place = self.places[edge.start]
            if self._is_bar(edge.start):
                bottom = max((place.y, *place.rows)) + 4.0
                x, y = place.x - 4.6, bottom + 2.0
                way = ((place.x, bottom - 1.0), (x, bottom - 1.0), (x, y))
            elif edge.start in bonded:
                x, y = place.x + HALF + EARTH_AT, place.y + 3.4
                way = ((place.x + HALF, place.y + 1.4), (x, place.y + 1.4), (x, y))
                words = self._earth_words(edge.start)
                if words:
                    yield Words(words, (x + 3.2, y + 2.2), SMALL, layer="EARTH", part=EARTH)
            else:
                continue
            yield Stroke(way, "EARTH")
            for shape in PARTS["earth"](x, y, dashed=False):
                yield replace(shape, part=EARTH)

    def _legend(self, bottom: float) -> Iterator[Shape]:
        x, y = LEFT - HALF, bottom + 3.0
        pens: tuple[tuple[str, Layer, float, bool], ...] = (
            ("new", "AC", 0.5, False),
            ("there today", "AC", 0.3, True),
            ("DC", "DC", 0.5, False),
            ("signal", "DATA", 0.2, True),
        )
        for text, layer, width, dashed in pens:
            yield Stroke(((x, y), (x + 10.0, y)), layer, width, dashed)
            words = Words(text, (x + 11.5, y + 1.0), SMALL)
            yield words
            x += 17.0 + words.width
        yield Words("≈ length assumed", (x, y + 1.0), SMALL)


def _signal(ring: tuple[float, float], unit: _Place, number: int) -> tuple[tuple[float, float], ...]:
    """The way of a signal from a current transformer to its unit: below the words of the unit's own cable.

    A unit on the same row is reached from above.
    """
    x, y = ring
    if abs(unit.y - y) < 1.0:
        lane = y - HALF - 4.0 - 1.2 * number
        return ((x, y - 5.0 - SMALL), (x, lane), (unit.x, lane), (unit.x, unit.y - HALF))
    return ((x, y + 1.8), (x, unit.y + ABOVE), (unit.x - HALF, unit.y + ABOVE))


def _beside(start: _Place, end: _Place, *, linked: bool) -> tuple[tuple[float, float], ...]:
    """The way of a signal from a unit to its battery or, where two are `linked`, to another unit."""
    if linked:
        upper, lower = sorted((start, end), key=lambda place: place.y)
        x, lane, inside = upper.x + HALF + BESIDE, lower.y - HALF - BESIDE, lower.x + HALF - BESIDE
        down = ((upper.x + HALF, upper.y + LOW), (x, upper.y + LOW), (x, lane))
        return (*down, (inside, lane), (inside, lower.y - HALF))
    if abs(start.y - end.y) < 1.0:
        return ((start.x + HALF, start.y - ABOVE), (end.x - HALF, start.y - ABOVE))
    x, lane = start.x + HALF + BESIDE, end.y + ABOVE
    return ((start.x + HALF, start.y + LOW), (x, start.y + LOW), (x, lane), (end.x - HALF, lane))


_WORD = re.compile(r"\S*\d (?:kW|kWh|A|V)\b\S*|\S+")


def _wrapped(text: str) -> list[str]:
    """Words of a name in lines that stand below its part, numbers with their units."""
    lines: list[str] = []
    for word in _WORD.findall(text):
        if lines and len(lines[-1]) + 1 + len(word) <= ACROSS:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    if len(lines) <= LINES:
        return lines
    # Which of its kind it is, in brackets at the end, is what must not be cut.
    which = re.search(r" (\([^()]+\))$", text)
    kept = lines[: LINES - 1 if which else LINES]
    kept[-1] = f"{kept[-1][: ACROSS - 1]}…"
    return [*kept, which[1]] if which else kept
