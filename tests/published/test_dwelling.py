"""Methods for a dwelling's load against the worked example of a code, and by hand."""

import pytest

from calm_relay.exchange.shipped import demo_job, library, rule_packs
from calm_relay.physics.dwelling import dwelling_by_area_va, existing_dwelling_va, optional_dwelling_va
from calm_relay.planning.equipment.rules import rules_of
from tests.plans import plan

SQUARE_FEET_M2 = 0.09290304
# NEC Annex D, example D2(a) (from memory): 1,500 sq ft, two small-appliance circuits and one for the laundry,
# a 12 kW range, a 2.5 kW water heater, a 1.2 kW dishwasher and a 5 kW dryer, 9 kW of heating in five rooms, and an
# air conditioner of 6 A at 230 V: 21,480 VA, 90 A.
FLOOR_M2 = 1500 * SQUARE_FEET_M2
APPLIANCES_VA = 12_000.0 + 2_500.0 + 1_200.0 + 5_000.0
COOLING_VA = 6.0 * 230.0


def test_worked_example_of_the_optional_method():
    load_va = optional_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, COOLING_VA, heating_va=9_000.0, heating_parts=5)
    assert load_va == pytest.approx(21_480.0, abs=0.5)
    assert round(load_va / 240.0 + 0.499) == 90


def test_heating_and_cooling_never_count_together_and_few_parts_count_more():
    bare = optional_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA)
    assert bare == pytest.approx(17_880.0, abs=0.5)
    few = optional_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, COOLING_VA, heating_va=9_000.0, heating_parts=3)
    assert few - bare == pytest.approx(0.65 * 9_000.0)
    cooled = optional_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, 7_000.0, heating_va=9_000.0, heating_parts=5)
    assert cooled - bare == pytest.approx(7_000.0)
    pumped = optional_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, 0.0, 4_500.0, 9_000.0, 5)
    assert pumped - bare == pytest.approx(4_500.0 + 0.65 * 9_000.0)
    assert optional_dwelling_va(50.0, 2, 0.0) == pytest.approx(50.0 * 3.0 / SQUARE_FEET_M2 + 3_000.0)
    with pytest.raises(ValueError, match="at or above 0"):
        optional_dwelling_va(-1.0, 2, 0.0)


def test_a_dwelling_that_stands_by_hand_arithmetic():
    """NEC 220.83(B) (from memory): 8 kVA whole, 40 % of the rest, heating or cooling whole.

    1,500 sq ft is 4,500 VA, three circuits 4,500 VA, appliances 20,700 VA: 29,700 VA, of which 16,680 VA count; with
    an air conditioner of 1,380 VA 18,060 VA, with a charger of 11,500 VA beside them 22,660 VA.
    """
    assert existing_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA) == pytest.approx(16_680.0, abs=0.5)
    assert existing_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, COOLING_VA) == pytest.approx(18_060.0, abs=0.5)
    charged = existing_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA + 11_500.0, COOLING_VA)
    assert charged == pytest.approx(22_660.0, abs=0.5)
    heated = existing_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA, COOLING_VA, 9_000.0)
    assert heated - existing_dwelling_va(FLOOR_M2, 3, APPLIANCES_VA) == pytest.approx(9_000.0)
    assert existing_dwelling_va(10.0, 0, 0.0) == pytest.approx(10.0 * 3.0 / SQUARE_FEET_M2, rel=0.01)
    with pytest.raises(ValueError, match="at or above 0"):
        existing_dwelling_va(-1.0, 2, 0.0)


