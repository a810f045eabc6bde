"""Interval CSV of many shapes: how each is understood, and what is said of one that is no good."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.job.survey import MeterReading

DUBLIN, NEW_YORK, AUCKLAND = "Europe/Dublin", "America/New_York", "Pacific/Auckland"
HALF_HOURS = [datetime(2025, 1, 1) + timedelta(minutes=30 * i) for i in range(48 * 40)]


def read(tmp_path, text, zone=DUBLIN, *, wanted="use", encoding="utf-8", **reading):
    path = tmp_path / "meter.csv"
    path.write_bytes(text.encode(encoding))
    return read_meter_file(path, MeterReading(**reading), zone, wanted=wanted)


def lines(head, make, stamps=HALF_HOURS):
    return "\n".join([head, *(make(stamp) for stamp in stamps)])


SHAPES = {
    "ISO, point, kWh": (lines("time,kwh", lambda t: f"{t.isoformat()},0.42"), 0.42),
    "German, comma, title above": (
        lines("Zähler 123\nDatum;Verbrauch (kWh)", lambda t: f"{t:%d.%m.%Y %H:%M};0,42"),
        0.42,
    ),
    "watts, tab, day first": (lines("When\tPower W", lambda t: f"{t:%d/%m/%Y %H:%M}\t840"), 0.42),
    "date and time apart, month first, half days": (
        lines("Date,Time,Usage Wh", lambda t: f"{t:%m/%d/%Y},{t:%I:%M %p},420"),
        0.42,
    ),
    "unit in every cell": (lines("start|reading", lambda t: f"{t:%Y-%m-%d %H:%M:%S}|0.42 kWh"), 0.42),
    "a row a day": (
        "Date," + ",".join(f"{i // 2:02d}:{i % 2 * 30:02d}" for i in range(48)) + ",Total\n"
        + "\n".join(f"{t:%Y-%m-%d}," + ",".join(["0.42"] * 48) + ",20.16" for t in HALF_HOURS[::48]),
        0.42,
    ),
    "times with a point": (lines("Data;Ora;kWh", lambda t: f"{t:%d/%m/%Y};{t:%H.%M};0,42"), 0.42),
    "days of the week, half hours from and to": (
        lines(
            "Day,Time,Use", lambda t: f"{t:%a %m/%d/%Y},{t:%I:%M %p} - {t + timedelta(minutes=30):%I:%M %p},0.42 kWh"
        ),
        0.42,
    ),
    "blocks of half hours": (
        lines("Date,Block,Units (kWh)", lambda t: f"{t:%d-%m-%Y},{t:%H:%M}-{t + timedelta(minutes=30):%H:%M},0.42"),
        0.42,
    ),
    "names of zones": (lines("Start,Usage (kWh)", lambda t: f"{t:%Y-%m-%d %H:%M:%S} GMT,0.42"), 0.42),
    "long numbers beside the quantity": (
        lines(
            "Metering point;Product;Resolution;Unit;Start time;Quantity;Quality",
            lambda t: f"100000000000000007;2000000000019;PT30M;KWH;{t:%Y-%m-%dT%H:%M:%SZ};0,42;OK",
        ),
        0.42,
    ),
    "named months, quoted, thousands": (
        lines('"Interval","Energy Wh"', lambda t: f'"{t:%d-%b-%Y %H:%M}","1,420.0"'),
        1.42,
    ),
}  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES)
def test_many_shapes_are_understood(tmp_path, shape):
    text, kwh = SHAPES[shape]
    data = read(tmp_path, text)
    assert data.understood.interval_minutes == 30
    assert data.starts.size == len(HALF_HOURS)
    assert data.import_kwh == pytest.approx(np.full(len(HALF_HOURS), kwh))
    assert data.starts[0] == np.datetime64("2025-01-01T00:00:00")
    assert data.days == pytest.approx(40)


@pytest.mark.parametrize("encoding", ["utf-8-sig", "utf-16", "cp1252"])
def test_encodings_are_shown_apart(tmp_path, encoding):
    text = SHAPES["German, comma, title above"][0]
    assert read(tmp_path, text, encoding=encoding).import_kwh.sum() == pytest.approx(0.42 * len(HALF_HOURS))


def local_year(zone, minutes=30):
    start = datetime(2025, 1, 1, tzinfo=ZoneInfo(zone)).astimezone(UTC)
    return [
        (start + timedelta(minutes=minutes * i)).astimezone(ZoneInfo(zone)) for i in range(365 * 1440 // minutes)
    ]


@pytest.mark.parametrize("zone", [DUBLIN, NEW_YORK, AUCKLAND])
def test_local_time_with_days_of_23_and_25_hours(tmp_path, zone):
    stamps = local_year(zone)
    data = read(tmp_path, lines("time,kwh", lambda t: f"{t:%Y-%m-%d %H:%M},0.2", stamps), zone)
    assert data.understood.clock == "local"
    assert data.starts.size == len(stamps)
    assert set(np.diff(data.starts).astype(int)) == {1800}
    days = np.array([stamp.date() for stamp in stamps])
    assert {46, 48, 50} == {int((days == day).sum()) for day in set(days)}


def numbered(stamps, first=1):
    """Rows whose intervals are counted within each day."""
    of_day, rows = {}, []
    for stamp in stamps:
        of_day[stamp.date()] = number = of_day.get(stamp.date(), first - 1) + 1
        rows.append(f"{stamp:%d/%m/%Y};{number};0,2")
    return "\n".join(["CUPS de ejemplo", "Fecha;Hora;Consumo_kWh", *rows])


@pytest.mark.parametrize("minutes", [60, 30, 15])
@pytest.mark.parametrize("first", [0, 1])
def test_intervals_numbered_since_midnight_go_through_days_of_23_and_25_hours(tmp_path, minutes, first):
    """A date and the number of the hour, the half hour or the quarter, as in Spain and Britain: common practice."""
    stamps = local_year("Europe/Madrid", minutes)
    data = read(tmp_path, numbered(stamps, first), "Europe/Madrid")
    assert data.understood.interval_minutes == minutes and data.understood.decimal_mark == ","
    assert data.starts.size == len(stamps) and set(np.diff(data.starts).astype(int)) == {minutes * 60}
    assert data.starts[0] == np.datetime64(stamps[0].astimezone(UTC).replace(tzinfo=None), "s")


def test_hours_numbered_by_the_clock_skip_and_repeat_one(tmp_path):
    """Date and hour ending, as North America's are."""
    stamps = local_year(NEW_YORK, 60)
    rows = lines("Date,Hour Ending,kWh", lambda t: f"{t:%Y-%m-%d},{t.hour + 1},0.2", stamps)
    data = read(tmp_path, rows, NEW_YORK)
    assert data.understood.clock == "local" and data.starts.size == len(stamps)
    assert set(np.diff(data.starts).astype(int)) == {3600}
    plain = [datetime(2025, 1, 1) + timedelta(hours=i) for i in range(24 * 365)]
    data = read(tmp_path, lines("Date,Hour,kWh", lambda t: f"{t:%Y-%m-%d},{t.hour},0.2", plain), NEW_YORK)
    assert data.understood.clock == "standard" and data.starts[0] == np.datetime64("2025-01-01T05:00:00")


