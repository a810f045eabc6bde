"""Room to live in: no control is squeezed below its text in any bench, at the sizes people have."""

import os
import subprocess
import sys
from dataclasses import replace

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QWidget,
)

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.charts.chart import Axis, Chart
from calm_relay.desk.energy_path.margin import MendButton
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.page_stack import PageStack
from calm_relay.desk.widgets.tabs import Tabs, tabbed

CONTROLS = (QAbstractSpinBox, QComboBox, QLineEdit, QPushButton)


def squeezed(bench):
    """Controls of a bench that are lower than a line of their text, by name."""
    controls = [control for kind in CONTROLS for control in bench.findChildren(kind)]
    return [
        f"{control.accessibleName() or control.objectName()}: {control.height()}"
        for control in controls
        # The line inside a spin box has no frame of its own.
        if control.isVisible()
        and control.objectName() != "qt_spinbox_lineedit"
        and control.height() < control.fontMetrics().height() + 2
    ]


def clipped(bench):
    """Lines of text that are lower than their letters, by their words."""
    return [
        f"“{label.text()[:30]}”: {label.height()}"
        for label in bench.findChildren(QLabel)
        if label.isVisible() and label.text() and label.height() < label.fontMetrics().height()
    ]


def cut_off(bench):
    """Scrolled columns that are wider than what shows them, by name: nothing scrolls sideways."""
    return [
        f"{area.accessibleName()}: {area.widget().minimumSizeHint().width()} in {area.viewport().width()}"
        for area in bench.findChildren(QScrollArea)
        if area.isVisible()
        and area.widget() is not None
        and area.horizontalScrollBarPolicy() == Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        and area.widget().minimumSizeHint().width() > area.viewport().width()
    ]


@pytest.mark.parametrize(
    ("width", "height", "notice"),
    [(1100, 680, True), (1280, 720, False)],
    ids=["1100-680 with a notice and work going on", "1280-720-plain"],
)
def test_no_control_is_lower_than_its_text(window, settled, qtbot, width, height, notice):
    assert window.devicePixelRatio() == float(os.environ.get("QT_SCALE_FACTOR", "1"))
    window.resize(width, height)
    if notice:
        window.notice.ask("Work that was not saved was found.", (("Open it", lambda: None),))
        window.progress.show_text(0.5, "Trying energy and power of the battery")
        window.progress.show()
    found = {}
    for name in BENCHES:
        window.open_bench(name)
        # A layout settles within moments, later where the machine is busy.
        for _ in range(40):
            qtbot.wait(30)
            low = squeezed(window.bench) + clipped(window.bench) + cut_off(window.bench)
            if not low:
                break
        else:
            found[name] = low[:4]
    assert not found


def test_nor_at_200_percent():
    """The same walk on a screen of two points a pixel, which Qt takes from its environment at the start."""
    walk = f"{__file__}::test_no_control_is_lower_than_its_text"
    inner = [sys.executable, "-m", "pytest", walk, "-k", "1280-720-plain", "-q", "-p", "no:cacheprovider"]
    run = subprocess.run(
        inner, env={**os.environ, "QT_SCALE_FACTOR": "2"}, capture_output=True, text=True, check=False
    )
    assert run.returncode == 0, run.stdout[-2000:]
    assert "1 passed" in run.stdout


def test_a_part_that_takes_its_time_is_made_when_it_is_first_chosen(dressed, qtbot):
    tabs, made = Tabs((("one", "One"), ("two", "Two"), ("three", "Three"))), []

    def late(name):
        made.append(name)
        return Label(name)

    whole = QWidget()
    qtbot.addWidget(whole)
    whole.setLayout(tabbed(tabs, Label("first"), lambda: late("second"), lambda: late("third")))
    assert made == []
    tabs.choose("three")
    tabs.choose("one")
    tabs.choose("three")
    assert made == ["third"]
    stack = whole.findChild(QStackedWidget)
    assert stack.currentWidget().text() == "third" and stack.count() == 3


def test_of_many_findings_those_in_view_are_shown_at_once_and_the_others_soon(window, qtbot):
    margin = window.margin
    finding = window.session.plan.live[0].findings[0]
    margin.show_findings([replace(finding, sentence=f"Finding {number}.") for number in range(40)])
    shown = [note for note in margin.notes if not note.isHidden()]
    assert len(margin.notes) == 40 and 8 <= len(shown) < 40
    qtbot.waitUntil(lambda: not any(note.isHidden() for note in margin.notes))
    margin.show_findings([finding])
    assert [note.isHidden() for note in margin._pool[:2]] == [False, True]


def test_what_lies_between_two_lines_is_filled(dressed, qtbot):
    chart = Chart("Stacked", "h", "kW")
    qtbot.addWidget(chart)
    chart.resize(300, 200)
    chart.setXRange(0, 4, padding=0)
    chart.setYRange(0, 4, padding=0)
    chart.steps([0, 1, 2, 3, 4], [2, 2, 3, 3], "#aa0000", base=[1, 1, 1, 1])
    chart.show()
    box = chart.getPlotItem().vb
    image = chart.grab().toImage()

    def red(x, y):
        at = chart.mapFromScene(box.mapViewToScene(QPointF(x, y)))
        return image.pixelColor(at).name() == "#aa0000"

    assert red(0.5, 1.5) and red(2.5, 2.5) and not red(0.5, 2.5) and not red(2.5, 0.5)


