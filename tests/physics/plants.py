"""Every grid-tied row of the plant table, with invented figures."""

from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart

CURVE = LossCurve(0.006, 0.012, 0.015)


def battery(usable_kwh=10.0, power_kw=4.0, **changes):
    figures = {
        "charge_efficiency": 0.97,
        "discharge_efficiency": 0.97,
        "dc_dc_efficiency": 0.985,
        "reserve": 0.1,
        "from_ac_kw": 5.0,
    }
    return BatteryPart(usable_kwh, power_kw, power_kw, **{**figures, **changes})


def pv_only(ac_kw=5.0, **changes):
    return ConverterPart(ac_kw, True, 8.0, 0.995, CURVE, standby_kw=0.005, **changes)


def battery_only(ac_kw=5.0, **changes):
    return ConverterPart(ac_kw, loss=CURVE, standby_kw=0.02, battery=battery(**changes))


def hybrid(ac_kw=5.0, **changes):
    return ConverterPart(ac_kw, True, 8.0, 0.995, CURVE, standby_kw=0.02, battery=battery(**changes))


GRID_TIED = {
    "PV only": (pv_only(),),
    "AC-coupled add-on": (pv_only(), battery_only()),
    "DC-coupled hybrid": (hybrid(),),
    "hybrid beside kept PV": (hybrid(), pv_only()),
    "old AC-coupled battery kept, new hybrid": (hybrid(), battery_only(usable_kwh=4.0)),
    "microinverters and battery": (ConverterPart(4.2, True, 4.4, loss=CURVE), battery_only()),
    "lead-acid beside kept PV": (pv_only(), battery_only(peukert=1.2, rated_kw=0.5)),
    "two stacked battery units": (battery_only(), battery_only(power_kw=2.5)),
    "two stacked hybrids": (hybrid(), hybrid(charge_a=60.0, discharge_a=60.0, empty_v=45.0, full_v=56.0)),
}