@pytest.mark.parametrize(
    ("head", "inward"),
    [
        ("Fecha;Hora;AE_kWh;AS_kWh", 0.2),
        ("Fecha;Hora;Consumo_kWh;Excedentes_kWh", 0.2),
        ("Giorno;Ora;Energia immessa kWh;Energia prelevata kWh", 0.3),
        ("Datum;Uur;Teruglevering kWh;Levering kWh", 0.3),
        ("Datum;Stunde;1.8.0 kWh;2.8.0 kWh", 0.2),
        ("Data;Hora;Energia injetada kWh;Energia consumida kWh", 0.3),
    ],
)
def test_what_went_out_is_known_by_its_name_in_other_languages(tmp_path, head, inward):
    """As grid operators head their columns: common practice, no source."""
    rows = numbered(local_year("Europe/Madrid", 60)[:200]).split("\n")[2:]
    data = read(tmp_path, "\n".join([head, *(f"{row};0,3" for row in rows)]), "Europe/Madrid")
    assert data.import_kwh[0] == inward and data.export_kwh[0] == pytest.approx(0.5 - inward)


def test_registers_of_one_meter_are_summed_by_direction(tmp_path):
    """Rows apart for day and night, in and out, as Belgium's: common practice. The hour of autumn comes twice."""
    stamps = local_year("Europe/Brussels", 15)
    rows = ["Van (datum);Van (tijdstip);EAN-code;Register;Volume;Eenheid"]
    for stamp in stamps:
        tariff = "Dag" if 7 <= stamp.hour < 22 else "Nacht"
        start = f"{stamp:%d-%m-%Y};{stamp:%H:%M:%S};100000000000000007"
        rows += [f"{start};Afname {tariff};0,3;kWh", f"{start};Injectie {tariff};0,1;kWh"]
        rows.append(f"{start};Afname {'Nacht' if tariff == 'Dag' else 'Dag'};;kWh")
    data = read(tmp_path, "\n".join(rows), "Europe/Brussels")
    assert data.starts.size == len(stamps) and set(np.diff(data.starts).astype(int)) == {900}
    assert data.import_kwh == pytest.approx(0.3) and data.export_kwh == pytest.approx(0.1)
    assert "Register tells registers of one meter apart" in data.understood.notes[0]


