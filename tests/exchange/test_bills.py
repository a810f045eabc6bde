"""Bills in the shapes in which suppliers, portals and householders write them."""

import zipfile
from datetime import date, timedelta

import openpyxl
import pytest

from calm_relay.exchange.bills_csv import MOST_BILLS, read_bills
from calm_relay.exchange.errors import InputError

GERMAN = [
    "Januar",
    "Februar",
    "März",
    "April",
    "Mai",
    "Juni",
    "Juli",
    "August",
    "September",
    "Oktober",
    "November",
    "Dezember",
]
Y25 = "2025-01-01", "2025-01-31", "2025-02-01", "2025-02-28"


def read(tmp_path, text, **more):
    path = tmp_path / "bills.csv"
    path.write_text(text, encoding="utf-8")
    return read_bills(path, **more)


# Text, days of the first and the last bill, and the energies of both.
TABLES = {
    "german": (
        "Von;Bis;Verbrauch (kWh);Betrag (€)\n01.01.2025;31.01.2025;1.412,5;420,00\n01.02.2025;28.02.2025;388,5;99,00\n",
        Y25, (1412.5, 388.5),
    ),
    "a portal's lines above the table": (
        "Name,A CUSTOMER\nAddress,1 SOME ROAD\nAccount Number,1234\n\nTYPE,START DATE,END DATE,USAGE (kWh),COST\n"
        "Electric billing,2025-01-01,2025-01-31,700,$80.12\nElectric billing,2025-02-01,2025-02-28,650,$70.12\n",
        Y25, (700, 650),
    ),
    "month before day, ends on the day of the next": (
        "Start Date,End Date,Usage\n1/1/2025,2/1/2025,900\n2/1/2025,3/1/2025,800\n", Y25, (900, 800),
    ),
    "newest first": (
        "from,to,kWh\n01/02/2025,28/02/2025,388\n01/01/2025,31/01/2025,412\n", Y25, (412, 388),
    ),
    "the day it was read, and how many days": (
        "Bill Date,Read Date,Days,kWh,Amount\n02/03/2025,01/31/2025,31,800,$100\n03/03/2025,02/28/2025,28,750,$90\n",
        Y25, (800, 750),
    ),
    "months": ("Month,kWh\nJan 2025,410\nFeb 2025,390\n", Y25, (410, 390)),
    "months by number": ("Month;Energy\n01/2025;410\n02/2025;390\n", Y25, (410, 390)),
    "a year and a month": ("Año;Mes;Consumo kWh\n2025;enero;410\n2025;febrero;390\n", Y25, (410, 390)),
    "what a counter stood at": (
        "Datum;Zählerstand\n01.01.2025;12345\n01.02.2025;12845\n01.03.2025;13200\n", Y25, (500, 355),
    ),
    "a counter without a word of it": (
        "date,value\n2025-01-01,12345\n2025-02-01,12845\n2025-03-01,13200\n", Y25, (500, 355),
    ),
    "used since the day before": (
        "Read date,kWh used\n2025-01-01,400\n2025-02-01,412\n2025-03-01,388\n", Y25, (412, 388),
    ),
    "used from a day on": ("From,kWh used\n2025-01-01,400\n2025-02-01,412\n2025-03-01,388\n", Y25, (400, 412)),
    "a span in a cell": (
        "Period,kWh\n01/01/2025 - 31/01/2025,412\n01/02/2025 - 28/02/2025,388\n", Y25, (412, 388),
    ),
    "named months in a span": (
        'Billing period,Usage\n"Jan 1, 2025 to Jan 31, 2025",412\n"Feb 1, 2025 to Feb 28, 2025",402\n', Y25, (412, 402),
    ),
    "two tariffs": (
        "Du;Au;Consommation HC (kWh);Consommation HP (kWh)\n1 janvier 2025;31 janvier 2025;200;300\n"
        "1 février 2025;28 février 2025;180;290\n",
        Y25, (500, 470),
    ),
    "two tariffs and their sum": (
        "from,to,peak kWh,off-peak kWh,total kWh\n2025-01-01,2025-01-31,9,4,13\n2025-02-01,2025-02-28,7,3,10\n",
        Y25, (13, 10),
    ),
    "sums below": (
        "from,to,kWh\n2025-01-01,2025-01-31,900\n2025-02-01,2025-02-28,700\nTotal,,1600\n", Y25, (900, 700),
    ),
    "thousands with a point": (
        "von;bis;kWh\n01.01.2025;31.01.2025;1.412\n01.02.2025;28.02.2025;1.388\n", Y25, (1412, 1388),
    ),
    "a meter's reading": (
        "Date,Meter number,Meter reading kWh\n01/01/2025,7,5345\n01/02/2025,7,5845\n01/03/2025,7,6200\n",
        Y25, (500, 355),
    ),
    "thousands": (
        'from,to,kWh\n2025-01-01,2025-01-31,"1,412"\n2025-02-01,2025-02-28,"1,388"\n', Y25, (1412, 1388),
    ),
    "MWh": ("from,to,MWh\n2025-01-01,2025-01-31,4.2\n2025-02-01,2025-02-28,3.9\n", Y25, (4200, 3900)),
    "no heads": ("2025-01-01,2025-01-31,412\n2025-02-01,2025-02-28,388.5\n", Y25, (412, 388.5)),
}  # fmt: skip


