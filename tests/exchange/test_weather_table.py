"""Tables of hours of weather, in the forms in which services of satellite data and stations write them."""

from datetime import datetime, timedelta

import numpy as np
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.weather_file import read_weather_years

FIRST = datetime(2023, 1, 1)
HOURS = [FIRST + timedelta(hours=n) for n in range(8760)]


def light(moment):
    """A square sun of 600 W/m2 from 9 to 15 h, brighter in the later months."""
    return 500.0 + 10.0 * moment.month if 9 <= moment.hour < 15 else 0.0


def read(tmp_path, lines, name="weather.csv"):
    path = tmp_path / name
    path.write_text("\n".join(lines) + "\n")
    return read_weather_years(path)


def typical_year():
    """Months of several years, stamps in UTC with a colon, words above and below."""
    lines = [
        "Latitude (decimal degrees): 45.812", "Longitude (decimal degrees): 8.628", "Elevation (m): 214.0",
        "month,year", *(f"{month},{2004 + month}" for month in range(1, 13)),
        "time(UTC),T2m,RH,G(h),Gb(n),Gd(h),IR(h),WS10m,WD10m,SP",
    ]  # fmt: skip
    for at in HOURS:
        ghi = light(at)
        lines.append(
            f"{2004 + at.month}{at:%m%d:%H%M},{10 + at.month / 10:.2f},80.0,{ghi},{ghi / 2},{ghi / 2},300,2.5,180,9500"
        )
    return [*lines, "", "T2m: 2-m air temperature (degree Celsius)", "Data provided by somebody"]


