"""Names with markup show as they were typed: on every screen, in every tooltip, message and paper."""

import html
import re

import pytest
from pypdf import PdfReader
from PySide6.QtCore import QAbstractListModel, QModelIndex, Qt
from PySide6.QtGui import QFont, QPdfWriter, QTextDocument
from PySide6.QtWidgets import QGraphicsTextItem, QGraphicsView, QLabel, QMessageBox, QWidget

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.output import report
from calm_relay.desk.output.pages import Pages
from calm_relay.desk.widgets.label import STRONG, Label, Markup, RichLabel, SealedDocument, joined, rich, tip
from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.carried import with_copies
from calm_relay.job.survey import Attachment
from calm_relay.job.tariff import Incentive

ROOT = QModelIndex()
EVIL = '<img src="/dev/zero">&<b>x</b>'


def with_markup(job):
    """The job with markup in everything that is text, its equipment, incentives and pinned options among it."""
    job = with_copies(job, catalogue())
    own = job.own_equipment
    kinds = ("modules", "inverters", "packs", "optimisers", "microinverters")
    job = job.with_(
        own_equipment=own.with_(
            **{kind: [item.with_(name=f"{item.name} {EVIL}") for item in getattr(own, kind)] for kind in kinds}
        ),
        costs=job.costs.with_(incentives=[Incentive(name=EVIL, authority=EVIL, amount=100.0)]),
    )

    def marked(part, **names):
        return part.with_(**{name: EVIL[:length] for name, length in names.items()})

    tariff = job.tariff.with_(
        name=EVIL, currency="<b>&€"[:5], windows=[marked(window, name=60) for window in job.tariff.windows]
    )
    board = job.backup_board
    loads = [load.with_(name=f"{EVIL}{n}") for n, load in enumerate(job.demand.loads)]
    renamed = {load.name: f"{EVIL}{n}" for n, load in enumerate(job.demand.loads)}
    if board is not None:
        circuits = [
            circuit.with_(name=f"{n}{EVIL}", loads=[renamed.get(name, name) for name in circuit.loads])
            for n, circuit in enumerate(board.circuits)
        ]
        board = board.with_(circuits=circuits)
    faces = [face.with_(name=f"{EVIL}{n}") for n, face in enumerate(job.faces)]
    return job.with_(
        name=EVIL, customer=EVIL, notes=EVIL, site=job.site.with_(place=EVIL), tariff=tariff, faces=faces,
        demand=job.demand.with_(loads=loads), backup_board=board,
        attachments=(Attachment(path="gone.jpg", caption=EVIL),),
    )  # fmt: skip


def obeyed(text):
    """Whether a text that Qt takes for markup holds ours unescaped."""
    return "<img" in text or "<b>x" in text


def offences(window):
    """Labels, tooltips and chart words that obey the markup."""
    for widget in [window, *window.findChildren(QWidget)]:
        if isinstance(widget, QLabel):
            assert isinstance(widget, Label | RichLabel), f"{type(widget)}: {widget.text()[:80]}"
            if isinstance(widget, RichLabel) and obeyed(widget.text()):
                yield widget.text()
        if obeyed(widget.toolTip()):
            yield widget.toolTip()
        if isinstance(widget, QGraphicsView):
            for item in widget.scene().items() if widget.scene() else ():
                if isinstance(item, QGraphicsTextItem) and "<img" in item.toHtml():
                    yield item.toHtml()
        model = getattr(widget, "model", None)
        model = model() if callable(model) else None
        if model is not None and hasattr(model, "rowCount") and hasattr(widget, "viewport"):
            for row in range(min(model.rowCount(ROOT), 40)):
                for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount(ROOT)):
                    shown = model.data(model.index(row, column), Qt.ItemDataRole.ToolTipRole)
                    if isinstance(shown, str) and obeyed(shown):
                        yield shown


@pytest.mark.parametrize("name", ["dairy", "hut"])
def test_no_screen_obeys_markup_in_a_job(window, settled, qtbot, name):
    window.session.replace(with_markup(demo_job(name)))
    window.forget_view()
    settled(window)
    found = {}
    for bench in BENCHES:
        window.open_bench(bench)
        qtbot.wait(150)
        found[bench] = set(offences(window))
    for key in window.benches["Choice"].which:
        window.open_bench("Choice")
        window.bench.choose_scales(key)
        qtbot.wait(50)
        found[key] = set(offences(window))
    assert {bench: texts for bench, texts in found.items() if texts} == {}
    assert EVIL in window.windowTitle()
    assert any(EVIL in label.text() for label in window.findChildren(Label))


