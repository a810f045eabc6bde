"""Strings and shade against published figures and pvlib."""

import csv
from itertools import islice

import numpy as np
import pytest
from pvlib import pvsystem, shading, solarposition

from calm_relay.exchange.shipped import catalogue
from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.horizon import sky_view, sun_is_hidden
from calm_relay.physics.iv_curve import points_at, string_current
from calm_relay.physics.strings import cold_open_circuit_v, cold_table_factor, hot_max_power_v, reverse_current_a
from calm_relay.physics.sun import SunPath
from calm_relay.planning.findings import Severity
from tests.plans import plan

# NEC table 690.7(A), crystalline silicon; values quoted from memory.
TABLE = {
    (20, 24): 1.02, (10, 14): 1.06, (0, 4): 1.10, (-5, -1): 1.12, (-10, -6): 1.14,
    (-20, -16): 1.18, (-30, -26): 1.21, (-40, -36): 1.25,
}  # fmt: skip


@pytest.mark.parametrize(("band", "factor"), TABLE.items())
def test_cold_factors_of_the_table(band, factor):
    assert cold_table_factor(band[0]) == cold_table_factor(band[1]) == factor


@pytest.mark.parametrize("cold_c", [-38.0, -18.0, -8.0, 2.0, 12.0])
def test_the_coefficient_method_is_never_less_safe_without_saying_so(demo, cold_c):
    made = plan(demo.with_(site=demo.site.with_(coldest_c=cold_c)))
    module = next(item for item in catalogue().modules if item.key == demo.faces[0].module)
    by_table = 10 * module.open_circuit_v * cold_table_factor(cold_c)
    finding = next(item for item in made.option("as-is").findings if item.check == "cold voltage")
    if by_table > finding.measured:
        assert f"{by_table:.0f} V" in finding.sentence
        assert "table method" in finding.sentence
    if by_table > finding.limit:
        assert finding.severity is not Severity.OK


@pytest.fixture(scope="module")
def modules(pvlib_data):
    """Every 700th crystalline module of the public CEC table that pvlib ships: 25 or more, unnamed."""
    (path,) = pvlib_data.glob("*cec-modules*.csv")
    with path.open(encoding="utf-8", errors="replace") as stream:
        rows = csv.reader(stream)
        head = next(rows)
        next(rows), next(rows)
        made = [dict(zip(head, row, strict=True)) for row in islice(rows, 0, None, 700)]
    plain = {"I_sc_ref", "V_oc_ref", "I_mp_ref", "V_mp_ref", "alpha_sc", "beta_oc", "gamma_r"}
    plain |= {"a_ref", "I_L_ref", "I_o_ref", "R_s", "R_sh_ref", "Adjust"}
    silicon = [row for row in made if row["Technology"] in {"Mono-c-Si", "Multi-c-Si"}]
    return [_at_reference({name: float(row[name]) for name in plain}) for row in silicon]


def _at_reference(module):
    """With the three points that the module's own diode has at 25 degC: the table misses them by up to 2 %."""
    points = single_diode(module, 1000.0, 25.0)
    for name, key in (("I_sc_ref", "i_sc"), ("V_oc_ref", "v_oc"), ("I_mp_ref", "i_mp"), ("V_mp_ref", "v_mp")):
        assert points[key] == pytest.approx(module[name], rel=0.025)
        module[name] = points[key]
    return module


def single_diode(module, irradiance, cell_c):
    """De Soto's model (De Soto, Klein and Beckman 2006, Solar Energy 80) by pvlib.

    The table's sixth parameter adjusts the coefficients (Dobos 2012, Journal of Solar Energy Engineering 134).
    """
    parts = pvsystem.calcparams_cec(
        irradiance, cell_c, module["alpha_sc"], module["a_ref"], module["I_L_ref"], module["I_o_ref"],
        module["R_sh_ref"], module["R_s"], module["Adjust"],
    )  # fmt: skip
    return pvsystem.singlediode(*parts)


def coefficients(module):
    """Relative coefficients; that of the working voltage is power's less current's."""
    isc = module["alpha_sc"] / module["I_sc_ref"]
    voc = module["beta_oc"] / module["V_oc_ref"]
    return {"isc_per_c": isc, "voc_per_c": voc, "vmp_per_c": module["gamma_r"] / 100.0 - isc}


def test_there_are_twenty_modules_and_more(modules):
    assert len(modules) >= 20


@pytest.mark.parametrize("cell_c", [-20.0, -5.0, 10.0])
def test_cold_voltage_of_a_string_against_the_single_diode(modules, cell_c):
    for module in modules:
        theirs = 12 * single_diode(module, 1000.0, cell_c)["v_oc"]
        sheet = coefficients(module)["voc_per_c"]
        # The diode's own slope is the datasheet's with the table's adjustment on it: there both must agree.
        own = sheet * (1 + module["Adjust"] / 100)
        assert cold_open_circuit_v(module["V_oc_ref"], own, 12, cell_c) == pytest.approx(theirs, rel=0.005)
        assert cold_open_circuit_v(module["V_oc_ref"], sheet, 12, cell_c) == pytest.approx(theirs, rel=0.035)