@pytest.mark.parametrize("name", TABLES)
def test_bills_of_many_shapes_are_read(tmp_path, name):
    text, days, energies = TABLES[name]
    bills = read(tmp_path, text).bills
    assert (bills[0].first, bills[0].last, bills[-1].first, bills[-1].last) == days
    assert (bills[0].kwh, bills[-1].kwh) == pytest.approx(energies)
    assert all(bill.sent_kwh is None and bill.made_kwh is None for bill in bills)


def test_what_went_out_and_what_was_made_are_known_by_their_heads(tmp_path):
    text = "Monat;Bezug kWh;Einspeisung kWh;PV-Ertrag kWh;Kosten €\n01/2025;410;12;80;100\n02/2025;390;;160;90\n"
    bills = read(tmp_path, text).bills
    assert [(bill.kwh, bill.sent_kwh, bill.made_kwh) for bill in bills] == [(410, 12, 80), (390, None, 160)]
    # A counter that ran backwards over the month.
    bills = read(tmp_path, "from,to,net kWh\n2025-01-01,2025-01-31,900\n2025-02-01,2025-02-28,-120\n").bills
    assert [(bill.kwh, bill.sent_kwh) for bill in bills] == [(900, None), (0, 120)]


def test_what_is_left_open_is_as_is_usual_there(tmp_path):
    text = "from,to,kWh\n03/04/2025,05/06/2025,40\n"
    assert read(tmp_path, text).bills[0].first == "2025-04-03"
    assert read(tmp_path, text, month_first=True).bills[0].first == "2025-03-04"


def test_what_is_said_of_the_reading(tmp_path):
    assert not read(tmp_path, TABLES["months"][0]).notes
    assert read(tmp_path, TABLES["two tariffs"][0]).notes == (
        "Consommation HC (kWh) and Consommation HP (kWh) are summed",
    )
    assert "what a counter stood at" in read(tmp_path, TABLES["what a counter stood at"][0]).notes[0]
    assert read(tmp_path, TABLES["used since the day before"][0]).notes[0].startswith("line 2 is left out")
    months = "\n".join(f"{2015 + n // 12}-{n % 12 + 1:02d},{n}" for n in range(100))
    found = read(tmp_path, f"month,kWh\n{months}\n")
    assert len(found.bills) == MOST_BILLS and found.bills[-1].kwh == 99
    assert found.notes == (f"the latest {MOST_BILLS} are taken",)


def test_a_workbook_is_read_as_a_table_is(tmp_path):
    book = openpyxl.Workbook()
    book.active.append(["Account", 1234])
    sheet = book.create_sheet("Bills")
    sheet.append(["from", "to", "kWh"])
    import datetime

    sheet.append([datetime.date(2025, 1, 1), datetime.datetime(2025, 1, 31), 412.5])
    sheet.append([datetime.date(2025, 2, 1), datetime.datetime(2025, 2, 28), 388])
    book.save(tmp_path / "bills.xlsx")
    bills = read_bills(tmp_path / "bills.xlsx").bills
    assert [(bill.first, bill.last, bill.kwh) for bill in bills] == [(*Y25[:2], 412.5), (*Y25[2:], 388)]


@pytest.mark.parametrize(
    ("text", "where", "problem"),
    [
        ("from,to,kWh\n2025-01-31,2025-01-01,4\n", "line 2", "covers -29 days"),
        ("from,to,kWh\n2025-01-01,2025-01-31,4\n2025-02-01,soon,4\n", "line 3", "the day is 'soon'"),
        ("from,to,kWh\n2025-01-01,2025-02-30,4\n", "line 2", "is no day of the calendar"),
        ("from,to,kWh\n2025-01-01,2025-01-31,much\n", "line 2", "the energy is 'much'; wanted kWh"),
        ("from,to,kWh\n2025-01-01,2025-01-31,\n", "line 2", "wanted kWh"),
        ("date,kWh\n2025-01-01,4\n", "line 2", "has one day; wanted the first and the last"),
        ("from,to,kWh\n", "", "holds no bill"),
        ("from,to,kWh,export kWh\n2025-01-01,2025-01-31,4,x9\n", "line 2", "holds no"),
    ],
)
def test_what_is_wrong_is_named_with_its_line(tmp_path, text, where, problem):
    if problem == "holds no":
        # A column of words is no energy, and is left.
        assert read(tmp_path, text).bills[0].sent_kwh is None
        return
    with pytest.raises(InputError) as caught:
        read(tmp_path, text)
    assert caught.value.where == where and problem in caught.value.problem


