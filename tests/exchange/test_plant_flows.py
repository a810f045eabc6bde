"""Tables of a whole plant, as portals and inverters write them: each column its flow, and none taken for another."""

import zipfile
from datetime import date, datetime, timedelta

import numpy as np
import openpyxl
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.flow_heads import flows_of
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.plant_flows import read_plant_flows
from calm_relay.exchange.stamps import read_time
from calm_relay.job.survey import MeterReading
from calm_relay.planning.commissioning.facts import months_of_flows

ZONE, TODAY = "Europe/Berlin", date(2026, 1, 15)
# Mean powers of an array, a house, what comes in and what goes out [kW], by the hour.
HOURS = [(0.0, 0.4, 0.4, 0.0)] * 8 + [(3.0, 0.5, 0.0, 2.5)] * 8 + [(0.0, 1.0, 1.0, 0.0)] * 8
DAY = dict(zip(("made", "used", "in", "out"), (24.0, 15.2, 11.2, 20.0), strict=True))
# Heads of the four columns, and how much of their unit a kW of a quarter of an hour is.
PORTALS = {
    "energies in Wh": ("Time,Production (Wh),Consumption (Wh),Import (Wh),Export (Wh)", ",", 250.0),
    "powers in W": ("Zeitpunkt;PV-Leistung [W];Hausverbrauch [W];Netzbezug [W];Netzeinspeisung [W]", ";", 1000.0),
    "powers without a unit": ("timestamp,solar_power,load_power,grid_import_power,grid_export_power", ",", 1000.0),
    "energies in kWh": ("Datum\tOpwek (kWh)\tVerbruik (kWh)\tLevering (kWh)\tTeruglevering (kWh)", "\t", 0.25),
    "Spanish": ("Fecha;Producción (kWh);Consumo (kWh);Importada de la red;Energía vertida a la red", ";", 0.25),
}


def quarters(tmp_path, portal, days=31, first=datetime(2025, 7, 1)):
    head, mark, factor = PORTALS[portal]
    lines = [head]
    for number in range(days * 96):
        when = first + timedelta(minutes=15 * number)
        lines.append(mark.join([f"{when:%Y-%m-%d %H:%M}", *(f"{kw * factor:g}" for kw in HOURS[when.hour])]))
    path = tmp_path / "portal.csv"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


@pytest.mark.parametrize("portal", PORTALS)
def test_a_portals_column_is_taken_for_what_its_head_says(tmp_path, portal):
    path = quarters(tmp_path, portal)
    for wanted, flow in (("use", "used"), ("net", "in"), ("export", "out"), ("production", "made")):
        data = read_meter_file(path, MeterReading(), ZONE, wanted=wanted)
        assert data.import_kwh.sum() == pytest.approx(31 * DAY[flow], rel=1e-6), wanted
    net = read_meter_file(path, MeterReading(), ZONE, wanted="net")
    assert net.export_kwh.sum() == pytest.approx(31 * DAY["out"], rel=1e-6)
    assert read_meter_file(path, MeterReading(), ZONE).export_kwh is None
    assert "whole plant" in net.understood.notes[0]
    (july,) = months_of_flows(read_plant_flows(path, ZONE, today=TODAY), ZONE)
    assert (july.year, july.month, july.throughput_kwh) == (2025, 7, None)
    assert [july.production_kwh, july.import_kwh, july.export_kwh] == [
        pytest.approx(31 * DAY[flow], rel=1e-5) for flow in ("made", "in", "out")
    ]


HEADS = {
    "Self-consumption (kWh)": None,
    "Eigenverbrauch (kWh)": None,
    "SOC (%)": None,
    "PV1 Voltage(V)": None,
    "Solar to home (kWh)": None,
    "From battery (kWh)": "discharged",
    "Batterie entladen [W]": "discharged",
    "Carga de la batería": "charged",
    "To grid (kWh)": "out",
    "Grid consumption": "in",
    "Immissione in rete": "out",
    "Énergie produite (kWh)": "made",
    "Énergie soutirée": "in",
    "homeConsumption": "used",
    "Förbrukning (kWh)": "used",
    "Battery temperature": None,
    "EV charger (kWh)": None,
}


