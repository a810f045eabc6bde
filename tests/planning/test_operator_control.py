"""What the network operator holds back: a new array's export, and loads above a limit; German figures from memory."""

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.control import GridCharge
from calm_relay.job.demand import Car, CopPoint, HeatPump
from calm_relay.job.survey import RuleChange
from calm_relay.planning.findings import Severity
from tests.plans import plan


@pytest.fixture(scope="module")
def there():
    """An array that is there already, on three phases in Germany; nothing is charged from the grid."""
    job = demo_job("dairy").with_(region="germany", rule_changes=())
    return job.with_(battery=job.battery.with_(charge_windows=()))


@pytest.fixture(scope="module")
def new(there):
    """The same faces, all to be laid."""
    faces = tuple(face.with_(fate="new", electronics=None) for face in there.faces)
    tariff = there.tariff.with_(export_limit_kw=None)
    return there.with_(faces=faces, existing_inverters=(), string_plans=(), existing_batteries=(), tariff=tariff)


def found(option, check):
    return [item for item in option.findings if item.check == check]


def rated_kw(option):
    return sum(face.rated_kw for unit in option.design.pv_converters for face in unit.faces)


def test_of_a_new_array_only_a_share_may_leave(new):
    """60 % of what the modules are rated for: EEG 2023, section 9(2), from memory."""
    option = plan(new).option("ac-addon")
    (note,) = found(option, "new array's export")
    assert note.severity is Severity.CHECK
    assert note.limit == pytest.approx(0.6 * rated_kw(option))
    assert note.measured <= sum(unit.inverter.ac_kw for unit in option.design.pv_converters)
    assert "until their meter with its control unit is installed and tested" in note.sentence
    limited = note.mends[0].apply(new)
    after = plan(limited).option("ac-addon")
    assert limited.tariff.export_limit_kw <= note.limit + 1e-9
    assert [item.severity for item in found(after, "new array's export")] == [Severity.OK]
    assert after.outcome.year.highest_export_kw <= limited.tariff.export_limit_kw + 1e-6


def test_what_was_there_before_is_not_held_to_it(there, new):
    assert not found(plan(there).option("ac-addon"), "new array's export")
    first, *rest = there.faces
    mixed = there.with_(
        faces=(first.with_(fate="keep"), *(face.with_(fate="new", electronics=None) for face in rest)),
        string_plans=(),
        tariff=there.tariff.with_(export_limit_kw=None),
    )
    for option in plan(mixed).live:
        units = [unit for unit in option.design.pv_converters if not unit.inverter.plug_in]
        faces = [face for unit in units for face in unit.faces]
        added = sum(face.rated_kw for face in faces if not face.plan.is_there)
        notes = found(option, "new array's export")
        assert bool(notes) is (added > 0.0)
        if notes:
            kept = sum(face.rated_kw for face in faces if face.plan.is_there)
            assert notes[0].limit == pytest.approx(0.6 * added + kept)


def test_a_rule_that_is_switched_off_or_another_region_says_nothing(new):
    off = new.with_(rule_changes=(RuleChange(rule="de-export-share"),))
    assert not found(plan(off).option("ac-addon"), "new array's export")
    elsewhere = plan(new.with_(region="generic")).option("ac-addon")
    assert not found(elsewhere, "new array's export") and not found(elsewhere, "controllable")


CAR = Car(kwh_per_day=8.0, charger_kw=11.0)
PUMP = HeatPump(heat_kwh_per_day=60.0, cop=(CopPoint(outdoor_c=-10.0, cop=2.0), CopPoint(outdoor_c=10.0, cop=4.0)))


def controllable(job, key="ac-addon"):
    return found(plan(job).option(key), "controllable")


def test_new_loads_above_the_limit_are_registered(there):
    """4.2 kW: EnWG, section 14a, from memory."""
    assert not controllable(there)
    (note,) = controllable(there.with_(demand=there.demand.with_(cars=(CAR,))))
    assert note.severity is Severity.CHECK and (note.measured, note.limit) == (11.0, 4.2)
    assert note.sentence.startswith("Car, 11.0 kW: more than 4.2 kW. It is registered")
    (small,) = controllable(there.with_(demand=there.demand.with_(cars=(CAR.with_(charger_kw=3.7),))))
    assert small.severity is Severity.OK and small.measured == 3.7
    both = there.demand.with_(cars=(CAR,), heat_pumps=(PUMP.with_(most_kw=5.0),))
    (two,) = controllable(there.with_(demand=both))
    assert "Car, 11.0 kW and Heat pump, 5.0 kW" in two.sentence and "Each is registered" in two.sentence
    assert not controllable(there.with_(demand=there.demand.with_(cars=(CAR.with_(planned=False),))))


