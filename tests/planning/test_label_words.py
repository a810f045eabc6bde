"""Datasheets and price lists in other languages: what a label speaks of is found whatever its grammar."""

import pytest

from calm_relay.exchange.datasheet import sheet_of_text
from calm_relay.exchange.spreadsheet import read_spreadsheet
from calm_relay.planning.equipment.datasheet_reader import read_fields
from calm_relay.planning.equipment.draft import MODELS
from calm_relay.planning.equipment.label_words import head_in_english, in_english
from calm_relay.planning.equipment.table_import import fields_of, guess_columns, import_rows, price_columns

# One module, one inverter and one battery of our own invention; each language states some of their figures.
MODULE = {
    "power_w": 430.0, "open_circuit_v": 38.72, "short_circuit_a": 14.05, "max_power_v": 32.1, "max_power_a": 13.4,
    "voc_per_c": -0.0025, "power_per_c": -0.003, "system_voltage_v": 1500.0, "series_fuse_a": 25.0, "length_mm": 1762.0,
    "width_mm": 1134.0,
}  # fmt: skip
INVERTER = {
    "ac_kw": 8.0, "pv.tracker.max_v": (1000.0,), "pv.tracker.mppt_low_v": 160.0, "pv.tracker.mppt_high_v": 950.0,
    "pv.tracker.full_power_low_v": 380.0, "pv.tracker.start_v": (180.0,), "pv.inputs": 2,
    "pv.tracker.usable_a": (16.0,), "pv.tracker.short_circuit_a": (22.0,), "battery.low_v": 120.0,
    "battery.high_v": 600.0, "battery.charge_a": 40.0, "battery.discharge_a": 40.0, "max_ac_a": 13.3,
    "backup.continuous_kw": 8.0, "backup.transfer_ms": 10.0, "peak_efficiency": 0.98, "weighted_efficiency": 0.974,
    "standby_w": 15.0, "works_from_c": -25.0, "works_to_c": 60.0, "highest_m": 3000.0, "weight_kg": 31.0,
    "warranty_years": 10.0, "phases": "three",
}  # fmt: skip
PACK = {
    "nominal_kwh": 10.24, "depth_of_discharge": 0.95, "empty_v": 180.0, "full_v": 230.0, "charge_a": 50.0,
    "discharge_a": 50.0, "charge_min_c": 0.0, "discharge_min_c": -20.0, "work_max_c": 55.0, "weight_kg": 104.0,
    "warranty_years": 10.0, "chemistry": "LFP", "cycle_life": ({"depth": 0.9, "cycles": 6000.0},),
}  # fmt: skip
SHEETS = {
    ("modules", "German"): """
        Nennleistung (Pmpp)   430 Wp
        Leerlaufspannung (Uoc)   38,72 V
        Kurzschlussstrom (Isc)   14,05 A
        Spannung bei Nennleistung (Umpp)   32,10 V
        Strom bei Nennleistung (Impp)   13,40 A
        Temperaturkoeffizient Leistung   -0,30 %/K
        Temperaturkoeffizient der Leerlaufspannung   -0,25 %/K
        Max. Systemspannung   1.500 V
        Max. Rückstrombelastbarkeit   25 A
        Abmessungen (L x B x H)   1.762 x 1.134 x 30 mm""",
    ("modules", "French"): """
        Puissance maximale (Pmax)   430 Wc
        Tension en circuit ouvert (Voc)   38,72 V
        Courant de court-circuit (Isc)   14,05 A
        Tension à puissance maximale (Vmp)   32,10 V
        Courant à puissance maximale (Imp)   13,40 A
        Coefficient de température de Pmax   -0,30 %/°C
        Coefficient de température de Voc   -0,25 %/°C
        Tension maximale du système   1500 V
        Calibre maximal des fusibles   25 A
        Dimensions   1762 x 1134 x 30 mm""",
    ("modules", "Polish"): """
        Moc maksymalna (Pmax)   430 W
        Napięcie obwodu otwartego (Voc)   38,72 V
        Prąd zwarciowy (Isc)   14,05 A
        Wymiary   1762 x 1134 x 30 mm""",
    ("inverters", "German"): """
        Max. DC-Eingangsspannung   1.000 V
        MPP-Spannungsbereich   160 - 950 V
        MPP-Spannungsbereich bei Nennleistung   380 - 850 V
        Startspannung   180 V
        Anzahl der MPP-Tracker   2
        Max. Eingangsstrom pro MPP-Tracker   16 A
        Max. Kurzschlussstrom pro MPP-Tracker   22 A
        Batteriespannungsbereich   120 - 600 V
        Max. Lade-/Entladestrom   40 A / 40 A
        AC-Nennleistung   8.000 W
        Max. Ausgangsstrom   13,3 A
        Max. Wirkungsgrad   98,0 %
        Europäischer Wirkungsgrad   97,4 %
        Eigenverbrauch nachts   < 15 W
        Betriebstemperaturbereich   -25 ... +60 °C
        Max. Betriebshöhe   3.000 m
        Gewicht   31 kg
        Garantie   10 Jahre
        Anschluss dreiphasig
        Notstrom
        Nennleistung   8.000 W
        Umschaltzeit   < 10 ms""",
    ("inverters", "Spanish"): """
        Rango de tensión MPPT   160 a 950 V
        Tensión máxima de entrada CC   1000 V
        Número de MPPT   2
        Corriente máxima de entrada por MPPT   16 A
        Corriente máxima de cortocircuito por MPPT   22 A
        Tensión de arranque   180 V
        Potencia nominal de salida CA   8 kW
        Corriente máxima de salida   13,3 A
        Rango de tensión de la batería   120-600 V
        Corriente máxima de carga/descarga   40 A
        Tiempo de conmutación   10 ms
        Rendimiento máximo   98 %
        Rendimiento europeo   97,4 %
        Rango de temperatura de funcionamiento   -25 a +60 °C
        Peso   31 kg
        Garantía   10 años
        Trifásico""",
    ("inverters", "French"): """
        Puissance nominale de sortie AC   8 kW
        Tension d'entrée max. DC   1000 V
        Plage de tension MPPT   160 à 950 V
        Plage de tension MPPT à pleine puissance   380 à 850 V
        Courant d'entrée max. par MPPT   16 A
        Courant de court-circuit max. par MPPT   22 A
        Plage de tension batterie   120 à 600 V
        Puissance secours   8 kW
        Temps de commutation   < 10 ms
        Rendement européen   97,4 %
        Plage de température de fonctionnement   -25 à 60 °C
        Altitude max.   3000 m
        Garantie   10 ans
        Triphasé""",
    ("inverters", "Portuguese"): """
        Potência nominal de saída CA   8 kW
        Tensão máxima de entrada CC   1000 V
        Faixa de tensão MPPT   160 a 950 V
        Tensão de partida   180 V
        Corrente máxima de entrada por MPPT   16 A
        Corrente máxima de curto-circuito por MPPT   22 A
        Garantia   10 anos
        Trifásico""",
    ("inverters", "Dutch"): """
        Nominaal AC-vermogen   8.000 W
        Max. ingangsspanning   1000 V
        MPPT-spanningsbereik   160 - 950 V
        Opstartspanning   180 V
        Max. ingangsstroom per MPPT   16 A
        Max. kortsluitstroom per MPPT   22 A
        Accuspanning   120 - 600 V
        Max. laadstroom   40 A
        Max. ontlaadstroom   40 A
        Noodstroomvermogen   8 kW
        Omschakeltijd   10 ms
        Max. rendement   98,0 %
        Gewicht   31 kg
        Driefasig""",
    ("inverters", "Italian"): """
        Potenza nominale CA   8.000 W
        Tensione massima di ingresso CC   1000 V
        Intervallo di tensione MPPT   160 - 950 V
        Numero di MPPT   2
        Corrente massima di ingresso per MPPT   16,0 A
        Corrente massima di corto circuito per MPPT   22,0 A
        Rendimento massimo   98,0 %
        Trifase""",
    ("packs", "German"): """
        Zelltechnologie   Lithium-Eisenphosphat
        Nennenergie   10,24 kWh
        Nutzbare Energie   9,7 kWh
        Entladetiefe   95 %
        Spannungsbereich   180 - 230 V
        Max. Ladestrom   50 A
        Max. Entladestrom   50 A
        Ladetemperatur   0 bis 50 °C
        Entladetemperatur   -20 bis 55 °C
        Lebensdauer   6.000 Zyklen bei 90 % DoD
        Gewicht   104 kg
        Garantie   10 Jahre""",
    ("packs", "Italian"): """
        Energia nominale   10,24 kWh
        Capacità utilizzabile   9,7 kWh
        Profondità di scarica   95 %
        Intervallo di tensione   180-230 V
        Corrente massima di carica   50 A
        Corrente massima di scarica   50 A
        Temperatura di carica   0 ~ 50 °C
        Cicli   6000 (90 % DoD)
        Peso   104 kg
        Garanzia   10 anni""",
}
FIGURES = {"modules": MODULE, "inverters": INVERTER, "packs": PACK}
# Lines that state nothing a field is for: a usable energy stands beside the nominal one.
SILENT = ("Nutzbare", "utilizzabile", "Notstrom\n")


