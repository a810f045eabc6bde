"""What the trade knows (common practice, no source, unless one is named), asked of a whole plan."""

import pytest

from calm_relay.exchange.shipped import catalogue
from calm_relay.job.equipment import Catalogue
from calm_relay.job.model import GridCharge
from calm_relay.planning.equipment.bank import Bank, discharge_ac_kw
from calm_relay.planning.equipment.equipment import loss_curve
from tests.plans import plan


def finding(made, key, check):
    return next(item for item in made.option(key).findings if item.check == check)


def box_of(key):
    return next(item for item in catalogue().inverters if item.key == key)


def test_200_amperes_of_pass_through_are_not_backup(demo, with_battery):
    """9.6 kW is 40 A at 240 V, whatever the relay passes through while the grid is up."""
    converter = box_of("wharfell-aio96s")
    converter = converter.with_(
        backup=converter.backup.with_(pass_through_a=200, continuous_kw=9.6),
        battery=converter.battery.with_(discharge_kw=11.0, discharge_a=100.0),
    )
    job = with_battery(pack="wharfell-10", count=3, battery_inverter=converter.key, charge_windows=())
    job = job.with_(
        backup_board=None,
        supply=demo.supply.with_(phases="split", volts=240, hertz=60, main_fuse_a=200),
        own_equipment=Catalogue(inverters=(converter,)),
    )
    note = finding(plan(job), "ac-addon", "grid down")
    assert "200 A pass-through is 48.0 kW" in note.sentence
    assert "(40 A)" in note.sentence
    assert note.measured == pytest.approx(9.6)


def test_five_hours_at_2_5_kw_do_not_fill_16_kwh(demo, with_battery):
    """2.5 kW x 5 h = 12.5 kWh before losses."""
    pack = next(item for item in catalogue().packs if item.key == "fern-48")
    pack = pack.with_(nominal_kwh=16.0, depth_of_discharge=1.0, round_trip=1.0)
    window = GridCharge(start="00:00", end="05:00", target=1.0, limit_kw=2.5)
    job = with_battery(count=1, reserve=0.0, charge_windows=(window,)).with_(
        own_equipment=Catalogue(packs=(pack,))
    )
    note = finding(plan(job), "ac-addon", "charge window")
    assert note.limit == pytest.approx(16.0)
    assert 11.0 < note.measured < 12.5


@pytest.mark.parametrize("load", [0.3, 0.5, 0.75])
def test_into_the_battery_dc_96_to_98_and_ac_90_to_94_per_cent(load):
    """From the modules into the battery's terminals, by every single-phase unit of the catalogue at a fair load."""
    converters = [
        converter for converter in catalogue().inverters if converter.phases == "single" and not converter.plug_in
    ]
    for converter in (
        converter
        for converter in converters
        if converter.pv and converter.battery and not converter.charge_controllers
    ):
        assert 0.96 <= converter.pv.tracker_efficiency * converter.battery.dc_dc_efficiency <= 0.985
    for inverter in (converter for converter in converters if converter.battery is None):
        for converter in (converter for converter in converters if converter.pv is None):
            given = inverter.pv.tracker_efficiency * loss_curve(inverter).efficiency(load)
            rectified = loss_curve(converter).rectified_kw(load * converter.ac_kw, converter.ac_kw) / (
                load * converter.ac_kw
            )
            assert 0.90 <= given * rectified * converter.battery.dc_dc_efficiency <= 0.945


def test_the_dc_path_through_the_battery_loses_least(demo_plan):
    addon, swap = (demo_plan.option(key).outcome.paths for key in ("ac-addon", "hybrid-swap"))
    assert 0.03 < swap.through_battery - addon.through_battery < 0.09


def test_a_bare_expansion_adds_energy_only_once_the_inverter_binds():
    pack = next(item for item in catalogue().packs if item.key == "fern-48")
    converter = box_of("mossgate-5")
    four, eight = Bank(pack, 4), Bank(pack, 8)
    assert eight.usable_kwh == 2 * four.usable_kwh
    assert discharge_ac_kw(eight, converter)[0] == discharge_ac_kw(four, converter)[0]


def test_a_full_battery_with_a_weak_inverter_still_imports_in_the_evening(demo_plan):
    """The house draws 7 kW, a 4.6 kW battery gives 4.6, the grid the rest, with charge left."""
    outcome = demo_plan.option("ac-addon").outcome
    assert outcome.limit.power_kw < demo_plan.demand.evening_peak_kw
    assert outcome.limit.imported_kwh > 0


def test_one_kwp_and_one_kwh_per_mwh(demo):
    """Weniger, Tjaden and Quaschning 2014, Energy Procedia 46 (figures from memory): about 30 and 55 %."""
    site = demo.site.with_(
        latitude=52.5,
        longitude=13.4,
        time_zone="Europe/Berlin",
        weather={"kind": "preset", "climate": "oceanic-north"},
    )
    pack = next(item for item in catalogue().packs if item.key == "fern-48").with_(depth_of_discharge=1.0)
    job = demo.with_(
        site=site,
        faces=(demo.faces[0].with_(count=16, strings=2, tilt=35.0, azimuth=180.0, age_years=0),),
        demand=demo.demand.with_(yearly_kwh=4800, loads=(), winter_factor=1.2),
        battery=demo.battery.with_(count=1, reserve=0.0, charge_windows=()),
        own_equipment=Catalogue(packs=(pack,)),
    )
    made = plan(job)
    assert made.option("as-is").outcome.figures.self_sufficiency == pytest.approx(0.30, abs=0.04)
    for key in ("ac-addon", "hybrid-swap"):
        assert made.option(key).outcome.figures.self_sufficiency == pytest.approx(0.55, abs=0.04)
