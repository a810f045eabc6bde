"""Conductors, capacities and drops against standards and worked figures from outside."""

from math import pi, sqrt

import pytest

from calm_relay.exchange.shipped import wire_tables
from calm_relay.job.wires import DeviceSize
from calm_relay.job.wiring import Route
from calm_relay.physics.cables import (
    conductor_temp_c,
    heat_w,
    least_area_mm2,
    resistance_ohm_per_km,
    voltage_drop_v,
)
from calm_relay.planning.architecture.topology import Edge
from calm_relay.planning.wiring.cable import Limits, size_cable
from calm_relay.planning.wiring.capacity import carries
from calm_relay.planning.wiring.laid import laid_of

FOOT = 0.3048


def awg_area_mm2(gauge):
    """ASTM B258: diameter 0.127 mm times 92 to the power of (36 - gauge) / 39; 0 is 1/0, -3 is 4/0."""
    return pi / 4.0 * (0.127 * 92.0 ** ((36 - gauge) / 39.0)) ** 2


@pytest.fixture(scope="module")
def tables():
    return wire_tables()


# IEC 60228:2004, table 2 (class 2, plain copper) and table 3 (class 5): ohm/km at 20 degC, from memory.
@pytest.mark.parametrize(
    ("name", "stranded", "flexible"),
    [
        ("1.5", 12.1, 13.3), ("2.5", 7.41, 7.98), ("4", 4.61, 4.95), ("6", 3.08, 3.30), ("10", 1.83, 1.91),
        ("16", 1.15, 1.21), ("25", 0.727, 0.780), ("35", 0.524, 0.554), ("50", 0.387, 0.386), ("70", 0.268, 0.272),
        ("95", 0.193, 0.206),
    ],
)  # fmt: skip
def test_iec_60228_resistances(tables, name, stranded, flexible):
    for key in ("iec", "bs", "as-nzs"):
        size = tables[key].size(name)
        assert size.copper == stranded
        assert size.flexible == flexible


# NEC 2023, table 250.122, copper: device and least conductor to earth, from memory.
@pytest.mark.parametrize(
    ("device", "size"),
    [(15, "14"), (20, "12"), (30, "10"), (60, "10"), (100, "8"), (150, "6"), (200, "6"), (300, "4"), (400, "3")],
)
def test_nec_equipment_grounding_conductors(tables, device, size):
    assert tables["nec"].bonding_size(tables["nec"].size("4"), device).name == size


# IEC 60364-5-54, table 54.2: the phase's area up to 16 mm2, 16 mm2 up to 35, half of it above; from memory.
@pytest.mark.parametrize(
    ("phase", "earth"), [("2.5", "2.5"), ("16", "16"), ("25", "16"), ("35", "16"), ("50", "25"), ("95", "50")]
)
def test_iec_protective_conductors(tables, phase, earth):
    for key in ("iec", "bs", "as-nzs"):
        assert tables[key].bonding_size(tables[key].size(phase), 100.0).name == earth


def test_canada_derates_more_gently_than_its_neighbour_when_many_run_side_by_side(tables):
    """CSA C22.1, table 5C against NEC table 310.15(C)(1): 10 conductors leave 0.7 and 0.5; from memory."""
    side_by_side = [dict(tables[key].grouping)[5] if key == "nec" else 0.7 for key in ("csa", "nec")]
    assert dict(tables["csa"].grouping)[4] == dict(tables["csa"].grouping)[12] == side_by_side[0]
    assert side_by_side[1] == 0.5
    for one, other in zip(tables["csa"].capacities, tables["nec"].capacities, strict=True):
        assert one.amps == other.amps


def test_a_standard_conductor_is_not_thinner_than_its_resistance_says(tables):
    """17.241 ohm mm2/km is the resistivity of annealed copper at 20 degC (IEC 60028)."""
    for size in tables["iec"].sizes:
        assert size.copper * size.mm2 == pytest.approx(17.241 * 1.06, rel=0.09)


# ASTM B258, diameters in inches of the handbook, from memory: 10 AWG 0.1019, 4 AWG 0.2043, 4/0 0.4600.
@pytest.mark.parametrize(
    ("gauge", "inches"), [(14, 0.0641), (12, 0.0808), (10, 0.1019), (4, 0.2043), (0, 0.3249), (-3, 0.4600)]
)
def test_astm_b258_diameters(gauge, inches):
    diameter = sqrt(awg_area_mm2(gauge) * 4.0 / 3.14159265)
    assert diameter / 25.4 == pytest.approx(inches, rel=1e-3)


