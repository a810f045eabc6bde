"""Drawings as SVG, DXF and PDF: read back by independent readers, whole, and harmless whatever a name holds."""

from datetime import date
from xml.etree import ElementTree

import ezdxf
import pypdf
import pytest

from calm_relay.desk.output.diagram_file import diagram_of, paper_for, write_diagram
from calm_relay.exchange.dxf_drawing import dxf_of
from calm_relay.exchange.shapes import LAYERS, Circle, Drawing, Stroke, Words
from calm_relay.exchange.shipped import demo_job
from calm_relay.exchange.svg_drawing import SPACE, svg_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

TODAY = date(2026, 11, 26)
NASTY = "<script>alert(1)</script> & “%%c” =1+2 ^J {\\H9x;} ]]>"


@pytest.fixture(scope="module")
def option():
    made = plan(demo_job("dairy"))
    return made.option("hybrid-swap")


@pytest.mark.parametrize("name", ["pottery", "cottage", "dairy", "hut", "two-homes"])
def test_a_dxf_is_read_back_without_errors_and_counts_what_was_drawn(name, tmp_path, dressed):
    made = plan(demo_job(name))
    chosen = made.option(made.choice.key) if made.choice.key else made.live[1]
    sheet = diagram_of(chosen, TODAY, "A3")
    path = tmp_path / "diagram.dxf"
    write_diagram(chosen, path, TODAY, "A3")
    document = ezdxf.readfile(path)
    assert not document.audit().errors
    assert {layer.dxf.name for layer in document.layers} >= set(LAYERS)
    space = document.modelspace()
    assert len(space.query("TEXT")) == sum(isinstance(shape, Words) for shape in sheet.shapes)
    assert len(space.query("LWPOLYLINE")) == sum(isinstance(shape, Stroke) for shape in sheet.shapes)
    rounds = [shape for shape in sheet.shapes if isinstance(shape, Circle)]
    assert len(space.query("CIRCLE")) == sum(not shape.is_arc for shape in rounds)
    assert len(space.query("ARC")) == sum(shape.is_arc for shape in rounds)
    assert path.stat().st_size < 2_000_000


def test_an_svg_is_read_back_and_names_every_part(option, tmp_path, dressed):
    path = tmp_path / "diagram.svg"
    write_diagram(option, path, TODAY, "A4")
    root = ElementTree.parse(path).getroot()
    named = {element.get("data-part") for element in root.iter()} - {None}
    topology = wiring_of(option.design, option.context).topology
    assert {edge.key for edge in topology.power_edges} <= named
    assert {node.key for node in topology.nodes} <= named
    texts = [element.text or "" for element in root.iter(f"{{{SPACE}}}text")]
    assert option.design.leader.inverter.name.split()[0] in " ".join(texts)


def test_a_pdf_holds_every_figure_as_text(option, tmp_path, dressed):
    path = tmp_path / "diagram.pdf"
    write_diagram(option, path, TODAY, "A3")
    read = " ".join(pypdf.PdfReader(path).pages[0].extract_text().split())
    for cable in wiring_of(option.design, option.context).cables:
        if cable.device is not None:
            assert f"{cable.device.amps:g} A" in read
        if not cable.is_there:
            assert cable.words in read
    assert "2026-11-26" in read
    assert path.stat().st_size < 2_000_000


def test_names_with_markup_and_commands_are_shown_as_typed():
    drawing = Drawing(100.0, 50.0, (Words(NASTY, (5.0, 10.0), part=NASTY),), {}, NASTY)
    root = ElementTree.fromstring(svg_of(drawing))
    (text,) = root.iter(f"{{{SPACE}}}text")
    assert text.text == NASTY
    assert len(list(root.iter())) == 4
    content = dxf_of(drawing).decode()
    assert "%%c" not in content
    assert "<script>" in content


def test_another_ending_and_a_region_without_tables_are_refused_by_name(option, tmp_path, dressed):
    with pytest.raises(ValueError, match=r"ends in \.svg, \.pdf or \.dxf"):
        write_diagram(option, tmp_path / "diagram.doc", TODAY, "A4")
    with pytest.raises(ValueError, match="Tabloid"):
        write_diagram(option, tmp_path / "diagram.svg", TODAY, "B5")
    with pytest.raises(OSError):
        write_diagram(option, tmp_path / "none" / "diagram.svg", TODAY, "A4")
    assert not list(tmp_path.iterdir())


def test_paper_is_the_job_s_or_the_country_s(demo):
    made = plan(demo)
    assert paper_for(made) == "A3"
    assert paper_for(plan(demo.with_(wiring=demo.wiring.with_(paper="Letter")))) == "Letter"
    assert paper_for(plan(demo_job("cottage"))) == "Tabloid"