def test_day_and_night_of_a_house_without_an_array_are_one_meter(tmp_path):
    rows = ["Date;Register;kWh"]
    rows += [f"{t:%d-%m-%Y %H:%M};Afname {'Dag' if 7 <= t.hour < 22 else 'Nacht'};0,3" for t in HALF_HOURS]
    data = read(tmp_path, "\n".join(rows), "Europe/Brussels")
    assert data.starts.size == len(HALF_HOURS) and data.import_kwh == pytest.approx(0.3)
    assert data.export_kwh is None
    # Two dwellings are not, whatever their meters are called.
    homes = ["Date;Meter;kWh"]
    homes += [f"{t:%d-%m-%Y %H:%M};Consumption {home};0,3" for t in HALF_HOURS for home in ("house", "flat")]
    with pytest.raises(InputError, match="holds 2 meters"):
        read(tmp_path, "\n".join(homes), "Europe/Brussels")


def test_one_of_two_meters_that_number_their_hours_is_read(tmp_path):
    stamps = local_year("Europe/Madrid", 60)[: 24 * 20]
    rows = [f"{row};M{meter}" for row in numbered(stamps).split("\n")[2:] for meter in (1, 2)]
    rows.sort(key=lambda row: row.endswith("M2"))
    data = read(tmp_path, "\n".join(["Fecha;Hora;kWh;Meter", *rows]), "Europe/Madrid", meter="M2")
    assert data.starts.size == len(stamps) and data.import_kwh == pytest.approx(0.2)


def test_a_number_that_is_none_of_a_day_is_named_with_its_line(tmp_path):
    rows = numbered(local_year("Europe/Madrid", 60)[:400]).split("\n")
    rows[300] = rows[300].split(";")[0] + ";x;0,2"
    with pytest.raises(InputError, match=r"line 301.*'x' is no number of a day's interval such as 1 to 24"):
        read(tmp_path, "\n".join(rows), "Europe/Madrid")


def test_standard_time_is_seen_by_the_hours_that_daylight_saving_leaves_out(tmp_path):
    year = [datetime(2025, 1, 1) + timedelta(minutes=30 * i) for i in range(48 * 365)]
    data = read(tmp_path, lines("time,kwh", lambda t: f"{t:%Y-%m-%d %H:%M},0.2", year), NEW_YORK)
    assert data.understood.clock == "standard"
    assert data.starts[0] == np.datetime64("2025-01-01T05:00:00")


def test_stamps_at_the_end_of_an_interval_are_put_at_its_start(tmp_path):
    ends = [stamp + timedelta(minutes=30) for stamp in HALF_HOURS]
    by_name = read(tmp_path, lines("period end,kwh", lambda t: f"{t.isoformat()},0.2", ends))
    by_numbers = read(tmp_path, lines("time,kwh", lambda t: f"{t.isoformat()},0.2", ends))
    assert by_name.starts[0] == by_numbers.starts[0] == np.datetime64("2025-01-01T00:00:00")
    assert read(tmp_path, lines("time,kwh", lambda t: f"{t.isoformat()},0.2", ends), stamps="start").starts[
        0
    ] == np.datetime64("2025-01-01T00:30:00")


def test_a_correction_overrides_what_was_found(tmp_path):
    text = lines("time,kwh,other", lambda t: f"{t:%d/%m/%Y %H:%M},0.4,7")
    assert read(tmp_path, text, unit="wh").import_kwh[0] == pytest.approx(0.0004)
    assert read(tmp_path, text, import_column=3).import_kwh[0] == pytest.approx(7)
    assert read(tmp_path, text, export_column=3).export_kwh[0] == pytest.approx(7)


def test_gaps_and_doubles_are_counted_and_shown(tmp_path):
    stamps = HALF_HOURS[:100] + HALF_HOURS[110:] + HALF_HOURS[-3:]
    data = read(tmp_path, lines("time,kwh", lambda t: f"{t.isoformat()},0.2", stamps))
    assert data.starts.size == len(HALF_HOURS) - 10
    assert data.expected == len(HALF_HOURS)
    summary = " ".join(data.understood.notes)
    assert "3 intervals stand twice" in summary
    assert "10 intervals are missing" in summary


def test_rows_without_a_value_are_gaps(tmp_path):
    text = lines("time,kwh", lambda t: f"{t.isoformat()},{'' if t.day == 3 else 0.3}")
    data = read(tmp_path, text)
    assert data.starts.size == len(HALF_HOURS) - 96
    assert "96 intervals are missing" in " ".join(data.understood.notes)