def test_gauges_of_the_tables_have_the_area_of_the_standard(tables):
    gauges = {"14": 14, "12": 12, "10": 10, "8": 8, "6": 6, "4": 4, "2": 2, "1/0": 0, "4/0": -3}
    for name, gauge in gauges.items():
        assert tables["nec"].size(name).mm2 == pytest.approx(awg_area_mm2(gauge), rel=0.01)


# NEC 2023 chapter 9, table 8: stranded uncoated copper and aluminium at 75 degC [ohm/kFT], from memory.
@pytest.mark.parametrize(
    ("name", "copper", "aluminium"),
    [("14", 3.14, None), ("12", 1.98, 3.25), ("10", 1.24, 2.04), ("8", 0.778, 1.28), ("6", 0.491, 0.808),
     ("4", 0.308, 0.508), ("2", 0.194, 0.319), ("1/0", 0.122, 0.201), ("4/0", 0.0608, 0.100)],
)  # fmt: skip
def test_nec_table_8_at_75_degrees(tables, name, copper, aluminium):
    size = tables["nec"].size(name)
    assert resistance_ohm_per_km(size.copper, 75.0, 0.00323) * FOOT == pytest.approx(copper, rel=2e-3)
    if aluminium is not None:
        assert resistance_ohm_per_km(size.aluminium, 75.0, 0.00330) * FOOT == pytest.approx(aluminium, rel=2e-3)


def capacity(tables, key, name, loaded=2, **route):
    edge = Edge("a > b", "a", "b", "unit", "single" if loaded == 2 else "three")
    lies = laid_of(edge, Route(key="a > b", **route), tables[key])
    made = carries(lies, loaded, tables[key])
    return made.amps[[size.name for size in tables[key].sizes].index(name)]


# IEC 60364-5-52:2009, tables B.52.2 to B.52.5, from memory.
@pytest.mark.parametrize(
    ("name", "loaded", "laying", "insulation", "amps"),
    [
        ("2.5", 2, "clipped to a wall", "70 °C", 27.0),
        ("2.5", 3, "clipped to a wall", "70 °C", 24.0),
        ("4", 2, "in conduit on a wall", "70 °C", 32.0),
        ("6", 3, "in an insulated wall", "70 °C", 31.0),
        ("10", 2, "clipped to a wall", "90 °C", 80.0),
        ("16", 3, "in conduit on a wall", "90 °C", 88.0),
        ("35", 2, "in free air", "90 °C", 185.0),
        ("25", 3, "buried", "70 °C", 82.0),
    ],
)
def test_iec_capacities(tables, name, loaded, laying, insulation, amps):
    for key in ("iec", "bs"):
        assert capacity(tables, key, name, loaded, laying=laying, insulation=insulation) == pytest.approx(amps)


# Worked by hand from tables B.52.14 and B.52.17 (from memory): each is table figure x factors.
@pytest.mark.parametrize(
    ("route", "amps"),
    [
        ({"ambient_c": 40.0}, 32.0 * 0.87),
        ({"ambient_c": 50.0}, 32.0 * 0.71),
        ({"grouped": 3}, 32.0 * 0.70),
        ({"grouped": 4, "ambient_c": 35.0}, 32.0 * 0.65 * 0.94),
        ({"grouped": 10}, 32.0 * 0.45),
        ({"ambient_c": 37.5}, 32.0 * (0.94 + 0.87) / 2.0),
        ({"ambient_c": 65.0}, 0.0),
    ],
)
def test_correction_factors(tables, route, amps):
    assert capacity(
        tables, "iec", "4", laying="in conduit on a wall", insulation="70 °C", **route
    ) == pytest.approx(amps)


