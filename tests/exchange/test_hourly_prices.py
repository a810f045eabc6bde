"""Prices of exchanges in the shapes in which they are published."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import openpyxl
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.hourly_prices import read_hourly_prices
from calm_relay.job.model import ClimatePreset, Site
from calm_relay.planning.site.hourly_prices import laid_on_year

BERLIN = ZoneInfo("Europe/Berlin")
FIRST = datetime(2025, 1, 1, tzinfo=BERLIN).astimezone(UTC)


def price(moment):
    """Euro a kWh by the local hour: dear at 19, below nothing at 13 in June."""
    local = moment.astimezone(BERLIN)
    if local.month == 6 and local.hour == 13:
        return -0.02
    return 0.25 if local.hour == 19 else 0.10


def moments(minutes=60, days=365):
    return [FIRST + timedelta(minutes=minutes * n) for n in range(days * 1440 // minutes)]


def read(tmp_path, lines, **more):
    path = tmp_path / "prices.csv"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return read_hourly_prices(path, "Europe/Berlin", **more)


def of_utc():
    return ["Datetime (UTC),Price (EUR/MWh)", *(f"{at:%Y-%m-%d %H:%M},{price(at) * 1000:.2f}" for at in moments())]


def of_local():
    def cents(at):
        return f"{price(at) * 100:.3f}".replace(".", ",")

    lines = (f"{at.astimezone(BERLIN):%d.%m.%Y %H:%M};{cents(at)};A" for at in moments())
    return ["Zeit;Preis [ct/kWh];Gebiet", *lines]


def with_offsets():
    return ["start,end,price [€/kWh]", *(
        f"{at.astimezone(BERLIN).isoformat()},{(at + timedelta(hours=1)).astimezone(BERLIN).isoformat()},{price(at)}"
        for at in moments()
    )]  # fmt: skip


def of_quarters():
    return ["time_utc,spot eur/mwh", *(f"{at:%Y-%m-%dT%H:%MZ},{price(at) * 1000}" for at in moments(15))]


def of_days():
    """A row a day with 24 columns by the local clock."""
    rows = ["Date," + ",".join(f"H{n} (SEK/MWh)" for n in range(1, 25))]
    for n in range(365):
        day = datetime(2025, 1, 1) + timedelta(days=n)
        hours = [price((day + timedelta(hours=h)).replace(tzinfo=BERLIN)) * 1000 for h in range(24)]
        cells = [f"{value:.1f}" for value in hours]
        # On 30 March there is no hour from 2 to 3.
        cells[2] = "" if n == 88 else cells[2]
        rows.append(f"{day:%Y-%m-%d}," + ",".join(cells))
    return rows


def without_unit():
    return ["time,value", *(f"{at:%Y-%m-%d %H:%M}Z,{price(at) * 1000:.2f}" for at in moments())]


def of_spans():
    """Spans with their zone, in quotes, as platforms of network operators write them."""
    lines = ['"MTU (CET/CEST)","Day-ahead Price [EUR/MWh]","Currency"']
    for at in moments():
        ends = (at.astimezone(BERLIN), (at + timedelta(hours=1)).astimezone(BERLIN))
        span = " - ".join(f"{end:%d/%m/%Y %H:%M:%S} ({end.tzname()})" for end in ends)
        lines.append(f'"{span}","{price(at) * 1000:.2f}","EUR"')
    return lines


def of_hours_named():
    """A day, and the hour as its two ends."""
    local = [at.astimezone(BERLIN) for at in moments()]
    rows = (
        f"{at:%d-%m-%Y};{at:%H} - {(at.hour + 1) % 24:02d};{price(at) * 1000:.1f}".replace(".", ",")
        for at in local
    )
    return ["Date;Hour;DK1 DKK/MWh", *rows]


def of_numbered_hours():
    """Year, month, day and the number of the hour in columns, a mark below."""
    lines, day, number = ["PRICES;"], None, 0
    for at in moments():
        local = at.astimezone(BERLIN)
        number = number + 1 if local.date() == day else 1
        day = local.date()
        lines.append(f"{day.year};{day.month:02d};{day.day:02d};{number};{price(at) * 1000:.2f};")
    return [*lines, "*"]


def of_seconds():
    return ["timestamp,price_eur_kwh", *(f"{int(at.timestamp()) * 1000},{price(at)}" for at in moments())]


FILES = {
    "spans": (of_spans, "a MWh"), "hours named": (of_hours_named, "a MWh"), "since 1970": (of_seconds, "a kWh"),
    "numbered hours": (of_numbered_hours, "a MWh"),
    "UTC, a MWh": (of_utc, "a MWh"), "local, cents": (of_local, "cents a kWh"), "offsets": (with_offsets, "a kWh"),
    "quarter hours": (of_quarters, "a MWh"), "a row a day": (of_days, "a MWh"), "no unit": (without_unit, "a MWh"),
}  # fmt: skip


@pytest.mark.parametrize("name", FILES)
def test_prices_of_many_shapes_are_read(tmp_path, name):
    lines, unit = FILES[name]
    found = read(tmp_path, lines())
    assert found.unit == unit and found.minutes == (15 if name == "quarter hours" else 60)
    at = {start.astype(object): value for start, value in zip(found.starts, found.prices, strict=True)}
    for when, wanted in (((6, 10, 11), -0.02), ((6, 10, 17), 0.25), ((12, 10, 18), 0.25), ((12, 10, 12), 0.10)):
        month, day, hour = when
        assert at[datetime(2025, month, day, hour)] == pytest.approx(wanted)
    # A row a day has no place for the hour that autumn repeats.
    assert bool(found.notes) == (name in {"no unit", "a row a day", "numbered hours"})


def site():
    return Site(
        place="Somewhere", latitude=52.5, longitude=13.4, time_zone="Europe/Berlin", year=2026,
        weather=ClimatePreset(climate="x"),
    )  # fmt: skip


def test_they_are_laid_on_the_days_of_another_year(tmp_path):
    laid = laid_on_year(read(tmp_path, of_utc()), site(), "prices.csv")
    hours = np.array(laid.prices).reshape(365, 24)
    # In standard time, so that an hour of summer stands one earlier.
    assert hours[10].argmax() == 19 and hours[190].argmax() == 18
    assert (hours[155:175].argmin(axis=1) == 12).all() and laid.days >= 364
    assert laid.mean == pytest.approx(hours.mean()) and laid.spread == pytest.approx(0.15 / 4, abs=0.01)


def test_a_part_of_a_year_is_filled_and_counted(tmp_path):
    laid = laid_on_year(read(tmp_path, of_utc()[: 24 * 120]), site(), "prices.csv")
    assert 110 <= laid.days <= 140 and len(laid.prices) == 8760


def test_a_workbook_and_a_stated_unit_are_taken(tmp_path):
    book = openpyxl.Workbook()
    book.active.append(["Time (UTC)", "Price"])
    for at in moments(days=20):
        book.active.append([at.replace(tzinfo=None), price(at) * 100])
    book.save(tmp_path / "p.xlsx")
    assert read_hourly_prices(tmp_path / "p.xlsx", "UTC").unit == "a MWh"
    found = read_hourly_prices(tmp_path / "p.xlsx", "UTC", "cents a kWh")
    assert found.prices.max() == pytest.approx(0.25)


def test_one_of_several_areas_is_taken(tmp_path):
    areas = ["Time (UTC);North €/MWh;South €/MWh;Wind MW"]
    areas += [f"{at:%Y-%m-%d %H:%M};{price(at) * 1000};{price(at) * 2000};500" for at in moments(days=20)]
    found = read(tmp_path, areas)
    assert found.column == "North €/MWh" and found.columns == ("North €/MWh", "South €/MWh", "Wind MW")
    assert read(tmp_path, areas, column="South €/MWh").prices.max() == pytest.approx(0.5)
    with pytest.raises(InputError, match="is no column of numbers; wanted one of North"):
        read(tmp_path, areas, column="East")


@pytest.mark.parametrize(
    ("lines", "problem"),
    [
        (["a,b", "1,2", "3,4"], "no column of time stamps"),
        (["time,price", *(f"2025-01-01 {h:02d}:00,much" for h in range(24))], "no column of time stamps"),
        (["time,€/kWh", *(f"2025-01-01 {h:02d}:00,99999" for h in range(24))], "more than 10,000 a kWh"),
    ],
)
def test_what_is_no_price_is_told(tmp_path, lines, problem):
    with pytest.raises(InputError, match=problem):
        read(tmp_path, lines)


def test_prices_below_nothing_beside_a_column_of_the_sun_keep_their_sign(tmp_path):
    lines = ["time_utc,Solar (MW),Price (EUR/MWh)"]
    lines += [
        f"{at:%Y-%m-%dT%H:%MZ},{900 * (9 <= at.hour < 15)},{80 if 9 <= at.hour < 15 else -5}" for at in moments()
    ]
    found = read(tmp_path, lines)
    assert (found.prices.min(), found.prices.max()) == (-0.005, 0.08)