def test_an_archive_that_is_no_workbook_is_named(tmp_path):
    with zipfile.ZipFile(tmp_path / "bills.xlsx", "w") as archive:
        archive.writestr("a.txt", "x")
    with pytest.raises(InputError, match=r"bills\.xlsx: holds no bill"):
        read_bills(tmp_path / "bills.xlsx")


PORTAL = {
    "all four": (
        "Month;Production (kWh);Consumption (kWh);Import (kWh);Export (kWh)",
        (250.0, 90.0, 150.0),
        "net",
    ),
    "without import": ("Month;Produced (kWh);Used (kWh);Left over;Export (kWh)", (300.0, None, None), "gross"),
    "German": ("Monat;Erzeugung;Hausverbrauch;Netzbezug;Einspeisung", (250.0, 90.0, 150.0), "net"),
}


@pytest.mark.parametrize("heads", PORTAL)
def test_of_a_portals_table_what_came_in_is_taken_and_not_what_the_house_used_beside_it(tmp_path, heads):
    head, figures, counts = PORTAL[heads]
    rows = [f"2025-{month:02d};150;300;250;90" for month in range(1, 13)]
    bills = read(tmp_path, "\n".join([head, *rows]), today=date(2025, 12, 15))
    assert (len(bills.bills), bills.counts) == (11, counts) and "not over" in bills.notes[-1]
    assert (bills.bills[2].kwh, bills.bills[2].sent_kwh, bills.bills[2].made_kwh) == figures


def test_days_are_summed_into_months(tmp_path):
    days = [date(2025, 1, 20) + timedelta(n) for n in range(60) if n != 40]
    found = read(tmp_path, "\n".join(["Date;Used (kWh)", *(f"{day:%d.%m.%Y};2,5" for day in days)]))
    spans = [(bill.first, bill.last, bill.kwh) for bill in found.bills]
    assert spans == [
        ("2025-01-20", "2025-01-31", 30.0),
        ("2025-02-01", "2025-02-28", 70.0),
        ("2025-03-02", "2025-03-20", 47.5),
    ]
    assert "days are summed into months" in found.notes


def test_three_digits_behind_the_mark_of_a_day_are_decimals(tmp_path):
    days = [date(2025, 1, 1) + timedelta(n) for n in range(31)]
    (bill,) = read(tmp_path, "\n".join(["Date,kWh", *(f"{day},12.345" for day in days)])).bills
    assert bill.kwh == pytest.approx(31 * 12.345)


ACROSS = {
    "years across, in German": (
        "Monat;2023;2024\n"
        + "\n".join(f"{month};{400 + n};{500 + n},5" for n, month in enumerate(GERMAN))
        + "\nSumme;1;1\n",
        (24, "2023-01-01", 400.0, "2024-12-01", 511.5),
    ),
    "years across, one of them not over": (
        "Month,2024 kWh,2025 kWh\nJan,400,420\nFeb,380,390\nMarch,350,\nApr,300,\nMay,290,\n",
        (7, "2024-01-01", 400.0, "2025-02-01", 390.0),
    ),
    "months across": (
        "Our use\nYear,Jan,Feb,Mar,Apr,May,Jun,Jul,Aug,Sep,Oct,Nov,Dec,Total\n"
        "2023,400,410,420,430,440,450,460,470,480,490,500,510,5460\n2024,600,,,,,,,,,,,,600\n",
        (13, "2023-01-01", 400.0, "2024-01-01", 600.0),
    ),
}


@pytest.mark.parametrize("table", ACROSS)
def test_a_householders_table_of_months_and_years_is_unfolded(tmp_path, table):
    text, figures = ACROSS[table]
    bills = read(tmp_path, text).bills
    assert (len(bills), bills[0].first, bills[0].kwh, bills[-1].first, bills[-1].kwh) == figures


def test_a_figure_that_is_none_is_named_with_the_line_it_stands_in(tmp_path):
    with pytest.raises(InputError, match="line 4: the energy is 'much'"):
        read(tmp_path, "Month;2024;2025\nJan;400;420\nFeb;380;390\nMar;350;much\n")


def test_a_table_of_days_alone_has_no_energy(tmp_path):
    # Cut and written over, found by a longer run: every line but one is in one column.
    text = '<t,last,31/02/2520224:0001-01,2025-01-3\n1,412\n2025-02-01,2025-02-28,388.5\n"5-03-01,2025-03-31,351\n'
    with pytest.raises(InputError, match=r"bills\.csv"):
        read(tmp_path, text)


def test_the_first_of_a_month_stands_for_the_month_where_its_head_says_so(tmp_path):
    text = "Month;kWh\n" + "\n".join(f"01.{month:02d}.2025;{300 + month}" for month in range(1, 13))
    bills = read(tmp_path, text, today=date(2026, 1, 2)).bills
    assert [(bill.last, bill.kwh) for bill in bills][::11] == [("2025-01-31", 301.0), ("2025-12-31", 312.0)]