# NEC 2023, table 310.16 with 310.15(B)(1), from memory.
@pytest.mark.parametrize(
    ("name", "route", "amps"),
    [
        ("10", {"insulation": "75 °C"}, 35.0),
        ("8", {"insulation": "60 °C"}, 40.0),
        ("6", {"insulation": "75 °C"}, 65.0),
        ("2/0", {"insulation": "75 °C"}, 175.0),
        ("4/0", {"insulation": "75 °C", "material": "aluminium"}, 180.0),
        ("6", {"insulation": "75 °C", "ambient_c": 40.0}, 65.0 * 0.88),
        ("10", {"insulation": "90 °C", "ambient_c": 60.0}, 40.0 * 0.71),
    ],
)
def test_nec_capacities(tables, name, route, amps):
    assert capacity(tables, "nec", name, laying="in conduit on a wall", **route) == pytest.approx(amps)


def test_pv_cable_of_en_50618(tables):
    """EN 50618, table A.3: 4 mm2 on a surface 52 A, 6 mm2 67 A at 60 degC; 0.92 at 70 degC (from memory)."""
    edge = Edge("a > b", "a", "b", "string", "dc")
    for name, amps in (("4", 52.0), ("6", 67.0), ("10", 93.0)):
        lies = laid_of(edge, Route(key="a > b"), tables["iec"])
        made = carries(lies, 2, tables["iec"])
        at = [size.name for size in tables["iec"].sizes].index(name)
        assert made.amps[at] == pytest.approx(amps)
        hot = carries(laid_of(edge, Route(key="a > b", ambient_c=70.0), tables["iec"]), 2, tables["iec"])
        assert hot.amps[at] == pytest.approx(amps * 0.92)


# Worked examples of voltage drop.
@pytest.mark.parametrize(
    ("amps", "ohm", "metres", "circuit", "volts", "source"),
    [
        # BS 7671, appendix 4, table 4D2B: 4 mm2 two-core 11 mV/A/m at 70 degC (from memory): 20 A, 30 m = 6.6 V.
        (20.0, 4.61 * 1.1965, 30.0, "single", 6.6, "BS 7671 4D2B"),
        # 2.5 mm2: 18 mV/A/m; 16 A over 25 m = 7.2 V.
        (16.0, 7.41 * 1.1965, 25.0, "single", 7.2, "BS 7671 4D2B"),
        # 10 mm2: 4.4 mV/A/m; 40 A over 20 m = 3.52 V.
        (40.0, 1.83 * 1.1965, 20.0, "single", 3.52, "BS 7671 4D2B"),
        # 16 mm2 three-core: 2.4 mV/A/m between lines, so over root three to neutral; 60 A, 30 m.
        (60.0, 1.15 * 1.1965, 30.0, "three", 2.4e-3 * 60 * 30 / sqrt(3), "BS 7671 4D4B"),
        # NEC chapter 9 table 8: 12 AWG 1.98 ohm/kFT, 16 A, 100 ft one way: 2 x 16 x 0.198 = 6.34 V.
        (16.0, 1.98 / FOOT, 30.48, "single", 6.336, "NEC chapter 9"),
        # 10 AWG, 24 A, 150 ft at 240 V: 2 x 24 x 1.24 x 0.15 = 8.93 V.
        (24.0, 1.24 / FOOT, 45.72, "split", 8.928, "NEC chapter 9"),
        # A string of 9 A over 25 m of 4 mm2: common practice, 2 x 9 x 4.95 x 0.025 = 2.23 V.
        (9.0, 4.95, 25.0, "dc", 2.2275, "common practice"),
        # A battery of 100 A over 2 m of 35 mm2: 2 x 100 x 0.554 x 0.002 = 0.22 V.
        (100.0, 0.554, 2.0, "dc", 0.2216, "common practice"),
    ],
)
def test_worked_voltage_drops(amps, ohm, metres, circuit, volts, source):
    assert source
    assert voltage_drop_v(amps, ohm, metres, circuit) == pytest.approx(volts, rel=0.03)


# Adiabatic sizes worked by hand: S = sqrt(I2 t) / k, IEC 60364-5-54, 543.1.2.
@pytest.mark.parametrize(
    ("fault_a", "seconds", "k", "mm2"),
    [
        (1000.0, 0.4, 115.0, 5.50),
        (3000.0, 0.1, 115.0, 8.25),
        (6000.0, 0.02, 143.0, 5.93),
        (500.0, 5.0, 76.0, 14.71),
    ],
)
def test_adiabatic_sizes(fault_a, seconds, k, mm2):
    assert least_area_mm2(fault_a**2 * seconds, k) == pytest.approx(mm2, rel=2e-3)