@pytest.mark.parametrize("cell_c", [45.0, 65.0, 75.0])
def test_hot_voltage_of_a_string_against_the_single_diode(modules, cell_c):
    for module in modules:
        theirs = 12 * single_diode(module, 1000.0, cell_c)["v_mp"]
        ours = hot_max_power_v(module["V_mp_ref"], coefficients(module)["vmp_per_c"], 12, cell_c)
        assert ours == pytest.approx(theirs, rel=0.045)


@pytest.mark.parametrize(("irradiance", "cell_c"), [(1000.0, -10.0), (800.0, 50.0), (400.0, 35.0)])
def test_currents_and_power_of_a_string_against_the_single_diode(modules, irradiance, cell_c):
    for module in modules:
        theirs = single_diode(module, irradiance, cell_c)
        points = points_at(
            module["I_sc_ref"], module["I_mp_ref"], module["V_mp_ref"], module["V_oc_ref"],
            **coefficients(module), irradiance=irradiance, cell_c=cell_c, in_series=12,
        )  # fmt: skip
        assert points.isc == pytest.approx(theirs["i_sc"], rel=0.01)
        volts = np.linspace(0, points.voc, 2001)
        best = (volts * string_current(points, volts)).max()
        assert best == pytest.approx(12 * theirs["p_mp"], rel=0.07)


def test_the_exemption_for_two_strings():
    """NEC 690.9(A), from memory: two strings cannot drive more through one than its modules bear.

    One string's short-circuit current lies below the module's own series-fuse rating, by every datasheet.
    """
    for module in catalogue().modules:
        assert reverse_current_a(module.short_circuit_a, 2) < module.series_fuse_a


@pytest.fixture(scope="module")
def sun():
    calendar = year_calendar(2026, "America/New_York", 30)
    position = solarposition.get_solarposition(calendar.utc, 36.1, -79.95)
    return SunPath(
        position["apparent_zenith"].to_numpy(), position["azimuth"].to_numpy(), np.full(calendar.steps, 1361.0)
    )


def wall(height, towards=90.0):
    """Horizon of a long straight wall: its height seen square on [deg], and the direction it stands in."""
    azimuths = np.arange(0.0, 360.0, 2.0)
    square = np.cos(np.radians(azimuths - towards))
    heights = np.degrees(np.arctan(np.tan(np.radians(height)) * np.maximum(square, 0.0)))
    return azimuths, heights


@pytest.mark.parametrize("height", [12.0, 25.0, 40.0])
def test_shade_of_a_wall_against_pvlib_s_projection(sun, height):
    """By pvlib's projected solar zenith angle (Anderson and Mikofski 2020, NREL/TP-5K00-76626)."""
    hidden = sun_is_hidden(sun, *wall(height))
    projected = shading.projected_solar_zenith_angle(sun.zenith, sun.azimuth, 0.0, 180.0)
    up = sun.zenith < 90.0
    # East of the zenith, lower than the wall is high.
    side = -1.0 if np.sin(np.radians(sun.azimuth[up][0])) * projected[up][0] < 0 else 1.0
    behind = up & (side * projected > 90.0 - height)
    clear_cut = np.abs(side * projected - (90.0 - height)) > 0.3
    assert hidden.sum() > 300
    assert (hidden == behind)[up & clear_cut].all()


@pytest.mark.parametrize("height", [10.0, 30.0, 50.0])
def test_weather_behind_a_wall_against_pvlib_s_loss(height):
    """By pvlib's diffuse loss behind a masking angle (Passias and Källbäck 1984, Solar Cells 11)."""
    assert 1.0 - sky_view(0.0, 0.0, *wall(height)) == pytest.approx(shading.sky_diffuse_passias(height), abs=0.01)


@pytest.mark.parametrize(
    ("zone", "short", "long"),
    [
        ("Europe/Dublin", "2026-03-29", "2026-10-25"),
        ("America/New_York", "2026-03-08", "2026-11-01"),
        ("Pacific/Auckland", "2026-09-27", "2026-04-05"),
    ],
)
def test_days_of_23_and_25_hours(zone, short, long):
    """Daylight saving by the tz database: the planner's local days of 2026."""
    calendar = year_calendar(2026, zone)
    days = calendar.wall.astype("datetime64[D]")
    assert (days == np.datetime64(short)).sum() == 23 * 4
    assert (days == np.datetime64(long)).sum() == 25 * 4