def test_notices_and_messages_show_markup_as_it_is(window, monkeypatch):
    window.notice.ask(f"Written: {EVIL}", ((EVIL, lambda: None),))
    assert window.notice.text.textFormat() == Qt.TextFormat.PlainText
    assert window.notice.buttons[0].text() == EVIL.replace("&", "&&")
    shown = []
    monkeypatch.setattr(QMessageBox, "warning", lambda parent, title, text, *_: shown.append(text))
    window.files.open_file(f"/nowhere/{EVIL.replace('/', '')}.relay.json")
    assert "&lt;img" in shown[0] and not obeyed(shown[0])


def test_papers_show_markup_as_it_is_and_load_nothing(window, settled, tmp_path, monkeypatch):
    window.session.replace(with_markup(demo_job("pottery")))
    settled(window)
    written = []
    real = QTextDocument.setHtml

    def spied(document, text):
        assert isinstance(document, SealedDocument)
        written.append(text)
        real(document, text)

    monkeypatch.setattr(SealedDocument, "setHtml", spied, raising=False)
    from datetime import date

    report.write_report(window.session.plan, tmp_path / "plan.pdf", date(2026, 1, 1))
    assert written and not any("<img" in text or "<b>x" in text for text in written)
    words = " ".join(" ".join(page.extract_text() for page in PdfReader(tmp_path / "plan.pdf").pages).split())
    assert '<img src="/dev/zero">' in words


def test_pictures_and_tables_show_markup_as_it_is(window, settled, tmp_path):
    from calm_relay.desk.output.exports import export_plan

    window.session.replace(with_markup(demo_job("pottery")))
    settled(window)
    export_plan(window.session.plan, tmp_path)
    pictures = list(tmp_path.rglob("*.svg"))
    assert pictures
    for picture in pictures:
        assert "<img" not in picture.read_text()


def test_a_document_loads_no_file(dressed, tmp_path):
    (tmp_path / "a.png").write_bytes(b"x")
    document = SealedDocument()
    document.setHtml(f'<img src="{tmp_path}/a.png"><img src="/dev/zero">')
    assert document.loadResource(2, f"{tmp_path}/a.png") is None
    assert document.size().height() > 0


def test_what_is_filled_into_markup_is_escaped():
    assert rich("<b>{}</b> {:.1f}", EVIL, 1.25) == f"{STRONG}{html.escape(EVIL)}</span> 1.2"
    assert joined("<br>", ["<i>", rich("<b>{}</b>", 1)]) == f"&lt;i&gt;<br>{STRONG}1</span>"
    assert rich("{}", Markup("<b>")) + "<i>" == "<b>&lt;i&gt;"
    assert tip("a & b\nc") == "a & b\nc" and tip("a < b\nc") == "<qt>a &lt; b<br>c</qt>"
    assert not obeyed(tip(EVIL)) and re.search("^<qt>&lt;img", tip(EVIL))


def weights_in(document):
    block, found = document.begin(), {}
    while block.isValid():
        pieces = block.begin()
        while not pieces.atEnd():
            piece = pieces.fragment()
            found[piece.text().strip()] = piece.charFormat().fontWeight()
            pieces += 1
        block = block.next()
    return found


def test_no_word_is_heavier_than_the_heaviest_letters_that_are_shipped(tmp_path):
    document = SealedDocument()
    document.setHtml(rich("thin <b>{}</b>", "strong"))
    assert weights_in(document)["strong"] == QFont.Weight.DemiBold
    pages = Pages(QPdfWriter(str(tmp_path / "a.pdf")), 10, "foot")
    assert weights_in(pages._document("thin <b>strong</b>"))["strong"] == QFont.Weight.DemiBold
    pages.end()


def test_a_label_is_plain_and_a_rich_one_escapes_what_is_no_markup(dressed):
    assert Label(EVIL).textFormat() == Qt.TextFormat.PlainText
    shown = RichLabel()
    shown.setText(EVIL)
    assert "&lt;img" in shown.text()
