"""Lengths are shown and typed in feet where the region measures so, and kept in metres."""

import pytest
from PySide6.QtWidgets import QLabel

from calm_relay.desk.dialogs.costs_dialog import CostsDialog
from calm_relay.desk.dialogs.months_dialog import MonthsDialog
from calm_relay.desk.dialogs.snow_dialog import SnowDialog
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.field_range import FieldRange
from calm_relay.job.model import MonthlyWeather
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


def test_snow_is_typed_in_inches_and_wind_in_miles_an_hour(cottage, qtbot, settled):
    cottage.open_bench("Site")
    bench = cottage.bench
    snow = SnowDialog(None, cottage)
    type_into(qtbot, snow.fall[0], "10")
    type_into(qtbot, snow.days[0], "4")
    assert snow.fall[0].text() == "10 in" and snow.fall[0].value == pytest.approx(25.4)
    snow.take()
    site = cottage.session.job.site
    cottage.session.edit(cottage.session.job.with_(site=site.with_(snow=snow.snow)), "Snow")
    settled(cottage)
    assert bench.snow.toolTip() == "Fresh snow: 10 in a year, on 4 days"
    months = MonthsDialog(
        MonthlyWeather(ghi_kwh_per_day=(4.0,) * 12, temp_c=(10.0,) * 12, wind_mean=4.4704), cottage
    )
    assert months.yearly["wind_mean"].text() == "10 mph"
    type_into(qtbot, months.yearly["wind_mean"], "5 m/s")
    months.take()
    assert months.weather.wind_mean == pytest.approx(5.0)
    shown = "\n".join(label.text() for label in bench.findChildren(QLabel))
    assert " mph mean" in shown and " m/s" not in shown


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
