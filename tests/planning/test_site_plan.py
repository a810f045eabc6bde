"""The site plan: faces from above to scale and the way they look, parts where they were put."""

from itertools import pairwise
from math import cos, hypot, radians

import numpy as np
import pytest

from calm_relay.exchange.shapes import Stroke, Words
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.drawing.site_plan import PER_M, face_plan, places_of, site_plan
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

DEMOS = ("pottery", "cottage", "dairy", "hut", "two-homes")


@pytest.fixture(scope="module", params=DEMOS)
def option(request):
    made = plan(demo_job(request.param))
    return made.option(made.choice.key) if made.choice.key else made.live[1]


def wired(option):
    return wiring_of(option.design, option.context)


def drawn(option, stated=None):
    return site_plan(wired(option), option.design, option.context, stated or option.context.job.wiring)


def test_faces_and_parts_stand_on_it_and_no_face_on_another(option):
    drawing = drawn(option)
    faces = {face.plan.name for unit in option.design.converters for face in unit.faces}
    assert {f"face {name}" for name in faces} <= set(drawing.parts)
    units = [node.key for node in wired(option).topology.nodes if node.kind in ("unit", "battery", "meter")]
    assert set(units) <= set(drawing.parts)
    boxes = [drawing.parts[f"face {name}"] for name in faces]
    for number, one in enumerate(boxes):
        for other in boxes[number + 1 :]:
            apart = min(one[2], other[2]) <= max(one[0], other[0]) + 0.1
            assert apart or min(one[3], other[3]) <= max(one[1], other[1]) + 0.1


@pytest.mark.parametrize(("azimuth", "east", "north"), [(0.0, 0, 1), (90.0, 1, 0), (180.0, 0, -1), (270.0, -1, 0)])
def test_the_eaves_lie_where_the_face_looks(demo, azimuth, east, north):
    made = plan(demo.with_face(0, azimuth=azimuth))
    flat = face_plan(made.faces[0], (0.0, 0.0))
    (x0, y0), (x1, y1) = flat.corners[:2]
    far = hypot((x0 + x1) / 2, (y0 + y1) / 2)
    assert ((x0 + x1) / 2 / far, (y0 + y1) / 2 / far) == (
        pytest.approx(east, abs=1e-9),
        pytest.approx(north, abs=1e-9),
    )


@pytest.mark.parametrize(
    ("count", "strings", "row"), [(22, 1, 11), (20, 2, 10), (9, 1, 9), (13, 1, 7), (48, 4, 12), (40, 2, 10)]
)
def test_a_roof_that_nobody_measured_is_drawn_in_rows_that_a_roof_has_room_for(demo, count, strings, row):
    """A string of 22 modules beside each other would be 25 m of eaves."""
    job = demo.with_face(0, count=count, strings=strings, rectangle=None, fate="new")
    face = next(face for face in plan(job).faces if face.plan.name == job.faces[0].name)
    flat = face_plan(face, (0.0, 0.0))
    (a, b), (c, d), *_ = flat.corners
    assert hypot(c - a, d - b) == pytest.approx(row * (face.module.width_mm / 1000.0 + 0.02))
    assert len(flat.modules) == count and not flat.measured


def test_a_measured_face_is_to_scale_and_seen_from_above(demo):
    made = plan(demo)
    number, face = next((n, f) for n, f in enumerate(demo.faces) if f.rectangle is not None)
    flat = face_plan(made.faces[number], (0.0, 0.0))
    (a, b), (c, d), (e, f), _ = flat.corners
    assert hypot(c - a, d - b) == pytest.approx(face.rectangle.width_m)
    assert hypot(e - c, f - d) == pytest.approx(face.rectangle.height_m * cos(radians(face.tilt)))
    assert len(flat.modules) == face.count
    assert flat.measured


def test_what_was_dragged_stays_and_the_rest_where_it_was(option):
    stated = option.context.job.wiring
    before = places_of(wired(option), option.design, option.context, stated)
    key = next(iter(before))
    moved = stated.with_place(key, before[key][0] + 4.0, before[key][1] - 2.0)
    after = places_of(wired(option), option.design, option.context, moved)
    assert after[key] == (before[key][0] + 4.0, before[key][1] - 2.0)
    assert {k: v for k, v in after.items() if k != key} == {k: v for k, v in before.items() if k != key}
    assert key in drawn(option, moved).movable


def test_cables_run_from_part_to_part_and_the_bar_is_a_round_length(option):
    drawing = drawn(option)
    runs = {shape.part for shape in drawing.shapes if isinstance(shape, Stroke) and shape.layer in ("AC", "DC")}
    keys = {edge.key for edge in wired(option).topology.power_edges if edge.kind in ("unit", "string", "feeder")}
    assert keys <= runs | {edge for edge in keys if "bus of" in edge}
    bars = [s for s in drawing.shapes if isinstance(s, Stroke) and s.layer == "FRAME" and len(s.points) == 4]
    long, words = (6.096, "20 ft") if wired(option).tables.in_feet else (5.0, "5 m")
    assert bars[0].points[2][0] - bars[0].points[1][0] == pytest.approx(long * PER_M)
    assert any(isinstance(shape, Words) and shape.text.startswith(f"{words};") for shape in drawing.shapes)
    assert any(isinstance(shape, Words) and shape.text == "N" for shape in drawing.shapes)


def test_no_cable_runs_through_a_faces_words(option):
    drawing = drawn(option)
    cables = [shape for shape in drawing.shapes if isinstance(shape, Stroke) and shape.width == 0.35]
    words = [shape for shape in drawing.shapes if isinstance(shape, Words) and shape.part.startswith("face ")]
    assert cables and words
    assert not any(shape.text.startswith("V") for shape in drawing.shapes if isinstance(shape, Words))
    for item in words:
        left, top, right, bottom = item.box
        for cable in cables:
            for one, other in pairwise(cable.points):
                beside = max(one[0], other[0]) <= left or min(one[0], other[0]) >= right
                assert beside or max(one[1], other[1]) <= top or min(one[1], other[1]) >= bottom, item.text


@pytest.mark.parametrize("azimuth", [0, 90, 165, 210, 330])
def test_a_faces_words_stand_clear_of_its_eaves(demo, azimuth):
    made = plan(demo.with_face(0, azimuth=float(azimuth))).live[1]
    drawing = drawn(made)
    key = f"face {demo.faces[0].name}"
    parts = [shape for shape in drawing.shapes if shape.part == key]
    eaves = next(shape for shape in parts if isinstance(shape, Stroke) and shape.width == 0.9)
    for words in (shape for shape in parts if isinstance(shape, Words)):
        wide, (x, y) = words.width, words.at
        left = {"start": x, "middle": x - wide / 2.0, "end": x - wide}[words.anchor]
        for share in np.linspace(0.0, 1.0, 101):
            (x0, y0), (x1, y1) = eaves.points
            at = x0 + (x1 - x0) * share, y0 + (y1 - y0) * share
            assert not (left < at[0] < left + wide and y - 0.75 * words.size < at[1] < y)