def test_a_dwelling_by_its_area_by_hand_arithmetic():
    """CSA C22.1 8-200(1) (from memory), by hand.

    186 m2 of living area count for 5,000 and two further 90 m2 for 2,000 VA; a range of 14 kVA for 6,000 and 40 % of
    2,000 VA; a dryer of 5 and a water heater of 3 kVA for a quarter; heating of 16 kVA for 10,000 and 75 % of 6,000:
    30,300 VA, 126 A at 240 V. A car charger of 9.6 kVA beside them is counted whole.
    """
    house = 186.0, 14_000.0, 8_000.0
    assert dwelling_by_area_va(*house, heating_va=16_000.0) == pytest.approx(30_300.0)
    assert dwelling_by_area_va(*house, 9_600.0, heating_va=16_000.0) == pytest.approx(39_900.0)
    # Heating and cooling never run together.
    assert dwelling_by_area_va(*house, heating_va=16_000.0, cooling_va=5_000.0) == pytest.approx(30_300.0)
    assert dwelling_by_area_va(*house, 9_600.0, cooling_va=6_000.0) == pytest.approx(15_800 + 9_600 + 6_000)
    # Without a range the first 6 kVA of the others count whole: 5,000 + 6,000 + a quarter of 22,000.
    assert dwelling_by_area_va(90.0, 0.0, 28_000.0, 10_000.0) == pytest.approx(5_000 + 6_000 + 5_500 + 10_000)
    # No service is smaller than 100 A, or 60 A for a dwelling of less than 80 m2.
    assert dwelling_by_area_va(120.0, 12_000.0, 0.0) == 24_000.0 == 100.0 * 240.0
    assert dwelling_by_area_va(79.0, 8_000.0, 0.0) == 14_400.0 == 60.0 * 240.0
    with pytest.raises(ValueError, match="at or above 0"):
        dwelling_by_area_va(90.0, -1.0, 0.0)


def test_a_region_that_counts_by_area_asks_for_no_other_method():
    """The cottage in Canada, by hand.

    190 m2 are 7,000 VA, a range of 10 kVA 6,000, a dryer of 5.5 kVA a quarter, the car and the heat pump count whole; a
    well pump of 1.5 kVA is held by the area.
    """
    job = demo_job("cottage").with_(region="canada", rule_changes=())
    kinds = {"Range": "range", "Car": "counted whole"}
    circuits = (item.with_(counts_as=kinds.get(item.name, item.counts_as)) for item in job.board.circuits)
    option = plan(job.with_(backup_board=job.board.with_(circuits=tuple(circuits)))).option("hybrid-swap")
    (found,) = (item for item in option.findings if item.check == "service")
    assert found.measured == pytest.approx((7_000 + 6_000 + 1_375 + 7_200 + 4_500) / 240.0)
    assert "dwelling by its area" in found.sentence and "8-200(1)" in found.rule


def test_each_dwelling_has_its_own_method():
    job = demo_job("cottage")
    assert job.backup_board.dwelling == "new"
    stands = job.with_(backup_board=job.backup_board.with_(dwelling="existing"))

    def service(job):
        return next(item for item in plan(job).option("hybrid-swap").findings if item.check == "service")

    new, old = service(job), service(stands)
    # A range and what other regions count whole are appliances here.
    kinds = {"Range": "range", "Car": "counted whole"}
    circuits = (item.with_(counts_as=kinds.get(item.name, item.counts_as)) for item in job.board.circuits)
    told_apart = job.with_(backup_board=job.board.with_(circuits=tuple(circuits)))
    assert service(told_apart).measured == pytest.approx(new.measured)
    assert "new dwelling" in new.sentence and "220.82" in new.rule
    assert "dwelling that stands" in old.sentence and "220.83" in old.rule
    general = 190 * 3.0 / SQUARE_FEET_M2 + 3 * 1500 + 10_000 + 5_500 + 1_500 + 7_200
    assert old.measured == pytest.approx((8_000 + 0.4 * (general - 8_000) + 4_500) / 240.0, abs=0.01)


def test_the_service_of_a_house_is_held_against_it():
    job = demo_job("cottage")
    assert rules_of(job, library()).of("dwelling share").authority
    assert rules_of(demo_job("pottery"), library()).of("dwelling share") is None
    assert any(rule.kind == "dwelling share" for rule in rule_packs()[job.region].rules)

    def service(job):
        option = plan(job).option("hybrid-swap")
        return next(item for item in option.findings if item.check == "service")

    note = service(job)
    # 190 m2 and three circuits, 10 + 5.5 + 1.5 + 7.2 kVA of appliances, and a heat pump of 4.5 kVA beside them.
    general = 190 * 3.0 / SQUARE_FEET_M2 + 3 * 1500 + 10_000 + 5_500 + 1_500 + 7_200
    assert note.measured == pytest.approx((10_000 + 0.4 * (general - 10_000) + 4_500) / 240.0, abs=0.01)
    assert note.severity.name == "OK"
    weak = service(job.with_(supply=job.supply.with_(main_fuse_a=100)))
    assert weak.severity.name == "STOP"
    unknown = plan(job.with_(backup_board=job.backup_board.with_(floor_m2=None))).option("hybrid-swap")
    assert "service" not in {item.check for item in unknown.findings}