def parts_of_time(minutes=60):
    """The station's line and its values, then year, month, day, hour and minute in columns; half hours too."""
    lines = [
        "Source,Location ID,City,Latitude,Longitude,Time Zone,Elevation,Local Time Zone,Clearsky GHI Units",
        "Made,1,-,39.73,-105.18,-7,1820,-7,w/m2",
        "Year,Month,Day,Hour,Minute,Temperature,Clearsky GHI,DNI,GHI,DHI,Wind Speed",
    ]
    for n in range(8760 * 60 // minutes):
        at = FIRST + timedelta(minutes=n * minutes)
        ghi = light(at)
        middle = 30 if minutes == 60 else at.minute
        lines.append(f"2023,{at.month},{at.day},{at.hour},{middle},12.5,900,{ghi / 2},{ghi},{ghi / 2},3.1")
    return lines


def ends_of_periods():
    """Ends and beginnings of periods with an offset, in a leap year from 1 July on."""
    lines = ["PeriodEnd,PeriodStart,Period,AirTemp,Dhi,Dni,Ghi,WindSpeed10m"]
    for n in range(8760):
        at = datetime(2023, 7, 1) + timedelta(hours=n)
        if at >= datetime(2024, 2, 29):
            at += timedelta(days=1)
        ghi = light(at)
        end = at + timedelta(hours=1)
        lines.append(f"{end:%Y-%m-%dT%H:%M:%SZ},{at:%Y-%m-%dT%H:%M:%SZ},PT60M,11,{ghi / 2},{ghi / 2},{ghi},2")
    return lines


def units_in_heads():
    """Two lines of the place with their heads, a blank one, and speeds in km/h."""
    lines = [
        "latitude,longitude,elevation,utc_offset_seconds", "52.52,13.42,38.0,0", "",
        "time,temperature_2m (°C),shortwave_radiation (W/m²),diffuse_radiation (W/m²),wind_speed_10m (km/h)",
    ]  # fmt: skip
    return lines + [f"{at:%Y-%m-%dT%H:%M},50.0,{light(at)},{light(at) / 2},36" for at in HOURS]


def test_a_typical_year_of_satellite_data_is_read(tmp_path):
    (year,) = read(tmp_path, typical_year())
    assert (year.latitude, year.longitude, year.elevation_m, year.utc_offset_h) == (45.812, 8.628, 214.0, 0.0)
    assert year.ghi.tolist() == [light(at) for at in HOURS]
    assert year.dhi.tolist() == year.dni.tolist() == [light(at) / 2 for at in HOURS]
    assert year.temp_air[-1] == 11.2 and (year.wind_speed == 2.5).all() and year.calendar_year is None


@pytest.mark.parametrize("minutes", [60, 30, 15])
def test_a_time_in_columns_is_read_and_parts_of_hours_are_their_means(tmp_path, minutes):
    (year,) = read(tmp_path, parts_of_time(minutes))
    assert (year.latitude, year.longitude, year.elevation_m, year.utc_offset_h) == (39.73, -105.18, 1820.0, -7.0)
    assert year.ghi == pytest.approx([light(at) for at in HOURS])
    assert year.calendar_year == 2023 and year.ghi.max() < 700


def test_a_year_that_begins_in_july_is_laid_on_its_months(tmp_path):
    (year,) = read(tmp_path, ends_of_periods())
    assert year.ghi.tolist() == [light(at) for at in HOURS]
    assert year.utc_offset_h == 0.0 and year.calendar_year is None and np.isnan(year.latitude)
    # Ends alone are an interval later.
    ends = [",".join([line.split(",")[0], *line.split(",")[2:]]) for line in ends_of_periods()]
    assert read(tmp_path, ends)[0].ghi.tolist() == year.ghi.tolist()


def test_units_and_what_is_left_out_are_known(tmp_path):
    (year,) = read(tmp_path, units_in_heads())
    assert (year.wind_speed == 10.0).all() and (year.temp_air == 50.0).all() and np.isnan(year.dni).all()
    assert np.isnan(year.utc_offset_h) and year.latitude == 52.52
    fahrenheit = [line.replace("(°C)", "(°F)") for line in units_in_heads()]
    assert read(tmp_path, fahrenheit)[0].temp_air[0] == pytest.approx(10.0)
    bare = ["time;GHI [kW/m2];Temp", *(f"{at:%d.%m.%Y %H:%M};{light(at) / 1000};9" for at in HOURS)]
    (year,) = read(tmp_path, bare)
    assert year.ghi == pytest.approx([light(at) for at in HOURS]) and np.isnan(year.wind_speed).all()


def test_two_years_and_a_leap_day_are_told_apart(tmp_path):
    lines = ["time,ghi,temp_air"]
    for n in range(731 * 24):
        at = datetime(2023, 1, 1) + timedelta(hours=n)
        lines.append(f"{at:%Y-%m-%d %H:%M},{light(at) if at.year == 2023 else 0},9")
    first, second = read(tmp_path, lines)
    assert (first.calendar_year, second.calendar_year) == (2023, 2024)
    assert first.ghi.max() > 500 and second.ghi.max() == 0


def changed(lines, at, text):
    return [*lines[:at], text, *lines[at + 1 :]]


@pytest.mark.parametrize(
    ("lines", "where", "problem"),
    [
        (lambda: ["a,b", "1,2"], "", "holds no column of global horizontal irradiance and air temperature"),
        (lambda: ["time,ghi,wind speed", "2023-01-01 00:00,0,1"], "", "holds no column of air temperature"),
        (lambda: changed(units_in_heads(), 500, "soon,1,2,3,4"), "line 501", "the time is 'soon'"),
        (lambda: changed(units_in_heads(), 500, ""), "line 500", "ends after 496 hours; wanted 8760 a year"),
        (lambda: changed(units_in_heads(), 500, units_in_heads()[499]), "line 501", "does not follow the row before"),
        (lambda: changed(units_in_heads(), 10, "2023-01-01T06:00,9,-999,3,4"), "line 11", "is it a missing value?"),
        (lambda: changed(units_in_heads(), 10, "2023-01-01T06:00,9,x,3,4"), "line 11", "is 'x'; wanted a number"),
        (lambda: changed(units_in_heads(), 10, "2023-01-01T06:00Z,9,1,3,4"), "line 11", "another clock"),
        (lambda: units_in_heads()[:3000], "line 3000", "ends after 2,996 hours"),
        (lambda: ["time,ghi,temp_air", "2023-01-01 00:00,0,1", "2023-01-01 03:00,0,1"], "line 3", "180 minutes"),
        (lambda: ["Latitude: 95", *units_in_heads()[3:]], "latitude", "is 95; wanted -90 to 90"),
        (lambda: ["ghi,temp_air", "1,2"], "line 1", "has no column of time"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named_with_its_line(tmp_path, lines, where, problem):
    with pytest.raises(InputError) as caught:
        read(tmp_path, lines())
    assert caught.value.where == where and problem in caught.value.problem


def test_a_head_with_a_comma_in_quotes_is_one_column(tmp_path):
    lines = typical_year()
    at = next(n for n, line in enumerate(lines) if line.startswith("time(UTC)"))
    lines[at] = 'time(UTC),"T2m, 2 m",RH,"G(h), level",Gb(n),Gd(h),IR(h),WS10m,WD10m,SP'
    plain, quoted = read(tmp_path, typical_year())[0], read(tmp_path, lines, "quoted.csv")[0]
    assert np.array_equal(plain.ghi, quoted.ghi) and np.array_equal(plain.temp_air, quoted.temp_air)
    lines[at] = 'time(UTC),"T2m,RH,G(h),Gb(n),Gd(h),IR(h),WS10m,WD10m,SP'
    with pytest.raises(InputError, match="holds no column"):
        read(tmp_path, lines)


ABROAD = {
    "German": (
        "Zeitstempel;Globalstrahlung [W/m²];Diffusstrahlung [W/m²];Lufttemperatur [°C];Windgeschwindigkeit [m/s]",
        ";",
    ),
    "Spanish": ("Fecha;Irradiancia global (W/m2);Difusa (W/m2);Temperatura (°C);Velocidad del viento (m/s)", ";"),
    "French": ("Heure;Rayonnement global (W/m2);Diffus (W/m2);Température (°C);Vitesse du vent (m/s)", ";"),
    "Italian": ("Data;Radiazione globale (W/m2);Diffusa (W/m2);Temperatura (°C);Velocità del vento (m/s)", ";"),
    "American": ("Time\tGHI\tDHI\tTemperature\tWind Speed", "\t"),
}


@pytest.mark.parametrize("language", ABROAD)
def test_a_table_in_another_language_and_with_commas_is_read(tmp_path, language):
    head, mark = ABROAD[language]
    order = "%m/%d/%Y %H:%M" if language == "American" else "%d.%m.%Y %H:%M"
    rows = [
        mark.join(
            [at.strftime(order), *(f"{value:.1f}".replace(".", ",") for value in (light(at), 50.5, 11.5, 2.5))]
        )
        for at in HOURS
    ]
    (year,) = read(tmp_path, [head, *rows])
    assert year.ghi.sum() == pytest.approx(sum(map(light, HOURS)))
    assert (year.dhi.max(), year.temp_air[5000], year.wind_speed[10]) == (50.5, 11.5, 2.5)
