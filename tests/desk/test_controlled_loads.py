"""Controlled loads on the bench Home: added by their form, ordered by keys and by drag, and compared."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction

from calm_relay.exchange.job_file import read_job, write_job
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.site.usual_car import usual_car
from tests.desk.driving import LEFT, choose, painted, type_into


def names(bench):
    order = bench.controlled.order
    # A row that the list holds and does not show is no row.
    assert all(order.visualItemRect(order.item(row)).height() > 0 for row in range(order.count()))
    return [order.item(row).text() for row in range(order.count())]


def added(window, qtbot, settled, kind, **fields):
    bench = window.bench
    bench.loads.add_one(kind)
    dialog = bench.loads.dialog
    for name, text in fields.items():
        type_into(qtbot, dialog.fields[name], text)
    dialog.take()
    settled(window)
    return bench


def test_loads_are_added_ordered_and_compared(window, qtbot, settled, tmp_path):
    window.open_bench("Home")
    bench = window.bench
    bench.tabs.choose("controlled")
    assert bench.controlled.nothing.isVisible() and not bench.controlled.order.isVisible()
    words = [action.text() for action in bench.loads.add.menu().actions() if isinstance(action, QAction)]
    assert words == ["Machine…", "Heat pump…", "Car…", "Hot water…", "Pool pump or the like…"]
    added(window, qtbot, settled, "hot_water", litres="300", element_kw="2,5 kW")
    water = window.session.job.demand.hot_water[0]
    assert (water.litres, water.element_kw, water.name) == (300.0, 2.5, "Hot water")
    added(window, qtbot, settled, "flexible", kwh_per_day="4")
    assert not bench.controlled.nothing.isVisible()
    assert names(bench) == ["Battery", "Hot water", "Pool pump"]
    # By keys: the line in hand goes up.
    bench.controlled.order.setCurrentRow(1)
    bench.controlled.order.setFocus()
    qtbot.keyClick(bench.controlled, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    settled(window)
    assert window.session.job.control.surplus_order == ("Hot water", "battery", "Pool pump")
    assert names(bench) == ["Hot water", "Battery", "Pool pump"]
    # By the button, and back by undo.
    bench.controlled.order.setCurrentRow(2)
    qtbot.mouseClick(bench.controlled.earlier, LEFT)
    settled(window)
    assert window.session.job.control.surplus_order == ("Hot water", "Pool pump", "battery")
    window.session.undo()
    settled(window)
    assert names(bench) == ["Hot water", "Battery", "Pool pump"]
    # Dragged.
    model = bench.controlled.order.model()
    assert model.moveRow(model.index(0, 0).parent(), 0, model.index(0, 0).parent(), 3)
    settled(window)
    assert window.session.job.control.surplus_order == ("battery", "Pool pump", "Hot water")
    qtbot.waitUntil(lambda: bench.controlled.is_drawn)
    picture = bench.controlled.picture
    assert "battery first: import" in picture.accessibleDescription()
    assert "each worth NZ$" in picture.accessibleDescription() and painted(picture) > 0.05
    notes = [note.finding.sentence for note in window.margin.notes]
    assert window.view.option.outcome.year.loads.kwh("taken") > 1000
    # Saved and read again it is the same job.
    write_job(window.session.job, tmp_path / "wet.relay.json")
    assert read_job(tmp_path / "wet.relay.json").demand.hot_water == window.session.job.demand.hot_water
    assert notes


def test_a_tank_is_heated_through_in_windows_that_are_typed(window, qtbot, settled):
    window.open_bench("Home")
    bench = added(window, qtbot, settled, "hot_water")
    bench.loads.table.selectRow(len(bench.loads._rows) - 1)
    bench.loads.change()
    dialog = bench.loads.dialog
    qtbot.mouseClick(dialog.fields["top_up"].add, LEFT)
    choose(dialog.fields["pattern"], "evening")
    dialog.fields["on_surplus"].setChecked(False)
    dialog.take()
    settled(window)
    water = window.session.job.demand.hot_water[0]
    assert [window_.summary for window_ in water.top_up] == ["03:00 to 05:30"]
    assert (water.pattern, water.on_surplus) == ("evening", False)
    bench.loads.change()
    dialog = bench.loads.dialog
    type_into(qtbot, dialog.fields["hot_c"], "20")
    dialog.take()
    assert dialog.problem.text() == "Hot: is 20 °C; wanted 35 °C to 95 °C."
    dialog.reject()


def test_off_grid_the_orders_speak_of_generator_fuel_and_what_the_loads_have(window, settled, qtbot):
    hut = demo_job("hut")
    car = usual_car(hut.supply, name="Car")
    window.session.replace(hut.with_(demand=hut.demand.with_(cars=(car,))))
    window.forget_view()
    settled(window)
    window.show_option([option.key for option in window.session.plan.options].index("hybrid-swap"))
    window.open_bench("Home")
    bench = window.bench
    bench.tabs.choose("controlled")
    qtbot.waitUntil(lambda: bench.controlled.is_drawn, timeout=20_000)
    told = bench.controlled.picture.accessibleDescription()
    assert "generator" in told and "curtailed" in told and "fuel € " in told
    assert "import" not in told and "export" not in told and "worth" not in told
    said = [text for text, _ in bench.controlled.picture._sentences()]
    assert said[0].startswith("The loads have ") and "(loads first)" in said[0]