@pytest.mark.parametrize("head", HEADS)
def test_a_head_names_one_flow_or_none(head):
    assert flows_of([head]) == (HEADS[head],)


def test_heads_and_times_without_end_are_none():
    assert flows_of(["batter" * 20_000, "temp" * 20_000]) == (None, None)
    assert read_time("1" + " " * 50_000 + "x") is None


def test_what_a_meter_calls_generated_went_out_unless_it_tells_that_too():
    assert flows_of(["Consumption (kWh)", "Generation (kWh)"]) == ("used", None)
    assert flows_of(["Consumption", "Generation", "Import", "Export"]) == ("used", "made", "in", "out")


def monthly(tmp_path, lines):
    path = tmp_path / "months.csv"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


@pytest.mark.parametrize(
    "months",
    [
        ("2025-11", "2025-12", "2026-01"),
        ("11/2025", "12/2025", "01/2026"),
        ("Nov 2025", "Dec 2025", "Jan 2026"),
    ],
)
def test_months_of_a_portal_are_facts_but_the_one_that_is_not_over(tmp_path, months):
    lines = ["My roof", "", "Month;Production (kWh);Import;Export;Battery discharged (kWh)"]
    lines += [f"{month};1.{n}00,5;{n}0,25;0;" for n, month in enumerate(months, 1)]
    flows = read_plant_flows(monthly(tmp_path, [*lines, "Total;3.601,5;60,75;0;"]), ZONE, today=TODAY)
    facts = months_of_flows(flows, ZONE)
    assert [(fact.year, fact.month, fact.production_kwh, fact.import_kwh) for fact in facts] == [
        (2025, 11, 1100.5, 10.25),
        (2025, 12, 1200.5, 20.25),
    ]
    assert (flows.kind, facts[0].export_kwh, facts[0].throughput_kwh) == ("months", 0.0, None)
    assert "not over" in flows.notes[0]


def test_days_make_a_month_once_all_are_there(tmp_path):
    first = date(2025, 10, 1)
    days = [first + timedelta(days=n) for n in range(55)]
    lines = ["Date,Produced (kWh),Used (kWh)", *(f"{day:%m/%d/%Y},12.345,9" for day in days)]
    flows = read_plant_flows(monthly(tmp_path, lines), "America/Denver", month_first=True, today=TODAY)
    (october,) = months_of_flows(flows, "America/Denver")
    assert (october.month, october.production_kwh, flows.kind) == (
        10,
        pytest.approx(31 * 12.345, abs=0.01),
        "days",
    )


def test_what_is_said_of_a_column_stands_over_its_head(tmp_path):
    lines = ["Month,A,B", *(f"2025-{month:02d},100,{month}" for month in range(1, 4))]
    path = monthly(tmp_path, lines)
    assert read_plant_flows(path, ZONE, today=TODAY).kwh == {}
    read = read_plant_flows(path, ZONE, {1: "made", 2: "made"}, today=TODAY)
    assert months_of_flows(read, ZONE)[2].production_kwh == 103.0


@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_power_of_the_grid_below_zero_went_out_or_came_in_as_the_array_tells(tmp_path, sign):
    lines = ["Time,PV power (kW),Grid power (kW),Load power (kW)"]
    for number in range(31 * 24):
        when = datetime(2025, 7, 1) + timedelta(hours=number)
        made, used, come, gone = HOURS[when.hour]
        lines.append(f"{when:%Y-%m-%d %H:%M},{made},{sign * (come - gone)},{used}")
    flows = read_plant_flows(monthly(tmp_path, lines), ZONE, today=TODAY)
    assert flows.kwh["in"].sum() == pytest.approx(31 * DAY["in"])
    assert flows.kwh["out"].sum() == pytest.approx(31 * DAY["out"])
    assert np.all(flows.kwh["in"] >= 0) and "below 0" in flows.notes[-1]
    assert any("other way round" in note for note in flows.notes) == (sign < 0)
    net = read_meter_file(tmp_path / "months.csv", MeterReading(), ZONE, wanted="net")
    assert net.import_kwh.sum() == pytest.approx(31 * DAY["in"])
    assert net.export_kwh.sum() == pytest.approx(31 * DAY["out"])


