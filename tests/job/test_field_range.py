"""Forms read what a number may be from the model."""

import pytest
from pydantic import ValidationError

from calm_relay.job.control import GridCharge
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.model import MonthlyWeather, PlannedBattery, RoofFace, Site, Supply
from calm_relay.job.survey import ExistingBattery
from calm_relay.job.tariff import Tariff


@pytest.mark.parametrize(
    ("model", "name", "expected"),
    [
        (Supply, "main_fuse_a", FieldRange(0, 1000, low_open=True)),
        (Tariff, "export_limit_kw", FieldRange(0, optional=True)),
        (Site, "coldest_c", FieldRange(-60, 30, optional=True)),
        (RoofFace, "azimuth", FieldRange(0, 360, high_open=True)),
        (ExistingBattery, "reserve", FieldRange(0, 1, optional=True)),
        (MonthlyWeather, "ghi_kwh_per_day", FieldRange(0, 12)),
    ],
)
def test_a_range_is_what_the_model_says(model, name, expected):
    assert range_of(model, name) == expected


def test_the_model_takes_what_the_range_holds_and_nothing_else():
    window = GridCharge(start="01:00", end="05:00")
    span = range_of(GridCharge, "limit_kw")
    for value in (-1.0, 0.0, 0.1, 100.0, 100.5):
        if span.holds(value):
            assert window.with_(limit_kw=value).limit_kw == value
        else:
            with pytest.raises(ValidationError):
                window.with_(limit_kw=value)


def test_a_range_in_another_unit():
    assert range_of(PlannedBattery, "reserve").times(100) == FieldRange(0, 95)
