"""The single-line diagram: everything of the topology is on it, nothing overlaps, words stay where they were put."""

from itertools import pairwise

import pytest

from calm_relay.exchange.shapes import Stroke, Words
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.drawing.sheet import PAPERS, TitleBlock, on_paper
from calm_relay.planning.drawing.single_line import single_line
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

DEMOS = ("pottery", "cottage", "dairy", "hut", "two-homes")


@pytest.fixture(scope="module", params=DEMOS)
def drawn(request):
    made = plan(demo_job(request.param))
    return [(option, wiring_of(option.design, option.context), option.context.job.wiring) for option in made.live]


def drawings(drawn):
    for option, wired, stated in drawn:
        yield option, wired, single_line(wired, stated)


def overlap(one, other):
    left, top, right, bottom = one
    return min(right, other[2]) - max(left, other[0]) > 0.4 and min(bottom, other[3]) - max(top, other[1]) > 0.4


def test_every_part_and_power_cable_is_on_the_drawing(drawn):
    for _, wired, drawing in drawings(drawn):
        keys = {node.key for node in wired.topology.nodes if node.kind != "earth"}
        keys |= {edge.key for edge in wired.topology.power_edges}
        keys |= {f"CT {item.unit}" for item in wired.topology.transformers}
        assert keys == set(drawing.parts)


def test_sizes_ratings_and_names_stand_on_it(drawn):
    for _, wired, drawing in drawings(drawn):
        words = [shape.text for shape in drawing.shapes if isinstance(shape, Words)]
        for cable in wired.cables:
            if cable.device is not None:
                assert f"{cable.device.amps:g} A" in words
            if cable.is_there:
                assert "not seen" in words
            else:
                assert any(text.endswith(cable.words) for text in words)


def test_units_of_one_kind_are_told_apart_and_numbers_stand_with_their_units(drawn):
    for option, _, drawing in drawings(drawn):
        words = [shape.text for shape in drawing.shapes if isinstance(shape, Words)]
        for unit in option.design.converters:
            assert unit.micro is not None or not unit.told_by or f"({unit.told_by})" in words, option.key
        assert not [text for text in words if text.strip(",") in ("A", "V", "kW")]


def test_no_two_words_overlap_and_none_leaves_the_sheet(drawn):
    for option, _, drawing in drawings(drawn):
        words = [shape for shape in drawing.shapes if isinstance(shape, Words)]
        for number, one in enumerate(words):
            left, top, right, bottom = one.box
            assert left >= -0.5 and top >= 0.0 and right <= drawing.width + 0.5 and bottom <= drawing.height, one
            for other in words[number + 1 :]:
                assert not overlap(one.box, other.box), (option.key, one.text, other.text)


def test_power_cables_cross_nowhere(drawn):
    for option, _, drawing in drawings(drawn):
        legs = []
        for shape in drawing.shapes:
            if isinstance(shape, Stroke) and shape.layer in ("AC", "DC") and shape.part:
                legs += [
                    (shape.part, a, b) for a, b in zip(shape.points, shape.points[1:], strict=False) if a != b
                ]
        upright = [(p, a[0], min(a[1], b[1]), max(a[1], b[1])) for p, a, b in legs if a[0] == b[0]]
        lying = [(p, a[1], min(a[0], b[0]), max(a[0], b[0])) for p, a, b in legs if a[1] == b[1]]
        for part, x, top, bottom in upright:
            for other, y, left, right in lying:
                if part.split(" > ")[0] == other.split(" > ")[0]:
                    continue
                assert not (left + 0.1 < x < right - 0.1 and top + 0.1 < y < bottom - 0.1), (
                    option.key,
                    part,
                    other,
                )


def test_every_signal_and_every_conductor_to_earth_is_drawn(drawn):
    for option, wired, drawing in drawings(drawn):
        parts = [shape.part for shape in drawing.shapes if isinstance(shape, Stroke) and shape.layer == "DATA"]
        for edge in wired.topology.edges:
            if edge.kind == "data":
                assert edge.key in parts, option.key
        for item in wired.topology.transformers:
            assert (item.key in parts) == (item.unit is not None)
        stems = [shape for shape in drawing.shapes if isinstance(shape, Stroke) and shape.layer == "EARTH"]
        bonded = {bond.edge.start for bond in wired.bonds}
        arrays = [node.key for node in wired.topology.nodes if node.kind in ("array", "battery")]
        assert bonded == {key for key in arrays if wired.topology.towards_grid(key)}
        # A stem and three lines each.
        assert len(stems) == 4 * (len(bonded) + 1)


