"""The optional method for a dwelling's load against the worked example of its code."""

import pytest

from calm_relay.exchange.shipped import demo_job, library, rule_packs
from calm_relay.physics.dwelling import existing_dwelling_va, optional_dwelling_va
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


def test_each_dwelling_has_its_own_method():
    job = demo_job("cottage")
    assert job.backup_board.dwelling == "new"
    stands = job.with_(backup_board=job.backup_board.with_(dwelling="existing"))

    def service(job):
        return next(item for item in plan(job).option("hybrid-swap").findings if item.check == "service")

    new, old = service(job), service(stands)
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