def test_a_page_that_is_not_seen_asks_for_no_room_where_it_scrolls(dressed, qtbot):
    area, pages = QScrollArea(), PageStack()
    short, tall = Label("Words that wrap. " * 8), Label("A line\n" * 60)
    qtbot.addWidget(area)
    short.setWordWrap(True)
    for page in (short, tall):
        pages.addWidget(page)
    area.setWidgetResizable(True)
    area.setWidget(pages)
    area.resize(300, 300)
    area.show()
    for page, scrolls in ((short, False), (tall, True), (short, False)):
        pages.setCurrentWidget(page)
        pages.updateGeometry()
        qtbot.waitUntil(lambda scrolls=scrolls: (area.verticalScrollBar().maximum() > 0) == scrolls)


def test_a_title_too_long_for_its_chart_takes_two_lines_and_never_the_axes_room(dressed, qtbot):
    title = "A mean day in winter, by what draws it; beside it hot water, car and heat pump, controlled"
    chart = Chart(title, "hour", "kW")
    qtbot.addWidget(chart)
    label = chart.getPlotItem().titleLabel

    def height():
        return label.item.boundingRect().height()

    chart.resize(900, 220)
    chart.show()
    chart.plot([0, 24], [0, 1])
    qtbot.waitUntil(lambda: label.text == title)
    one = height()
    for width, cut in ((420, False), (240, True)):
        chart.resize(width, 220)
        qtbot.waitUntil(lambda: height() > one * 1.2)
        qtbot.waitUntil(lambda: chart.getPlotItem().sceneBoundingRect().right() <= chart.width() + 1)
        assert label.text.endswith("…") == cut
        assert one < height() <= 2.0 * one
        assert label.item.sceneBoundingRect().right() <= chart.width() + 1
    chart.resize(900, 220)
    qtbot.waitUntil(lambda: label.text == title and height() == one)


@pytest.mark.parametrize(
    ("values", "spacing", "words"),
    [
        ((0, 20000, 40000), 20000, ["0", "20,000", "40,000"]),
        ((-2e6, 0, 2e6, 4e6), 2e6, ["\u22122 M", "0", "2 M", "4 M"]),
        ((0, 500_000, 1_000_000), 500_000, ["0", "0.5 M", "1.0 M"]),
        ((0, 0.05, 0.1), 0.05, ["0.00", "0.05", "0.10"]),
        ((-5, 0, 5), 5, ["\u22125", "0", "5"]),
    ],
)
def test_figures_at_an_axis_are_written_as_elsewhere(dressed, values, spacing, words):
    assert Axis("left").tickStrings(values, 1.0, spacing) == words


@pytest.mark.parametrize("most", [2e-4, 0.4, 4e5])
def test_an_axis_keeps_the_unit_that_it_names(dressed, qtbot, most):
    chart = Chart("A day", "hour", "kW")
    qtbot.addWidget(chart)
    assert not chart.getAxis("right").isVisible()
    chart.getPlotItem().showAxis("right")
    chart.plot([0.0, 1.0], [0.0, most])
    chart.show()
    qtbot.waitExposed(chart)
    for name in ("left", "right", "bottom"):
        axis = chart.getAxis(name)
        axis.setRange(0.0, most)
        assert axis.autoSIPrefixScale == 1.0 and "x0.001" not in axis.labelString()


def test_a_long_mend_stands_on_two_lines_as_it_is_said(dressed):
    button = MendButton()
    button.resize(262, 60)
    said = "Take the Skerrin 6 three-phase hybrid for “Fish & chips”"
    button.show_label(said)
    first, second = button.text().split("\n")
    assert f"{first} {second}".replace("&&", "&") == said and button.toolTip() == ""
    button.resize(120, 60)
    button._cut()
    assert "…" in button.text() and "chips" in button.toolTip()


@pytest.mark.parametrize("height", [90, 110, 140, 400])
def test_keys_stand_over_what_is_drawn_however_low_the_chart_is(qtbot, height):
    chart = Chart("Any", "", "%")
    qtbot.addWidget(chart)
    chart.resize(600, 300)
    chart.show()
    chart.start()
    chart.line([0, 1], [0, 126], "#000000")
    chart.key(0.0, 0.0, "above", "#000000")
    chart.keys_above(0.0, 126.0)
    chart.resize(600, height)
    qtbot.waitUntil(lambda: chart.height() == height)
    view, (key, _) = chart.getViewBox(), chart._keys[0]
    foot = view.mapFromView(QPointF(0.0, key.y())).y() + key.boundingRect().height()
    highest = view.mapFromView(QPointF(0.0, 126.0)).y()
    # Where even a third of the height is too much to give, the line goes behind.
    assert foot <= highest + 1.0 or view.height() < 3.0 * key.boundingRect().height() / 2.0
    assert view.viewRange()[1][1] > 126.0
    chart.start()
    assert chart._keys == [] and chart._under is None
