"""Numbers as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.job.quantity import FACTORS, length_text, parse_quantity, quantity_text, shown_unit


@pytest.mark.parametrize(
    ("text", "unit", "mark", "value"),
    [
        ("9.6 kWh", "kWh", ".", 9.6),
        ("9600 Wh", "kWh", ".", 9.6),
        ("9,6kWh", "kWh", ",", 9.6),
        ("9,6", "kWh", ".", 9.6),
        ("0.0096 MWh", "kWh", ".", 9.6),
        ("1,234", "kW", ".", 1234.0),
        ("1,234", "kW", ",", 1.234),
        ("1.234,5 W", "W", ",", 1234.5),
        ("1'234.5", "W", ".", 1234.5),
        ("12 345", "kWh", ",", 12345.0),
        ("-3", "", ".", -3.0),
        ("−3,5", "", ",", -3.5),
        (".5 kw", "kW", ".", 0.5),
        ("40 %", "%", ".", 40.0),
        ("14 °F", "°C", ".", -10.0),
        ("−4,5F", "°C", ",", -20.278),
        ("14 c", "°C", ".", 14.0),
        ("1.234.567", "W", ".", 1234567.0),
        ("2,045 ft²", "m²", ".", 189.98663),
        ("100 gal", "l", ".", 378.5411784),
        ("1500 VA", "kVA", ".", 1.5),
        ("12 ft 6 in", "m", ".", 3.81),
        ("12' 6.5\"", "ft", ".", 12.541667),
        ("12", "ft", ".", 12.0),
        ("3.6576 m", "ft", ".", 12.0),
        ("18 in", "ft", ".", 1.5),
        ("3 /ft", "/m", ".", 9.8425197),
    ],
)
def test_units_and_decimal_marks_are_understood(text, unit, mark, value):
    assert parse_quantity(text, unit, mark) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "unit", "wanted"),
    [
        ("much", "kWh", "no number; wanted a number such as 9.6 kWh or 9600 Wh"),
        ("9.6 kW", "kWh", "'kW' is no unit here"),
        ("", "A", "wanted a number such as 9.6 A"),
        ("1.2.3", "V", "can be read more than one way"),
        ("1,2.3,4", "V", "can be read more than one way"),
        ("5 5 A 3", "A", "is no unit here|is no number"),
    ],
)
def test_what_is_no_quantity_is_refused_with_an_example(text, unit, wanted):
    with pytest.raises(ValueError, match=wanted):
        parse_quantity(text, unit)


@given(
    st.floats(-1e5, 1e5),
    st.sampled_from([".", ","]),
    st.sampled_from(sorted(FACTORS)),
)
def test_what_is_shown_is_read_back(value, mark, unit):
    shown = quantity_text(value, unit, 2, mark)
    assert parse_quantity(shown, unit, mark) == pytest.approx(value, abs=0.00501)


@pytest.mark.parametrize(
    ("metres", "said"),
    [(0.1, "4 in"), (0.9144, "3 ft"), (-0.5, "−1.6 ft"), (30.0, "98 ft"), (610.0, "2,001 ft"), (0.0, "0 ft")],
)
def test_feet_are_told_no_more_exactly_than_a_tape_is_read(metres, said):
    assert length_text(metres, in_feet=True) == said
    assert length_text(metres, in_feet=False) == f"{metres:g} m".replace("-", "−")


@pytest.mark.parametrize("unit", ["m", "m²", "/m", "cm", "m/s"])
def test_what_is_shown_in_feet_is_one_foot_long(unit):
    shown, each = shown_unit(unit, in_feet=True)
    assert shown != unit and each == pytest.approx(parse_quantity(f"1 {shown}", unit))
    assert parse_quantity("7", shown) * each == pytest.approx(parse_quantity(f"7 {shown}", unit))
    assert shown_unit(unit, in_feet=False) == (unit, 1.0) and shown_unit("kW", in_feet=True) == ("kW", 1.0)