def test_a_heat_pump_whose_power_nobody_stated_counts_by_its_coldest_step(there):
    (note,) = controllable(there.with_(demand=there.demand.with_(heat_pumps=(PUMP,))))
    (stated,) = controllable(
        there.with_(demand=there.demand.with_(heat_pumps=(PUMP.with_(most_kw=note.measured),)))
    )
    assert stated.measured == pytest.approx(note.measured)
    # More than the mean of the coldest month at a COP of 4, and no more than all of twice that day at a COP of 2.
    assert 60.0 / 24.0 / 4.0 < note.measured < 1.2 * 2.0 * 60.0 / 24.0 / 2.0 * 2.0


def test_a_battery_counts_where_it_is_charged_from_the_grid_and_as_hard_as_it_may(there):
    night = GridCharge(start="00:00", end="05:00")
    charged = there.with_(battery=there.battery.with_(charge_windows=(night,)))
    option = plan(charged).option("ac-addon")
    lead = option.design.leader
    (note,) = found(option, "controllable")
    assert note.measured <= lead.inverter.ac_kw
    assert f"{lead.name} while it charges from the grid" in note.sentence or note.severity is Severity.OK
    slow = there.with_(battery=there.battery.with_(charge_windows=(night.with_(limit_kw=2.0),)))
    assert [item.measured for item in controllable(slow)] == [2.0]
    assert not found(plan(charged).option("as-is"), "controllable")


def test_where_an_application_is_wanted_all_can_be_kept_to_what_needs_none():
    """Distributed generation of 10 kW or less is applied for the simple way in New Zealand, from memory."""
    job = demo_job("pottery")
    made = plan(job)
    (note,) = found(made.option("two-units"), "notify or apply")
    assert note.severity is Severity.CHECK
    (mend,) = note.mends
    assert mend.label == "Keep to 10 kW of inverter"
    kept = plan(mend.apply(job))
    assert kept.job.supply.inverter_limit_kw == 10.0
    assert {option.key for option in kept.live} >= {"ac-addon", "hybrid-swap"}
    assert "this connection may have 10 kW" in kept.option("two-units").refusal.reasons[0]
    for option in kept.live:
        assert not [item for item in found(option, "notify or apply") if item.severity is Severity.CHECK]
    # Where it is notified already, and where no unit of the kind is that small, nothing is offered.
    assert not found(made.option("hybrid-swap"), "notify or apply")[0].mends
    small = job.with_(rule_changes=(RuleChange(rule=made.rules.of("notify kW").rule.key, limit=2.0),))
    assert not found(plan(small).option("two-units"), "notify or apply")[0].mends


@pytest.mark.parametrize(
    ("limit_kw", "hybrid"), [(None, "umberlow-h8"), (8.0, "umberlow-h8"), (5.0, "umberlow-h5")]
)
def test_within_a_connection_s_limit_a_smaller_unit_is_taken_before_none(limit_kw, hybrid):
    job = demo_job("pottery")
    roof = tuple(
        face.with_(fate="new", module="quillmere-415", count=11, strings=1, rectangle=None, wired_to=None)
        for face in job.faces[:2]
    )
    supply = job.supply.with_(inverter_limit_kw=limit_kw)
    job = job.with_(existing_inverters=(), existing_batteries=(), string_plans=(), faces=roof, supply=supply)
    made = plan(job)
    assert made.option("hybrid-swap").design.leader.inverter.key == hybrid
    if limit_kw is None:
        assert made.option("micro-ac").design.leader.inverter.key == "mossgate-5"
    ten = plan(job.with_(supply=job.supply.with_(inverter_limit_kw=10.0))).option("micro-ac").design
    assert ten.leader.inverter.key == "mossgate-3"
    assert ten.counted_kw(job.supply) <= 10.0