def test_conductor_temperature_follows_the_square_of_the_current():
    """BS 7671, appendix 4, 6.1: at its capacity 70 degC, at half of it a quarter of the rise."""
    assert conductor_temp_c(32.0, 32.0, 30.0, 70.0) == pytest.approx(70.0)
    assert conductor_temp_c(16.0, 32.0, 30.0, 70.0) == pytest.approx(40.0)
    assert conductor_temp_c(1.0, 0.0, 30.0, 70.0) == 70.0


def test_copper_warms_by_a_fifth_from_20_to_70_degrees():
    """Handbook figure: 1.20 (common practice); 1 + 0.00393 x 50 is 1.1965."""
    assert resistance_ohm_per_km(1.0, 70.0) == pytest.approx(1.1965)


def test_heat_of_a_cable():
    # 3 x 16^2 x 7.41 ohm/km x 10 m = 56.9 W: common practice, no source.
    assert heat_w(16.0, 7.41, 10.0, 3) == pytest.approx(56.9, rel=1e-3)


# NEC 705.12(B)(3)(2), worked examples as they are taught (common practice, no source): main + 1.25 I <= 1.2 busbar.
@pytest.mark.parametrize(
    ("main", "amps", "busbar", "holds"),
    [(200.0, 32.0, 200.0, True), (200.0, 33.0, 200.0, False), (175.0, 48.0, 200.0, True), (100.0, 20.0, 100.0, False),
     (100.0, 16.0, 100.0, True), (200.0, 48.0, 225.0, True)],
)  # fmt: skip
def test_the_busbar_sum_of_the_planner_is_that_of_the_clause(main, amps, busbar, holds):
    from calm_relay.exchange.shipped import catalogue, demo_job
    from calm_relay.planning.findings import Severity
    from tests.plans import plan

    job = demo_job("cottage")
    own = next(item for item in catalogue().inverters if item.key == "skerrin-h96q")
    kw = round(amps * 240.0 / 1000.0, 3)
    unit = own.with_(ac_kw=min(own.ac_kw, kw), max_ac_a=amps)
    circuits = tuple(circuit.with_(breaker_a=60.0) for circuit in job.backup_board.circuits)
    job = job.with_(
        supply=job.supply.with_(main_fuse_a=main, busbar_a=busbar),
        own_equipment=job.own_equipment.with_(inverters=(unit,)),
        battery=job.battery.with_(hybrid="skerrin-h96q"),
        backup_board=job.backup_board.with_(circuits=circuits),
    )
    option = plan(job).option("hybrid-swap")
    note = next(item for item in option.findings if item.check == "busbar")
    assert (note.severity is Severity.OK) is holds


# NEC 240.4(B) and 240.6(A), table 310.16 at 75 degC: a cable whose capacity is no standard rating may have the next
# larger breaker, up to 800 A, as long as it carries what it is chosen for. From memory.
@pytest.mark.parametrize(
    ("needed", "breaker", "size"),
    [
        (62.0, 70.0, "6"),  # 6 AWG carries 65 A, between 60 and 70
        (66.0, 70.0, "4"),  # more than 65 A is asked of it
        (128.0, 150.0, "1"),  # 1 AWG carries 130 A, between 125 and 150
        (132.0, 150.0, "1/0"),
        (98.0, 100.0, "3"),  # 3 AWG carries 100 A, a standard rating of its own
        (28.0, 30.0, "10"),  # 240.4(D) holds small conductors to their breaker
    ],
)
def test_nec_next_size_up(tables, needed, breaker, size):
    edge = Edge("a > b", "a", "b", "unit", volts=240.0, amps=needed, drop_a=needed)
    laid = laid_of(edge, Route(key="a > b", length_m=1.0, ambient_c=30.0), tables["nec"])
    limits = Limits(needed, None, None, 0.0)
    made = size_cable(edge, None, laid, limits, tables["nec"], DeviceSize(amps=breaker), "breaker")
    assert made.size.name == size


def test_elsewhere_a_breaker_is_no_larger_than_its_cable(tables):
    """IEC 60364-4-43, 433.1: Ib <= In <= Iz."""
    edge = Edge("a > b", "a", "b", "unit", volts=230.0, amps=20.0, drop_a=20.0)
    for breaker in tables["iec"].breakers[:10]:
        laid = laid_of(edge, Route(key="a > b", length_m=1.0), tables["iec"])
        limits = Limits(breaker.amps - 1.0, None, None, 0.0)
        made = size_cable(edge, None, laid, limits, tables["iec"], breaker, "breaker")
        assert made.capacity_a >= breaker.amps