def test_no_signal_runs_through_words(drawn):
    for option, _, drawing in drawings(drawn):
        words = [shape for shape in drawing.shapes if isinstance(shape, Words)]
        for shape in drawing.shapes:
            if not isinstance(shape, Stroke) or shape.layer != "DATA" or not shape.part:
                continue
            for a, b in zip(shape.points, shape.points[1:], strict=False):
                line = (min(a[0], b[0]), min(a[1], b[1]) - 0.05, max(a[0], b[0]), max(a[1], b[1]) + 0.05)
                for word in words:
                    left, top, right, bottom = word.box
                    inside = min(line[2], right) - max(line[0], left) > 0.1
                    assert not (inside and min(line[3], bottom - 0.7) - max(line[1], top + 0.7) > 0.0), (
                        option.key,
                        shape.part,
                        word.text,
                    )


def test_no_rating_stands_on_a_line_that_leads_past_it(drawn):
    for option, _, drawing in drawings(drawn):
        lines = [
            (x0, min(y0, y1), max(y0, y1))
            for shape in drawing.shapes
            if isinstance(shape, Stroke) and shape.layer in ("AC", "DC")
            for (x0, y0), (x1, y1) in pairwise(shape.points)
            if x0 == x1 and abs(y1 - y0) > 2.0
        ]
        for words in (
            item for item in drawing.shapes if isinstance(item, Words) and item.label.startswith("device ")
        ):
            left, top, right, bottom = words.box
            for x, upper, lower in lines:
                assert not (left - 0.5 < x < right + 0.5 and upper < bottom and lower > top), (
                    option.key,
                    words.text,
                )


def test_words_that_were_moved_stay_and_everything_else_follows_the_plan(demo):
    option = plan(demo).option("ac-addon")
    wired = wiring_of(option.design, option.context)
    key = "cable changeover > unit 1"

    def at(drawing):
        return {
            shape.text: shape.at for shape in drawing.shapes if isinstance(shape, Words) and shape.label == key
        }

    plain = at(single_line(wired, demo.wiring))
    moved = at(single_line(wired, demo.wiring.with_label(key, 5.0, -3.0)))
    for text, (x, y) in plain.items():
        assert moved[text] == (pytest.approx(x + 5.0), pytest.approx(y - 3.0))
    assert demo.wiring.with_label(key, 5.0, -3.0).with_label(key, 0.0, 0.0) == demo.wiring
    other = plan(demo.with_(battery=demo.battery.with_(count=5))).option("ac-addon")
    texts = [
        shape.text
        for shape in single_line(wiring_of(other.design, other.context), demo.wiring).shapes
        if isinstance(shape, Words)
    ]
    assert any("5 × 2 ×" in text for text in texts)


def test_new_and_there_today_differ_by_the_line(demo):
    option = plan(demo).option("ac-addon")
    drawing = single_line(wiring_of(option.design, option.context), demo.wiring)
    strokes = {shape.part: shape.dashed for shape in drawing.shapes if isinstance(shape, Stroke) and shape.part}
    assert strokes["main board > Inverter"] is True
    assert strokes["changeover > unit 1"] is False


def test_symbols_follow_the_region():
    cottage, pottery = plan(demo_job("cottage")), plan(demo_job("pottery"))
    symbols = [wiring_of(p.live[1].design, p.live[1].context).tables.symbols for p in (cottage, pottery)]
    assert symbols == ["IEEE 315", "IEC 60617"]


@pytest.mark.parametrize("paper", PAPERS)
def test_a_sheet_holds_the_drawing_and_its_block(demo, paper):
    option = plan(demo).option("ac-addon")
    drawing = single_line(wiring_of(option.design, option.context), demo.wiring, "A title")
    block = TitleBlock("A job " * 40, "An option", "2026-11-26", "this", revision="B", caution="Care.")
    sheet = on_paper(drawing, block, paper)
    assert (sheet.width, sheet.height) == PAPERS[paper]
    texts = [shape for shape in sheet.shapes if isinstance(shape, Words)]
    assert {"B", "Care.", "2026-11-26"} <= {shape.text for shape in texts}
    for shape in texts:
        left, top, right, bottom = shape.box
        assert left >= 0 and top >= 0 and right <= sheet.width and bottom <= sheet.height
    assert len(sheet.parts) == len(drawing.parts)
    with pytest.raises(ValueError, match="A4"):
        on_paper(drawing, block, "B5")


def test_a_point_finds_its_part_and_its_words(demo):
    option = plan(demo).option("ac-addon")
    drawing = single_line(wiring_of(option.design, option.context), demo.wiring)
    for key, (left, top, right, bottom) in drawing.parts.items():
        if ">" not in key and key != "main board":
            assert drawing.part_at((left + right) / 2.0, (top + bottom) / 2.0) == key
    words = next(shape for shape in drawing.shapes if isinstance(shape, Words) and shape.label)
    left, top, right, bottom = words.box
    assert drawing.label_at((left + right) / 2.0, (top + bottom) / 2.0)
    assert drawing.part_at(-1.0, -1.0) == drawing.label_at(-1.0, -1.0) == ""
