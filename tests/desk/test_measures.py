"""Lengths are shown and typed in feet where the region measures so, and kept in metres."""

import pytest

from calm_relay.desk.dialogs.costs_dialog import CostsDialog
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.field_range import FieldRange
from calm_relay.job.tariff import Costs
from tests.desk.driving import type_into


@pytest.fixture
def cottage(window, settled):
    """The window on the demo of the United States."""
    window.session.replace(demo_job("cottage"))
    settled(window)
    return window


def test_a_roof_is_measured_in_feet_and_inches(cottage, qtbot, settled):
    cottage.open_bench("Roof")
    bench = cottage.bench
    bench.tabs.choose("layout")
    width = bench.layout_.fields["width_m"]
    assert width.text() == "23 ft" and "656.17 ft" in width.toolTip()
    type_into(qtbot, width, "24 ft 6 in")
    settled(cottage)
    assert cottage.session.job.faces[0].rectangle.width_m == pytest.approx(7.4676) and width.text() == "24.5 ft"
    type_into(qtbot, width, "7 m")
    settled(cottage)
    assert cottage.session.job.faces[0].rectangle.width_m == pytest.approx(7.0) and width.text() == "22.97 ft"
    type_into(qtbot, width, "900")
    assert "is 900 ft; wanted above 0 ft, up to 656.17 ft" in bench.layout_.problem.text()


def test_fields_turn_with_the_region_and_keep_what_is_being_typed(cottage, qtbot, settled):
    cottage.open_bench("Site")
    elevation = cottage.bench.inputs.editors["Elevation"]
    assert elevation.text() == "886 ft"
    cottage.open_bench("Grid")
    (clear,) = [field for key, field in cottage.bench.rules.limits.items() if key == "us-battery-clear"]
    assert clear.text() == "3 ft"
    costs = CostsDialog(Costs(cable_per_metre=10.0, cable_metres=30.48), "$", None, lambda _: True, cottage)
    typed = QuantityField("Length", "m", FieldRange(0.0, 500.0), parent=costs)
    typed.show_value(3.048)
    typed.selectAll()
    qtbot.keyClicks(typed, "11")
    assert costs.fields["cable_per_metre"].text() == "3.05 /ft" and costs.fields["cable_metres"].text() == "100 ft"
    cottage.session.replace(demo_job("dairy"))
    assert elevation.text() == f"{demo_job('dairy').site.elevation_m:.0f} m"
    assert costs.fields["cable_per_metre"].text() == "10 /m" and costs.fields["cable_metres"].text() == "30.48 m"
    assert typed.text() == "11"
    type_into(qtbot, typed, "12")
    assert typed.value == 12.0
    settled(cottage)
