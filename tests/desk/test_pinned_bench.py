"""Pins in the window: an option in view is pinned, the battery changed, another pinned, and both compared."""

import pytest

from tests.desk.driving import LEFT, painted, press, type_into


@pytest.fixture
def bench(window, qtbot):
    window.show_option(1)
    press(qtbot, window, "Ctrl+Shift+B")
    return window.bench


def ready(qtbot, bench, settled, window):
    settled(window)
    qtbot.waitUntil(lambda: bench.settled)


def test_two_pins_with_different_batteries_are_compared(window, bench, qtbot, settled):
    assert "Nothing is pinned yet" in bench.summary.text()
    qtbot.mouseClick(bench.pin, LEFT)
    ready(qtbot, bench, settled, window)
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(count=5)), "more")
    settled(window)
    qtbot.mouseClick(bench.pin, LEFT)
    ready(qtbot, bench, settled, window)
    first, second = window.session.job.pinned
    assert (first.battery.count, second.battery.count) == (3, 5)
    assert bench.result.names[1:] == (first.name, second.name)
    assert painted(bench.scales) > 0.05
    type_into(qtbot, bench.names[0], "What we talked about")
    ready(qtbot, bench, settled, window)
    assert window.session.job.pinned[0].name == "What we talked about"
    assert window.commands.undo.text().startswith("Undo: AC-coupled add-on")
    qtbot.mouseClick(bench.takes[0], LEFT)
    ready(qtbot, bench, settled, window)
    assert window.session.job.battery.count == 3
    qtbot.mouseClick(bench.removes[1], LEFT)
    ready(qtbot, bench, settled, window)
    assert [pin.name for pin in window.session.job.pinned] == ["What we talked about"]


def test_a_name_twice_is_refused_and_the_old_one_stays(window, bench, qtbot, settled):
    for _ in range(2):
        qtbot.mouseClick(bench.pin, LEFT)
        ready(qtbot, bench, settled, window)
    first, second = (pin.name for pin in window.session.job.pinned)
    assert second == f"{first} 2"
    type_into(qtbot, bench.names[1], first)
    assert "stands twice" in bench.problem.text()
    assert bench.names[1].text() == second


def test_a_pin_says_all_its_units_and_shows_its_whole_name(window, qtbot, settled):
    keys = [option.key for option in window.session.plan.options]
    window.show_option(keys.index("two-units"))
    press(qtbot, window, "Ctrl+Shift+B")
    bench = window.bench
    qtbot.mouseClick(bench.pin, LEFT)
    ready(qtbot, bench, settled, window)
    # Six packs on two units, and no letter that another option has.
    assert bench.units[0].text() == "2 × (3 × Fern 4.8 (48 V)) on 2 × Mossgate 5 battery inverter"
    name = bench.names[0]
    assert name.fontMetrics().horizontalAdvance(name.text()) < name.width() - 12
    assert "1 61 of 100" in bench.scales.accessibleDescription()