@pytest.mark.parametrize(("kind", "language"), SHEETS)
def test_a_datasheet_in_another_language_states_the_same_figures(kind, language):
    text = SHEETS[kind, language]
    found = read_fields(sheet_of_text(text), kind).found
    read = {path: candidates[0].value for path, candidates in found.items() if path != "name"}
    assert read == {path: FIGURES[kind][path] for path in read}
    lines = [
        line for line in text.splitlines() if line.strip() and not any(word in f"{line}\n" for word in SILENT)
    ]
    # A line states one figure, or the two of a range, a size or a pair.
    assert len(read) >= len(lines)


@pytest.mark.parametrize(
    "text",
    [
        "Nennspannung   2 V\nNennkapazität (C10)   600 Ah\nErhaltungsladespannung   2,23 V\n"
        "Ladespannung zyklisch   2,40 V",
        "Tensión nominal   2 V\nCapacidad nominal C10   600 Ah\nTensión de flotación   2,23 V\n"
        "Tensión de absorción   2,40 V",
    ],
)
def test_so_does_that_of_a_lead_acid_cell(text):
    found = read_fields(sheet_of_text(text), "packs").found
    read = {path: candidates[0].value for path, candidates in found.items() if path != "name"}
    assert read == {"nominal_kwh": 1.2, "rated_hours": 10.0, "float_v": 2.23, "absorption_v": 2.4}