@pytest.mark.parametrize(
    ("line", "said"),
    [("2025-02,many", "line 3: the energy is 'many'"), ("2025-13,5", "line 3: the day is '2025-13'")],
)
def test_a_month_that_cannot_be_read_is_named_with_its_line(tmp_path, line, said):
    with pytest.raises(InputError, match=said):
        read_plant_flows(monthly(tmp_path, ["Month,Production (kWh)", "2025-01,4", line, "2025-03,5"]), ZONE)


@pytest.mark.parametrize("minutes", [5, 15, 60])
@pytest.mark.parametrize("unit", [" (kWh)", ""])
def test_what_counts_up_each_day_is_told_by_its_steps(tmp_path, minutes, unit):
    lines, made, used = [f"Time,Daily yield{unit},Daily consumption{unit}"], 0.0, 0.0
    for number in range(31 * 1440 // minutes):
        when = datetime(2025, 7, 1) + timedelta(minutes=minutes * number)
        if when.hour == when.minute == 0:
            made = used = 0.0
        lines.append(f"{when:%Y-%m-%d %H:%M},{made:.3f},{used:.3f}")
        made += HOURS[when.hour][0] * minutes / 60.0
        used += HOURS[when.hour][1] * minutes / 60.0
    path = monthly(tmp_path, lines)
    data = read_meter_file(path, MeterReading(), ZONE)
    # The very last interval is on no counter.
    assert data.import_kwh.sum() == pytest.approx(31 * DAY["used"] - minutes / 60.0, rel=1e-3)
    assert "count up each day" in " ".join(data.understood.notes)
    (july,) = months_of_flows(read_plant_flows(path, ZONE, today=TODAY), ZONE)
    assert july.production_kwh == pytest.approx(31 * DAY["made"], rel=1e-3)


def test_a_workbook_and_an_archive_are_read_alike(tmp_path):
    rows = [
        ["Month", "Production (kWh)", "Import (kWh)"],
        *([date(2025, month, 1), 100.5, 20] for month in (1, 2, 3)),
    ]
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    book.save(tmp_path / "portal.xlsx")
    with zipfile.ZipFile(tmp_path / "portal.zip", "w") as archive:
        archive.writestr(
            "portal.csv",
            "\n".join(",".join(f"{cell}"[:7] if n else f"{cell}" for cell in row) for n, row in enumerate(rows)),
        )
    for name in ("portal.xlsx", "portal.zip"):
        facts = months_of_flows(read_plant_flows(tmp_path / name, ZONE, today=TODAY), ZONE)
        assert [(fact.month, fact.production_kwh, fact.import_kwh) for fact in facts] == [
            (month, 100.5, 20.0) for month in (1, 2, 3)
        ], name


def test_more_than_a_plant_makes_and_years_of_no_logbook_are_told_or_left(tmp_path):
    path = monthly(tmp_path, ["Month,Production (MWh)", "1995-01,4", "2025-02,999999", "2025-03,5"])
    with pytest.raises(InputError, match="more than 100,000,000 kWh"):
        read_plant_flows(path, ZONE)
    path = monthly(tmp_path, ["Month,Production (kWh)", "1995-01,4", "2025-02,9", "2025-03,5"])
    assert [fact.year for fact in months_of_flows(read_plant_flows(path, ZONE), ZONE)] == [2025, 2025]