def test_a_counter_becomes_its_steps(tmp_path):
    numbers = iter(range(10_000))
    data = read(tmp_path, lines("time,reading", lambda t: f"{t.isoformat()},{5000 + next(numbers) * 0.25:.2f}"))
    assert data.import_kwh == pytest.approx(np.full(len(HALF_HOURS) - 1, 0.25))
    assert "counter" in " ".join(data.understood.notes)


def test_import_and_export_by_two_columns_or_by_sign(tmp_path):
    two = read(tmp_path, lines("time,import kWh,export kWh", lambda t: f"{t.isoformat()},0.3,0.1"))
    assert (two.import_kwh[0], two.export_kwh[0]) == (0.3, 0.1)
    text = lines("time,kwh", lambda t: f"{t.isoformat()},{-0.5 if t.hour == 12 else 0.3}")
    signed = read(tmp_path, text, wanted="net")
    assert signed.import_kwh.min() == 0
    assert signed.export_kwh.max() == pytest.approx(0.5)


BAD = {
    "negative": (
        lines("time,kwh", lambda t: f"{t.isoformat()},{-0.1 if t.day == 3 else 0.3}"),
        "line 98",
        "wanted 0 or more",
    ),
    "mixed units": (
        lines("time,value", lambda t: f"{t.isoformat()},{'300 Wh' if t.day == 3 else '0.3 kWh'}"),
        "line 98",
        "wanted one unit throughout",
    ),
    "mixed columns": (
        "date,"
        + ",".join(f"{'Wh' if i == 7 else 'kWh'} {i}" for i in range(24))
        + "\n2025-01-01,"
        + ",".join(["0.1"] * 24)
        + "\n2025-01-02,"
        + ",".join(["0.1"] * 24),
        "header",
        "mixes units",
    ),
    "two meters": (
        lines("meter,time,kwh", lambda t: f"{'A' if t.minute else 'B'},{t.isoformat()},0.3"),
        "line 3",
        "2 meters ('B', 'A')",
    ),
    "no stamps": ("a,b\n1,2\n3,4\n5,6", "line 2", "no column of time stamps"),
    "no such day": (
        lines("time,kwh", lambda t: f"{t.isoformat().replace('01-31', '02-30')},0.3"),
        "line 1442",
        "no day of the calendar",
    ),
    "a word": (
        lines("time,kwh", lambda t: f"{t.isoformat()},{'much' if t.day == 3 else 0.3}"),
        "line 98",
        "wanted a number",
    ),
    "long intervals": (
        lines("time,kwh", lambda t: f"{t.isoformat()},0.3", HALF_HOURS[:: 48 * 7]),
        "line 3",
        "read like bills",
    ),
    "offsets in part": (
        lines("time,kwh", lambda t: f"{t.isoformat()}{'Z' if t.day == 3 else ''},0.3"),
        "",
        "wanted all or none",
    ),
}  # fmt: skip


@pytest.mark.parametrize("fault", BAD)
def test_what_is_wrong_is_named_with_its_line(tmp_path, fault):
    text, where, problem = BAD[fault]
    with pytest.raises(InputError) as caught:
        read(tmp_path, text)
    assert where == caught.value.where
    assert problem in caught.value.problem


def test_one_of_two_meters_can_be_chosen(tmp_path):
    text = BAD["two meters"][0].replace(":30:00,", ":00:00,")
    data = read(tmp_path, text, meter="A")
    assert data.starts.size == len(HALF_HOURS) / 2
    assert data.understood.meters == ("B", "A")
    with pytest.raises(InputError, match="no meter is called 'C'"):
        read(tmp_path, text, meter="C")


@pytest.mark.parametrize("head", ["Timestamp (UTC),kWh", "time_utc,kWh", "Date;Time UTC;kWh"])
def test_a_clock_that_the_heads_name_is_taken(tmp_path, head):
    mark = ";" if ";" in head else ","
    lines = [head]
    for n in range(96):
        at = datetime(2025, 7, 1) + timedelta(minutes=30 * n)
        lines.append(f"{at:%Y-%m-%d}{mark if mark == ';' else ' '}{at:%H:%M}{mark}0.25")
    path = tmp_path / "m.csv"
    path.write_text("\n".join(lines))
    data = read_meter_file(path, MeterReading(), "Europe/Berlin")
    assert data.understood.clock == "utc" and str(data.starts[0]) == "2025-07-01T00:00:00"
    path.write_text("\n".join(lines).replace("UTC", "UTC+2").replace("utc", "local"))
    assert read_meter_file(path, MeterReading(), "Europe/Berlin").understood.clock == "local"