@pytest.mark.parametrize("word", ["nenn", "max ", "Nennleistung "])
def test_a_long_text_is_no_label(word):
    assert in_english(word * 1000) == word * 1000


def test_how_high_a_unit_is_is_not_where_it_may_hang():
    text = "Höhe   850 mm\nBreite   600 mm\nHoogte   850 mm\nWysokość   850 mm"
    assert "highest_m" not in read_fields(sheet_of_text(text), "packs").found


ENGLISH = (
    "Max. input voltage", "Nominal AC power", "Operating temperature", "Max. charge / discharge current", "Warranty",
    "Number of MPP trackers", "Dimensions", "Charge current", "Active power", "Battery system", "European efficiency",
)  # fmt: skip


@pytest.mark.parametrize("label", [*ENGLISH, *(title for kind in MODELS for title in fields_of(kind).values())])
def test_a_label_in_english_stays_as_it_is(label):
    assert in_english(label) == label and head_in_english(label) in {label, "price", "phases", "supplier"}


TABLES = {
    "modules": (
        "Artikelnr.;Bezeichnung;Nennleistung (Wp);Leerlaufspannung (V);Kurzschlussstrom (A);MPP-Spannung (V);"
        "MPP-Strom (A);Temperaturkoeff. Uoc (%/K);Temperaturkoeff. Pmax (%/K);Temperaturkoeff. Isc (%/K);"
        "Max. Systemspannung (V);Abmessungen (mm);EK-Preis netto\n"
        "A-1;Lumo 430;430;38,72;14,05;32,10;13,40;-0,25;-0,30;0,045;1500;1762 x 1134 x 30;61,90\n",
        {"power_w": 430.0, "open_circuit_v": 38.72, "max_power_a": 13.4, "length_mm": 1762.0, "price": 61.9},
    ),
    "inverters": (
        "Référence;Désignation;Puissance nominale AC (kW);Phases;Rendement max. (%);Tension DC max. (V);Plage MPPT (V);"
        "Nombre de MPPT;Courant d'entrée max. par MPPT (A);Courant de court-circuit max. par MPPT (A);Prix HT\n"
        "A-1;Onda 6;6;1;97,6;600;90-550;2;16;20;890,00\n",
        {"ac_kw": 6.0, "phases": "single", "price": 890.0},
    ),
    "packs": (
        "Código;Descripción;Energía nominal (kWh);Energía utilizable (kWh);Rango de tensión (V);"
        "Corriente máx. de carga (A);Corriente máx. de descarga (A);Ciclos;Garantía (años);Peso (kg);Precio\n"
        "A-1;Tessel 10;10,24;9,7;180-230;50;40;6000;10 años;104;3.190,00\n",
        {"nominal_kwh": 10.24, "full_v": 230.0, "charge_a": 50.0, "discharge_a": 40.0, "price": 3190.0},
    ),
}


@pytest.mark.parametrize("kind", TABLES)
def test_a_wholesalers_table_in_another_language_becomes_items(tmp_path, kind):
    text, figures = TABLES[kind]
    path = tmp_path / "list.csv"
    path.write_text(text, encoding="utf-8")
    table = read_spreadsheet(path)
    family = {"family": "tessel", "chemistry": "Lithium-Eisenphosphat"} if kind == "packs" else {}
    made = import_rows(kind, table, guess_columns(kind, table), of_all=family)
    assert not made.refused
    (own,) = made.items
    assert own.article == "A-1"
    assert {name: getattr(own.item, name) for name in figures} == figures
    columns = price_columns(table)
    assert [table.heads[columns[name]][:4] for name in ("article", "price")] == [
        text[:4],
        text.split("\n")[0].rsplit(";", 1)[1][:4],
    ]
