"""The summary for print and the pictures as files."""

import re
import xml.etree.ElementTree as ElementTree
from datetime import date

import pytest
from pypdf import PdfReader
from PySide6.QtGui import QColor, QImage

from calm_relay.desk.output.picture_file import save_picture
from calm_relay.desk.output.report import write_report
from calm_relay.planning.findings import Severity
from tests.plans import plan


def pages_of(content):
    return len(re.findall(rb"/Type\s*/Page\b", content))


def test_the_summary_has_two_to_five_pages_of_vectors(dressed, demo_plan, tmp_path):
    path = tmp_path / "summary.pdf"
    count = write_report(demo_plan, path, date(2026, 11, 24))
    content = path.read_bytes()
    assert 2 <= count <= 5
    assert pages_of(content) == count
    assert b"/Subtype /Image" not in content
    assert b"/FontFile" in content
    read = PdfReader(path)
    assert read.metadata.title == demo_plan.job.name
    assert {"What to know", "Cautions"} <= {mark.title for mark in read.outline}


def test_what_is_in_order_is_said_of_the_best_option_alone(dressed, demo_plan, tmp_path):
    path = tmp_path / "summary.pdf"
    write_report(demo_plan, path, date(2026, 11, 24))
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(path).pages).split())
    best = demo_plan.option(demo_plan.choice.key)
    mine = {finding.sentence for finding in best.findings}
    beside = [
        finding
        for option in demo_plan.live
        for finding in option.findings
        if finding.severity is Severity.OK and finding.sentence not in mine
    ]
    # A short one may stand within another sentence.
    assert sum(" ".join(finding.sentence.split()) in text for finding in beside) < 0.1 * len(beside)
    said = [finding for finding in best.findings if finding.severity is Severity.OK]
    assert sum(" ".join(finding.sentence.split()) in text for finding in said) > 0.7 * len(said)


def test_every_figure_of_the_paper_can_be_searched_and_copied(dressed, demo_plan, tmp_path):
    path = tmp_path / "summary.pdf"
    write_report(demo_plan, path, date(2026, 11, 24))
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(path).pages).split())
    # A line may end behind a hyphen.
    assert " ".join(demo_plan.choice.sentence.split()) in text.replace("- ", "-")
    for option in demo_plan.live[:2]:
        assert f"{option.outcome.money.bill:,.0f}" in text
    for finding in demo_plan.option(demo_plan.choice.key).findings:
        if finding.severity < 2:
            for figure in re.findall(r"\d[\d.,]*\d", finding.sentence):
                assert figure in text, finding.sentence


def test_a_refused_option_and_strange_names_are_printed_too(dressed, with_battery, tmp_path):
    job = with_battery(pack="wharfell-10", count=1).with_(name="<b>Tom & Co</b>", customer="")
    assert write_report(plan(job), tmp_path / "s.pdf", date(2026, 1, 1)) <= 5


def test_a_summary_that_cannot_be_written_leaves_the_old_one(dressed, demo_plan, tmp_path, monkeypatch):
    path = tmp_path / "summary.pdf"
    path.write_bytes(b"old")
    monkeypatch.setattr(
        "calm_relay.exchange.job_file.os.fsync", lambda *_: (_ for _ in ()).throw(OSError(28, "full"))
    )
    with pytest.raises(OSError, match="full"):
        write_report(demo_plan, path, date(2026, 1, 1))
    assert path.read_bytes() == b"old"


def test_pictures_are_svg_or_png_and_nothing_else(dressed, tmp_path):
    def paint(painter):
        painter.fillRect(10, 10, 20, 20, QColor("#1f6b67"))

    save_picture(paint, 100, 50, tmp_path / "a.svg", "A square")
    root = ElementTree.parse(tmp_path / "a.svg").getroot()
    assert root.get("viewBox") == "0 0 100 50"
    save_picture(paint, 100, 50, tmp_path / "a.png", "A square")
    image = QImage(str(tmp_path / "a.png"))
    assert (image.width(), image.height()) == (200, 100)
    assert image.pixelColor(40, 40).name() == "#1f6b67"
    with pytest.raises(ValueError, match=r"\.svg or \.png"):
        save_picture(paint, 100, 50, tmp_path / "a.gif", "A square")


def test_papers_are_of_the_size_usual_in_the_country(dressed, demo_plan, tmp_path):
    from tests.planning.test_new_job import begun

    write_report(demo_plan, tmp_path / "a4.pdf", date(2026, 1, 1))
    write_report(plan(begun("denver")), tmp_path / "letter.pdf", date(2026, 1, 1))
    sizes = [
        tuple(map(round, PdfReader(tmp_path / f"{name}.pdf").pages[0].mediabox[2:])) for name in ("a4", "letter")
    ]
    assert sizes == [(595, 842), (612, 792)]
