"""Lead-acid against the ventilation standard, Peukert's law and what makers' sheets commonly state."""

from typing import get_args

import numpy as np
import pytest

from calm_relay.exchange.shipped import catalogue
from calm_relay.job.equipment import Pack
from calm_relay.physics.lead_acid import CELLS, airflow_m3_h, at_temperature, cells_of, opening_cm2
from calm_relay.physics.plant.parts import BatteryPart
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.operation.lead_bank import lead_bank_of


@pytest.mark.parametrize(
    ("cells", "amp_hours", "sealed", "air", "opening"),
    # IEC 62485-2 (from memory), by hand: 0.05 n I C / 1000 with I of 8 mA/Ah valve-regulated and 20 vented; 28 Q.
    [(24, 200.0, True, 1.92, 53.76), (24, 600.0, False, 14.4, 403.2), (6, 100.0, True, 0.24, 6.72)],
)
def test_fresh_air_by_the_standard(cells, amp_hours, sealed, air, opening):
    flow = airflow_m3_h(cells, amp_hours, sealed)
    assert flow == pytest.approx(air)
    assert opening_cm2(flow) == pytest.approx(opening)


@pytest.mark.parametrize(
    ("empty_v", "full_v", "cells"),
    # Blocks and banks as they are sold: common practice, no source.
    [(46.0, 53.0, 24), (11.5, 13.3, 6), (23.0, 26.5, 12), (44.0, 57.6, 24), (1.92, 2.21, 1), (5.8, 6.6, 3),
     (115.0, 132.0, 60)],
)  # fmt: skip
def test_cells_by_the_volts(empty_v, full_v, cells):
    assert cells_of(empty_v, full_v) == cells


def test_charging_volts_lie_where_makers_have_them_and_rise_in_the_cold():
    """Common practice, no source: 13.5 to 13.8 V held and 14.1 to 14.7 V absorbing for 12 V at 25 degC."""
    assert set(CELLS) == {name for name in get_args(Pack.model_fields["chemistry"].annotation) if "lead" in name}
    for volts in CELLS.values():
        assert 13.4 <= 6 * volts.float_ <= 13.8
        assert 14.0 <= 6 * volts.absorption <= 14.8
        assert volts.float_ < volts.absorption < (volts.equalise or 9.9)
        # 12 V blocks are compensated by 18 to 30 mV/K.
        assert 0.018 <= 6 * volts.per_k <= 0.030
    assert at_temperature(56.4, 24 * 0.004, 5.0) == pytest.approx(56.4 + 24 * 0.004 * 20)


def test_ampere_hours_at_ten_hours_follow_the_law_by_which_the_simulation_draws_them_down():
    """Peukert 1897: I^k t is constant; 200 Ah at 20 h are 183 at 10 h with k = 1.15, as makers' sheets have it."""
    pack = next(item for item in catalogue().packs if item.key == "mire-96")
    inverter = next(
        item for item in catalogue().inverters if item.battery and pack.family in item.battery.families
    )
    converter = Converter(inverter, held=Bank(pack, 1))
    bank = lead_bank_of(converter)
    assert (bank.amp_hours, bank.cells) == (pytest.approx(200.0), 24)
    # 0.05 × 24 × 8 × 183 / 1000 m3/h; a cubic foot has 0.0283 m3, an inch 2.54 cm.
    assert bank.air_words(False) == ("1.8 m³ an hour", "49 cm²")
    assert bank.air_words(True) == ("1.0 cfm", "8 in²")
    worn = lead_bank_of(Converter(inverter, held=Bank(pack, 1, health=0.7)))
    assert (worn.amp_hours, worn.at_ten_hours) == (pytest.approx(140.0), bank.at_ten_hours)
    assert bank.at_ten_hours == pytest.approx(183.0, rel=0.005)
    part: BatteryPart = converter.bank.part(inverter, 0.0)
    # What ten hours at that current take out of it, with no loss at the terminals, is all of it.
    kw = bank.at_ten_hours / 10.0 * 0.048
    drained = part.drained_by(np.array([kw]))[0] * part.discharge_efficiency * 10.0
    assert drained == pytest.approx(pack.nominal_kwh, rel=0.01)
