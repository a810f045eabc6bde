"""What a datasheet's words become: candidates with their places, in the units sheets have."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.exchange.datasheet import page_picture, read_sheet, sheet_of_text
from calm_relay.exchange.errors import InputError
from calm_relay.planning.equipment.datasheet_reader import number_of, parts_found, read_fields, value_in_field
from calm_relay.planning.equipment.draft import MODELS, derived, item_of
from tests.datasheets import HYBRID, MODULE, PACK, write_pdf


def test_one_column_of_a_sheet_of_three_models_is_a_module(tmp_path):
    reading = read_fields(read_sheet(write_pdf(tmp_path / "m.pdf", MODULE)), "modules")
    assert reading.columns == ("LM-400", "LM-405", "LM-410")
    found = {path: candidate.value for path, candidate in reading.of(1).items()}
    assert found["name"] == "LM-405"
    assert [found[name] for name in ("power_w", "open_circuit_v", "short_circuit_a", "max_power_v", "max_power_a")] == [
        405.0, 37.23, 13.87, 31.21, 12.98,
    ]  # fmt: skip
    # Millivolts a kelvin over the Voc of this column, inches, the higher system voltage.
    assert found["voc_per_c"] == pytest.approx(-0.102 / 37.23, rel=1e-4)
    assert found["length_mm"] == pytest.approx(67.8 * 25.4)
    assert found["width_mm"] == pytest.approx(44.6 * 25.4)
    assert (found["system_voltage_v"], found["series_fuse_a"]) == (1500.0, 25.0)
    item = item_of("modules", found, "lm-405")
    assert item.power_per_c == pytest.approx(-0.0035)
    assert item.cells_in_series == 54


def test_figures_at_operating_temperature_are_offered_last(tmp_path):
    reading = read_fields(read_sheet(write_pdf(tmp_path / "m.pdf", MODULE)), "modules")
    powers = [one.value for one in reading.found["power_w"] if one.column == 2]
    assert powers == [410.0, 310.0]


def test_a_candidate_lies_where_it_stands_on_the_page(tmp_path):
    sheet = read_sheet(write_pdf(tmp_path / "m.pdf", (), MODULE))
    candidate = read_fields(sheet, "modules").of(2)["open_circuit_v"]
    assert candidate.page == 1
    assert candidate.word.text == "37.32"
    assert 408 <= candidate.word.left <= 413
    assert candidate.word.top <= 140 <= candidate.word.bottom


def test_a_hybrid_with_decimal_commas_and_unlike_inputs(tmp_path):
    reading = read_fields(read_sheet(write_pdf(tmp_path / "h.pdf", HYBRID)), "inverters")
    assert parts_found(reading) == {"pv", "battery", "backup"}
    found = {path: candidate.value for path, candidate in reading.of(0).items()} | {
        "battery.families": ("fern-lv",)
    }
    item = item_of("inverters", found, "tamber-5")
    assert [tracker.usable_a for tracker in item.pv.trackers] == [16.0, 13.0]
    assert [tracker.short_circuit_a for tracker in item.pv.trackers] == [20.0, 16.0]
    assert (item.ac_kw, item.max_ac_a, item.phases, item.volts) == (5.0, 22.7, "single", 230.0)
    assert (item.peak_efficiency, item.weighted_efficiency) == (0.976, 0.97)
    assert (item.battery.low_v, item.battery.high_v, item.battery.charge_a, item.battery.discharge_a) == (
        42.0, 58.8, 100.0, 110.0,
    )  # fmt: skip
    assert (item.backup.continuous_kw, item.backup.surge_kw, item.backup.transfer_ms) == (5.0, 7.5, 10.0)


def test_a_battery_in_watt_hours_pounds_and_cycles_at_a_depth(tmp_path):
    reading = read_fields(read_sheet(write_pdf(tmp_path / "p.pdf", PACK)), "packs")
    found = {path: candidate.value for path, candidate in reading.of(0).items()} | {"family": "fellmar"}
    item = item_of("packs", found, "fellmar-5")
    assert (item.nominal_kwh, item.empty_v, item.full_v, item.chemistry) == (5.12, 44.8, 57.6, "LFP")
    assert (item.charge_a, item.discharge_a) == (100.0, 120.0)
    assert [(point.depth, point.cycles) for point in item.cycle_life] == [(0.9, 6000.0)]
    assert (item.charge_min_c, item.discharge_min_c, item.work_max_c) == (0.0, -20.0, 55.0)
    assert item.weight_kg == pytest.approx(105 * 0.45359237)


def test_pasted_text_reads_like_a_page():
    rows = (
        "Voc (V)  37,1  37,2  37,3",
        "Isc [A]  13,8  13,9  14,0",
        "Pmax (W)  400  405  410",
        "Vmp (V) 31,0 31,2 31,4",
    )
    text = "\n".join(rows)
    reading = read_fields(sheet_of_text(text), "modules")
    assert [one.value for one in reading.found["open_circuit_v"]] == [37.1, 37.2, 37.3]
    assert len(reading.columns) == 3


@pytest.mark.parametrize(
    ("text", "mark", "value"),
    [("1.722", ".", 1.722), ("1,722", ".", 1722.0), ("1.722", ",", 1722.0), ("37,5", ",", 37.5), ("37,5", ".", 37.5),
     ("−0.27", ".", -0.27), ("12 000", ".", 12000.0), ("1'000.5", ".", 1000.5), ("x", ".", None)],
)  # fmt: skip
def test_numbers_as_sheets_write_them(text, mark, value):
    assert number_of(text, mark) == value


def test_a_number_clicked_takes_the_unit_of_its_field():
    assert value_in_field("inverters", "ac_kw", "5000 W") == 5.0
    assert value_in_field("inverters", "ac_kw", "5.0") == 5.0
    assert value_in_field("packs", "nominal_kwh", "5120 Wh") == 5.12
    assert value_in_field("modules", "voc_per_c", "-0.27 %/°C") == pytest.approx(-0.0027)
    assert value_in_field("modules", "power_w", "none") is None
    with pytest.raises(KeyError):
        value_in_field("modules", "no_such", "1")


def test_a_sheet_that_cannot_be_read_is_told(tmp_path):
    for name, content, words in (
        ("gone.pdf", None, "no such file"),
        ("half.pdf", write_pdf(tmp_path / "x.pdf", MODULE).read_bytes()[:300], "damaged or no PDF"),
        ("text.pdf", b"Voc 37 V", "damaged or no PDF"),
        ("empty.pdf", b"", "damaged or no PDF"),
    ):
        path = tmp_path / name
        if content is not None:
            path.write_bytes(content)
        with pytest.raises(InputError, match=words):
            read_sheet(path)
    with pytest.raises(InputError, match="is a folder"):
        read_sheet(tmp_path)


def test_an_encrypted_and_an_endless_sheet_are_told(tmp_path):
    import pypdf

    plain = write_pdf(tmp_path / "plain.pdf", *([MODULE] * 61))
    with pytest.raises(InputError, match="61 pages; wanted at most 60"):
        read_sheet(plain)
    writer = pypdf.PdfWriter(clone_from=plain)
    writer.encrypt("secret", algorithm="RC4-128")
    writer.write(tmp_path / "locked.pdf")
    with pytest.raises(InputError, match="encrypted"):
        read_sheet(tmp_path / "locked.pdf")


def test_a_scanned_sheet_shows_its_page_and_has_no_text(tmp_path):
    path = write_pdf(tmp_path / "scan.pdf", ())
    sheet = read_sheet(path)
    assert not sheet.has_text
    assert read_fields(sheet, "modules").found == {}
    width, height, pixels = page_picture(path, 0, 300)
    assert (width, len(pixels)) == (300, 4 * width * height)


@settings(max_examples=60, deadline=None)
@given(st.text(max_size=400), st.sampled_from(sorted(MODELS)))
def test_any_text_is_read_without_an_error(text, kind):
    reading = read_fields(sheet_of_text(text), kind)
    for path, candidates in reading.found.items():
        assert candidates
        assert all(candidate.path == path for candidate in candidates)


HYBRID_WORDS = """Velden 6K hybrid inverter
MPPT voltage range 90 V - 560 V
Full-load MPPT voltage range 220 V ~ 500 V
AC output (on grid)
Rated AC output power 6000 W
Nominal AC voltage 230 V / 50 Hz
Max. AC output current 28.7 A
Back-up output
Rated apparent power 5000 VA
Max. AC output current 22 A
Peak apparent power, duration 9000 VA, 10 s
Efficiency
Max. efficiency 97.8 %
Rated output power 6000 W"""


def test_what_stands_under_a_heading_of_the_backup_is_the_backup_s():
    found = read_fields(sheet_of_text(HYBRID_WORDS), "inverters").found
    read = {path: [one.value for one in ones] for path, ones in found.items()}
    assert read["backup.continuous_kw"] == [5.0] and read["backup.surge_kw"] == [9.0]
    assert read["ac_kw"] == [6.0, 6.0] and read["max_ac_a"] == [28.7] and read["grid_hz"] == ["50"]
    assert read["pv.tracker.full_power_low_v"] == [220.0]
    assert (read["pv.tracker.mppt_low_v"], read["pv.tracker.mppt_high_v"]) == ([90.0], [560.0])


@pytest.mark.parametrize(
    ("words", "life"),
    [
        ("Cycle life ≥ 6000 (25 °C, 0.5C, 70% EOL, 90% DOD)", (0.9, 6000.0)),
        ("6000 cycles at 90 % DoD", (0.9, 6000.0)),
        ("Cycle life 8000 @ 80% DOD, 25 °C", (0.8, 8000.0)),
        ("Cycles (80% depth of discharge) 4500", (0.8, 4500.0)),
        ("Cycle life: 6,000 times (DOD 95%)", (0.95, 6000.0)),
        ("Cycle life > 6,000 cycles, 70% EOL", None),
    ],
)
def test_the_depth_of_cycles_is_not_what_is_left_of_the_battery(words, life):
    found = read_fields(sheet_of_text(f"Fellmar battery\n{words}"), "packs").found.get("cycle_life", ())
    assert [(point["depth"], point["cycles"]) for one in found for point in one.value] == ([life] if life else [])


STRING_WORDS = """Trent 10 kW three-phase string inverter
Max. DC power (cos phi = 1) 15 kW
Max. input voltage 1100 V
MPP voltage range 160 V to 1000 V
MPP voltage range at nominal power 470 V to 850 V
Min. input voltage / start input voltage 140 V / 160 V
Max. input current per MPP input 13 A / 13 A
Number of independent MPP inputs / strings per MPP input 2 / 1
Rated AC power (at 230 V, 50 Hz) 10000 W
Nominal AC voltage 3 / N / PE; 220 V / 380 V, 230 V / 400 V, 240 V / 415 V
Max. efficiency / European efficiency 98.3 % / 97.8 %"""
SPLIT_WORDS = """Corrie 11.4 split-phase hybrid
Nominal AC voltage 120/240 V split-phase, 208 V
Max. continuous output current 47.5 A
MPPT range 125-500 V
MPPTs 3
Max. operating current per MPPT 26 A
Isc per MPPT 34 A
Backup
Max. continuous power 11.4 kW
Surge 18 kVA for 10 s
Ambient temp. -13 °F to 140 °F"""
MICRO_WORDS = """Dunnock 400 microinverter
Min./Max. start voltage 22/60 V
Max. input DC voltage 60 V
Max. continuous input DC current 14 A
Max. module Isc 20 A
Max. continuous output current 1.6 A
Peak inverter efficiency 97.5 %
Altitude max 2600 meters"""
STACK_WORDS = """Rook high-voltage module
Operating voltage 90 - 113.6 Vdc
Scalability 2-7 modules in series
Operating temperature: charge 0 to 50 °C / discharge -20 to 50 °C"""
WALL_WORDS = """Hearth 10 wall battery
Operating temperature range Charge: 0 ~ 45°C; Discharge: -10 ~ 50°C
Lifespan 6000 cycles (80% DoD, 25 °C)
Parallel up to 15 units"""
GEL_WORDS = """Torf 12-200 gel block, valve-regulated
Nominal voltage   12 V
Rated capacity (10 h, 1.80 V/cell)   183 Ah
Rated capacity (20 h)   200 Ah
Cycle use charging voltage   14.1 - 14.4 V
Float charging voltage   13.5 - 13.8 V
Max. discharge current   1000 A (5 s)
Max. charging current   40 A"""
TUBULAR_WORDS = """Torf 6 tubular cell, vented
Nominal voltage 2 V
Capacity C10  600 Ah
Boost charge voltage 2.40 V/cell
Float voltage 2.23 V/cell"""
AMPERE_HOURS_WORDS = """Pack LFP 100
Nominal voltage 51.2 V
Nominal capacity 100 Ah"""
OPTIMISER_WORDS = """Plover 600 optimiser
Rated input DC power 600 W
Absolute maximum input voltage (Voc at lowest temperature) 80 Vdc
Maximum power per string 5700 W"""


def test_a_lead_acid_block_makes_a_bank_of_48_v():
    stated = {"chemistry": "lead-acid gel", "absorption_v": 14.1, "nominal_kwh": 2.4, "charge_a": 40.0}
    found = {path: item.value for path, item in derived("packs", stated).items()}
    assert (found["empty_v"], found["full_v"]) == (11.52, 13.26)
    assert (found["stacking"], found["count_min"], found["count_max"]) == ("series", 4, 4)
    assert derived("packs", {**stated, "absorption_v": 56.4})["stacking"].value == "parallel"


@pytest.mark.parametrize(
    ("words", "kind", "read"),
    [
        (
            STRING_WORDS,
            "inverters",
            {
                "pv.usable_dc_kw": 15.0, "pv.tracker.mppt_low_v": 160.0, "pv.tracker.full_power_low_v": 470.0,
                "pv.tracker.start_v": (160.0,), "pv.tracker.usable_a": (13.0, 13.0), "pv.inputs": 2, "ac_kw": 10.0,
                "volts": 230.0, "peak_efficiency": 0.983, "weighted_efficiency": 0.978,
            },
        ),
        (
            SPLIT_WORDS,
            "inverters",
            {
                "volts": 240.0, "max_ac_a": 47.5, "pv.tracker.mppt_high_v": 500.0, "pv.inputs": 3,
                "pv.tracker.usable_a": (26.0,), "pv.tracker.short_circuit_a": (34.0,), "backup.surge_kw": 18.0,
                "backup.continuous_kw": 11.4, "works_from_c": -25.0, "works_to_c": 60.0,
            },
        ),
        (
            MICRO_WORDS,
            "microinverters",
            {
                "start_v": 22.0, "max_v": 60.0, "usable_a": 14.0, "short_circuit_a": 20.0, "ac_a": 1.6,
                "peak_efficiency": 0.975, "highest_m": 2600.0,
            },
        ),
        (
            STACK_WORDS,
            "packs",
            {
                "empty_v": 90.0, "full_v": 113.6, "count_max": 7, "charge_min_c": 0.0, "discharge_min_c": -20.0,
                "work_max_c": 50.0,
            },
        ),
        (
            WALL_WORDS,
            "packs",
            {
                "charge_min_c": 0.0, "discharge_min_c": -10.0, "work_max_c": 50.0, "count_max": 15,
                "cycle_life": ({"depth": 0.8, "cycles": 6000.0},),
            },
        ),
        (
            GEL_WORDS,
            "packs",
            {
                "chemistry": "lead-acid gel", "nominal_kwh": 2.4, "rated_hours": 20.0, "absorption_v": 14.1,
                "float_v": 13.5, "charge_a": 40.0, "discharge_a": None,
            },
        ),
        (
            TUBULAR_WORDS,
            "packs",
            {
                "chemistry": "lead-acid flooded", "nominal_kwh": 1.2, "rated_hours": 10.0, "absorption_v": 2.4,
                "float_v": 2.23,
            },
        ),
        (AMPERE_HOURS_WORDS, "packs", {"chemistry": "LFP", "nominal_kwh": 5.12, "rated_hours": None}),
        (OPTIMISER_WORDS, "optimisers", {"power_w": 600.0, "max_v": 80.0, "string_power_w": 5700.0}),
    ],
)  # fmt: skip
def test_the_forms_that_datasheets_take_are_read(words, kind, read):
    """Labels and figures parted by strokes, conditions in parentheses, volts of several grids: common, no source."""
    found = read_fields(sheet_of_text(words), kind).found
    assert {path: found[path][0].value if path in found else None for path in read} == read
