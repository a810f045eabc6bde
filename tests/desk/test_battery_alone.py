"""The last face is taken off the roof and the job goes on, a battery alone, on every bench and on paper."""

from datetime import date

import pytest
from pypdf import PdfReader

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.output.report import write_report

from .driving import LEFT, painted


@pytest.fixture
def bare(window, qtbot, settled):
    window.open_bench("Roof")
    bench = window.bench
    for left in (1, 0):
        bench.choose(0)
        qtbot.mouseClick(bench.remove, LEFT)
        settled(window)
        assert len(window.session.job.faces) == left
    return bench


def test_the_roof_is_emptied_and_a_face_is_added_again(window, bare, qtbot, settled):
    job = window.session.job
    assert job.existing_inverters == () and not bare.remove.isEnabled()
    assert window.session.plan.option("ac-addon").title == "Battery alone"
    assert not bare.tabs.isVisible()
    qtbot.mouseClick(bare.table.add, LEFT)
    settled(window)
    face = window.session.job.faces[0]
    # The demo lies in the south: towards the equator is north.
    assert (face.fate, face.azimuth, face.count) == ("new", 0.0, 10)
    assert bare.tabs.isVisible() and bare.remove.isEnabled()
    assert window.session.plan.option("hybrid-swap").outcome.figures.pv_dc_kwh > 1000
    for _ in range(3):
        window.session.undo()
    settled(window)
    assert len(window.session.job.faces) == 2 and window.session.job.existing_inverters


def test_every_bench_shows_it(window, bare, qtbot, settled):
    for name in BENCHES:
        for number in (0, 1, 2):
            window.show_option(number)
            window.open_bench(name)
            qtbot.waitUntil(lambda: not window.session.busy)
            assert painted(window) > 0.05, (name, number)
            for key in getattr(getattr(window.bench, "tabs", None), "buttons", {}):
                window.bench.tabs.choose(key)
                qtbot.waitUntil(lambda: not window.session.busy)


def test_its_paper_is_printed(window, bare, tmp_path):
    path = tmp_path / "alone.pdf"
    assert 1 <= write_report(window.session.plan, path, date(2026, 11, 26)) <= 5
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(path).pages).split())
    assert "Battery alone" in text and "nan" not in text