# EN 60898-1, energy class 3, type C: A2s at 3, 6 and 10 kA, from memory.
@pytest.mark.parametrize(
    ("amps", "at_3", "at_6", "at_10"), [(16, 18_000, 42_000, 84_000), (32, 22_000, 55_000, 110_000)]
)
def test_breakers_let_through_what_their_class_allows(tables, amps, at_3, at_6, at_10):
    breaker = next(item for item in tables["iec"].breakers if item.amps == amps)
    passed = [breaker.lets_through(kiloamps) for kiloamps in (2.5, 5.0, 9.0, None)]
    assert passed == [at_3, at_6, at_10, at_6]
    # k of 115 for copper in PVC (IEC 60364-4-43): 84,000 A2s ask for 2.52 mm2, 42,000 for 1.78.
    assert least_area_mm2(at_10, 115.0) == pytest.approx(sqrt(at_10) / 115.0)


# NEC 2023, 215.3 and 215.2(A)(1), from memory: a feeder's breaker is at least 1.25 times what it carries for hours, its
# conductors carry the breaker, or 83 % of it where they feed all of a dwelling (310.12(B)); so a changeover of 200 A
# that passes 80 % of it for hours wants 200 A, and 2/0 AWG copper at 75 degC (tables 310.16 and 310.12(A)). One rated
# below the service's main breaker is protected at its own rating, and carries it.
@pytest.mark.parametrize(("key", "amps", "size"), [("skerrin-h96s", 200.0, "2/0"), ("skerrin-h96q", 125.0, "1")])
def test_the_feeder_of_a_changeover_stands_for_its_rating_and_not_for_its_hours(key, amps, size):
    from calm_relay.exchange.shipped import catalogue, demo_job
    from calm_relay.planning.wiring.wiring import wiring_of
    from tests.plans import plan

    unit = next(item for item in catalogue().inverters if item.key == key)
    job = demo_job("cottage")
    job = job.with_(
        supply=job.supply.with_(main_fuse_a=200.0),
        battery=job.battery.with_(hybrid=key),
        wiring=job.wiring.with_(routes=()),
        backup_board=None,
    )
    option = plan(job).option("hybrid-swap")
    feeder = wiring_of(option.design, option.context).cable("meter > changeover")
    hours_a = unit.backup.pass_through_a * unit.backup.pass_through_continuous_fraction
    assert (feeder.device.amps, feeder.size.name) == (amps, size)
    share = 0.83 if amps == 200.0 else 1.0
    assert feeder.device.amps >= 1.25 * hours_a - 1e-9 and feeder.capacity_a >= share * feeder.device.amps


# NEC 2023, table 310.12(A): conductors that feed all of a dwelling, by the rating of its service; from memory.
@pytest.mark.parametrize(
    ("rating", "copper", "aluminium"),
    [
        (100, "4", "2"), (110, "3", "1"), (125, "2", "1/0"), (150, "1", "2/0"), (175, "1/0", "3/0"),
        (200, "2/0", "4/0"), (225, "3/0", "250 kcmil"), (300, "250 kcmil", "350 kcmil"),
        (350, "350 kcmil", "500 kcmil"),
        (400, "400 kcmil", "600 kcmil"),
    ],
)  # fmt: skip
def test_nec_conductors_that_feed_all_of_a_dwelling(tables, rating, copper, aluminium):
    nec = tables["nec"]
    edge = Edge("a > b", "a", "b", "feeder", "split", 240.0, float(rating), float(rating), 240.0)
    names = [size.name for size in nec.sizes]
    for material, size in (("copper", copper), ("aluminium", aluminium)):
        if size not in names:
            continue
        laid = laid_of(edge, Route(key="a > b", length_m=1.0, material=material, insulation="75 °C"), nec)
        limits = Limits(float(rating), None, None, 0.0, share=nec.dwelling_share)
        found = size_cable(edge, None, laid, limits, nec, DeviceSize(amps=float(rating)), "breaker")
        assert found.size.name == size, material
