"""The played site and what is made of it live: a plant without faults raises no alarm, each fault its own."""

import re
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from calm_relay.exchange.logbook import append_entry, read_logbook
from calm_relay.exchange.shipped import DEMOS, catalogue, demo_job
from calm_relay.fieldbus.address import address_of
from calm_relay.fieldbus.poller import Answer
from calm_relay.job.commissioning import FieldDevice
from calm_relay.planning.commissioning.expected import expected_of
from calm_relay.planning.commissioning.live import METER, LiveSite
from calm_relay.planning.commissioning.means import Means
from calm_relay.planning.commissioning.planned_now import planned_now
from calm_relay.planning.commissioning.played import FAULTS, PlayedSite, fault_of, step_at
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.operation.simulate import inputs_of
from tests.plans import plan


@pytest.fixture(scope="module")
def plans():
    return {name: plan(demo_job(name)) for name in DEMOS}


class Played:
    """A site played at a speed without waiting, and everything that was said wrong of it."""

    def __init__(self, made, faults=(), day="06-21", clock="09:00", speed=60.0, option=None):
        self.now = 0.0
        option = made.option(option or made.job.commissioning.option or made.choice.key)
        self.site = PlayedSite(
            made, option, step_at(made, day, clock), speed, [fault_of(text) for text in faults], lambda: self.now
        )
        units = self.site.devices
        self.addresses = [address_of("127.0.0.1", unit) for unit in units]
        devices = [FieldDevice(address="127.0.0.1", unit=unit) for unit in units]
        self.live = LiveSite(made, option, devices, self.addresses)
        self.seen: dict[str, int] = {}
        self.view = None

    def run(self, seconds, step=1.0):
        end = self.now + seconds
        while self.now < end:
            self.now += step
            for address, say in zip(self.addresses, self.site.devices.values(), strict=True):
                reading = say()
                self.live.take(Answer(address, datetime.now(UTC), reading, "" if reading else "dropped"))
            self.view = self.live.view()
            for item in self.view.deviations:
                self.seen[item.key.split()[0]] = self.seen.get(item.key.split()[0], 0) + 1
        return self


@pytest.mark.parametrize("name", DEMOS)
@pytest.mark.parametrize("day", ["06-21", "01-10"])
def test_a_plant_without_faults_raises_no_alarm(plans, name, day):
    played = Played(plans[name], day=day, clock="08:00").run(600, step=5.0)
    assert played.seen == {}
    assert played.view.moment is not None
    assert set(played.live.roles.values()) >= set(played.site.keys)


@pytest.mark.parametrize("name, day, clock", [("two-homes", "01-10", "12:00"), ("dairy", "06-21", "17:00")])
def test_no_option_raises_an_alarm_without_a_fault(plans, name, day, clock):
    """Units of three phases answer the sun of others, and a lead battery gives less the faster it is drawn down."""
    for option in plans[name].live:
        played = Played(plans[name], option=option.key, day=day, clock=clock).run(400, step=5.0)
        assert played.seen == {}, option.key


def test_the_energy_of_a_lead_battery_is_judged_by_what_its_cells_gave(plans):
    played = Played(plans["dairy"], option="as-is", clock="17:00").run(600, step=2.0)
    (unit,) = played.live.option.design.converters
    battery = unit.bank.part(unit.inverter, 0.0)
    assert battery.peukert > 1.0
    assert played.live.energy_of(played.live.keys[0]) == pytest.approx(battery.usable_kwh, rel=0.15)
    # By hand: 3 kW for an hour at the terminals, and back.
    over = 3.0 / battery.discharge_efficiency * (3.0 / battery.rated_kw) ** (battery.peukert - 1.0)
    taken = battery.drained_by(np.array([3.0, 0.5 * battery.rated_kw, -1.0]))
    assert taken.tolist() == pytest.approx(
        [over, 0.5 * battery.rated_kw / battery.discharge_efficiency, -battery.charge_efficiency]
    )


@pytest.mark.parametrize(
    "name, fault, said, seconds",
    [
        ("two-homes", "reversed-ct:1", "reversed", 90),
        ("pottery", "reversed-ct", "reversed", 700),
        ("two-homes", "dead-string:2", "dead", 60),
        ("two-homes", "missing-module:4", "volts", 240),
        ("hut", "dead-string:1", "dead", 60),
        ("two-homes", "weak-pack", "weak", 700),
        ("two-homes", "frozen:1", "frozen", 80),
        ("two-homes", "dropped", "silent", 60),
    ],
)
def test_each_fault_names_itself(plans, name, fault, said, seconds):
    played = Played(plans[name], [fault]).run(seconds, step=1.0 if seconds < 300 else 2.0)
    assert set(played.seen) == {said}


@pytest.mark.parametrize(
    "name, option, fault, said, seconds",
    [
        # Two inverters of one kind: the input of the other that works does not excuse this one.
        ("cottage", "ac-addon", "dead-string:1", "dead", 60),
        # Without a meter, and without a string that could be read.
        ("hut", "hybrid-swap", "frozen:1", "frozen", 80),
        ("cottage", "micro-ac", "frozen:1", "frozen", 80),
        # What a unit said long ago speaks against no other.
        ("two-homes", "ac-addon", "frozen:1", "frozen", 80),
        ("two-homes", "balcony", "frozen:1", "frozen", 80),
        ("two-homes", "hybrid-beside", "wrong-battery-order", "balance", 700),
    ],
)
def test_each_fault_of_other_options_names_itself_alone(plans, name, option, fault, said, seconds):
    played = Played(plans[name], [fault], option=option).run(seconds, step=1.0 if seconds < 300 else 2.0)
    assert set(played.seen) == {said}


def test_a_device_that_says_each_value_six_times_is_judged_too(plans):
    """Asked each second, changed each six: slow, and neither frozen nor beyond judging."""
    played = Played(plans["two-homes"], ["dead-string:2"])
    clock = played.site._clock
    played.site._clock = lambda: clock() // 6.0 * 6.0
    assert set(played.run(120).seen) == {"dead"}
    # Whenever it is looked at, its arrays are judged by the light.
    for _ in range(6):
        assert not [row for row in played.run(1).view.rows if "too little light" in row.expected]


def test_a_reversed_transformer_and_a_dead_string_are_both_found(plans):
    played = Played(plans["two-homes"], ["reversed-ct:1", "dead-string:2"], clock="10:00").run(60)
    sentences = " ".join(item.sentence for item in played.view.deviations)
    assert "transformer on phase 1 round" in sentences
    assert "input 1" in sentences and "strings 1, 2" in sentences and "fuse" in sentences


def test_noise_alone_is_no_fault(plans):
    assert Played(plans["two-homes"], ["noise"]).run(400, step=2.0).seen == {}


def test_batteries_exchanged_in_the_settings_are_found(plans):
    made = plans["two-homes"]
    key = next(o.key for o in made.live if sum(unit.has_battery for unit in o.design.converters) > 1)
    played = Played(made, ["wrong-battery-order"], option=key, clock="07:00").run(500, step=2.0)
    assert "balance" in played.seen


@pytest.mark.parametrize("text", ["nonsense", "dead-string:0", "dead-string:x", "missing-module:1000"])
def test_a_fault_that_is_none_is_told(text):
    with pytest.raises(ValueError, match="wanted"):
        fault_of(text)


@pytest.mark.parametrize("text", ["dead-string:99", "wrong-battery-order", "reversed-ct:2"])
def test_a_fault_that_the_plant_cannot_have_is_told(plans, text):
    with pytest.raises(ValueError, match=r"wanted 1 to|has no such part"):
        Played(plans["pottery"], [text])


@pytest.mark.parametrize("day, clock", [("02-29", "10:00"), ("13-01", "10:00"), ("06-21", "25:00")])
def test_a_moment_that_is_none_is_told(plans, day, clock):
    with pytest.raises(ValueError, match="wanted"):
        step_at(plans["pottery"], day, clock)


def test_the_played_site_is_the_plan(plans):
    """At the middle of a step each value is the plan's own."""
    made = plans["two-homes"]
    option = made.option(made.job.commissioning.option)
    played = Played(made, clock="12:00", speed=1.0)
    played.now = made.site.calendar.step_h * 1800.0
    step = step_at(made, "06-21", "12:00")
    year = option.outcome.year
    for number, say in enumerate(list(played.site.devices.values())[:-1]):
        reading = say()
        assert reading.inverter.kw == pytest.approx(float(year.of("ac", number)[step]), abs=1e-9)
    meter = list(played.site.devices.values())[-1]().meter
    expected = float(year.at_bus("import")[step] - year.at_bus("export")[step])
    assert meter.kw == pytest.approx(expected, abs=1e-6)
    assert sum(meter.phase_kw) == pytest.approx(meter.kw)


def test_the_line_shows_live_power(plans):
    played = Played(plans["two-homes"]).run(5)
    legs = played.view.moment.legs
    site = played.site
    meter = next(say for say in reversed(list(site.devices.values())))().meter
    assert legs["grid"] == pytest.approx(-meter.kw)
    assert legs["home"] == pytest.approx(meter.kw + sum(legs[f"{n}:ac"] for n in range(len(site.keys))))
    assert METER in played.live.roles.values()
    roof = played.view.moment.bars["Roof"]
    assert roof.used == pytest.approx(roof.limit, rel=0.15)
    assert "expected" in roof.caption
    bars = played.view.moment.bars
    assert all("expected" in bars[name].caption for name in ("Battery", "Grid", "Inverter"))
    assert "usual now" in bars["Home"].caption


@pytest.mark.parametrize("name", DEMOS)
def test_the_line_expects_what_the_plan_does(plans, name):
    """In the middle of a step whose battery runs neither full nor empty the played plant does what is expected."""
    played, checked = Played(plans[name], clock="06:00", speed=1.0), 0
    on_grid = plans[name].job.supply.on_grid
    option, first = played.site.option, played.site.first
    rated = sum(converter.inverter.ac_kw for converter in option.design.converters)
    lead = option.design.converters.index(option.design.battery_converter)
    battery = option.outcome.year.plant[lead].bank
    charge = option.outcome.year.of("stored", lead) / battery.usable_kwh
    step_s = plans[name].site.calendar.step_h * 3600.0
    for later in range(0, 64, 3):
        ends = charge[first + later - 1 : first + later + 1]
        if not (ends.min() > battery.reserve + 0.05 and ends.max() < 0.9):
            continue
        played.now = (later + 0.5) * step_s - 1.0
        state = played.run(1).view.state
        if on_grid:
            planned = float(state.planned.at_bus("import")[0] - state.planned.at_bus("export")[0])
            assert planned == pytest.approx(state.meter_kw, abs=0.1 * rated), later
        for number, unit in enumerate(state.units):
            assert float(state.planned.of("ac", number)[0]) == pytest.approx(unit.ac_kw, abs=0.1 * rated), later
        assert float(state.planned.at_bus("home")[0]) == pytest.approx(state.home_kw, abs=1e-6)
        given = float(state.planned.of("discharge", lead)[0] - state.planned.of("charge", lead)[0])
        assert given == pytest.approx(state.units[lead].battery_kw, abs=0.1 * rated), later
        assert "expected" in played.view.moment.bars["Grid" if on_grid else "Battery"].caption
        checked += 1
    assert checked >= 2


def test_the_charge_played_is_that_of_the_ends_of_steps(plans):
    made = plans["pottery"]
    played = Played(made, clock="12:00", speed=1.0)
    step = step_at(made, "06-21", "12:00")
    option = played.site.option
    number = option.design.converters.index(option.design.battery_converter)
    stored = option.outcome.year.of("stored", number) / option.outcome.year.plant[number].bank.usable_kwh
    reading = list(played.site.devices.values())[number]()
    assert reading.battery.soc == pytest.approx(float(stored[step - 1]), abs=1e-6)
    played.now = made.site.calendar.step_h * 1800.0
    reading = list(played.site.devices.values())[number]()
    assert reading.battery.soc == pytest.approx(float(stored[step - 1] + stored[step]) / 2.0, abs=1e-6)


def test_an_empty_battery_is_not_expected_to_give(plans):
    made = plans["pottery"]
    design = made.option(made.choice.key).design
    inputs = inputs_of(design, made.job, made.site, made.demand)
    dusk = step_at(made, "06-21", "20:00")
    nothing = [0.0] * len(design.converters)
    full = planned_now(inputs, dusk, nothing, 2.0, [1.0] * len(nothing))
    empty = planned_now(inputs, dusk, nothing, 2.0, [0.0] * len(nothing))
    assert float(full.at_bus("import")[0]) == pytest.approx(0.0, abs=0.1)
    assert float(empty.at_bus("import")[0]) >= 2.0


def test_means_go_into_the_logbook_an_hour_a_line(plans, tmp_path):
    """Two hours of the played plant: two lines, whose energy is that of the plan's year."""
    made = plans["pottery"]
    option = made.option(made.choice.key)
    played, means, path = Played(made, day="12-21", clock="11:00"), Means(), tmp_path / "x.jsonl"
    entries = []
    for _ in range(125):
        full = means.take(played.run(1).view.state)
        entries += [full] if full is not None else []
    entries.append(means.rest())
    assert [len(entry.seconds) for entry in entries[:2]] == [12, 12]
    for entry in entries:
        append_entry(path, entry)
    series = read_logbook(path).series
    assert np.all(np.diff(series.at) == 300.0)
    step = step_at(made, "12-21", "11:00")
    planned = option.outcome.year.of("pv_dc")[step + 1 : step + 8].mean()
    assert series.columns["pv kw"][3:24].mean() == pytest.approx(planned, rel=0.1)
    assert means.rest() is None


def test_a_stated_part_is_believed(plans):
    made = plans["two-homes"]
    option = made.option(made.job.commissioning.option)
    address = address_of("127.0.0.1", 5)
    live = LiveSite(made, option, [FieldDevice(address="127.0.0.1", unit=5, part="Garage inverter")], [address])
    reading = next(iter(Played(made).site.devices.values()))()
    live.take(Answer(address, datetime.now(UTC), reading))
    assert live.roles == {address: "Garage inverter"}
    assert any("none is planned on it" in item.sentence for item in live.view().deviations)


def test_every_fault_can_be_ordered():
    assert {fault_of(kind).kind for kind in FAULTS} == set(FAULTS)


@pytest.fixture(scope="module")
def optimised():
    """A job whose first face has optimisers, one of whose strings shares a unit with plain ones."""
    job = demo_job("two-homes")
    first, *others = job.faces
    key = next(item.key for item in catalogue().optimisers if item.any_inverter)
    return plan(job.with_(faces=(first.with_(electronics=key), *others)))


def test_modules_with_inverters_are_held_against_the_light(plans):
    played = Played(plans["cottage"], option="micro-ac", clock="12:00").run(30)
    rows = [row for row in played.view.rows if "microinverter" in row.part and row.what == "AC power"]
    assert len(rows) == 4 and {row.severity for row in rows} == {Severity.OK}
    for row in rows:
        shown, wanted = float(row.measured.split()[0]), float(row.expected.split()[0])
        assert shown > 1.0 and wanted == pytest.approx(shown, rel=0.05)
    bars = played.view.moment.bars
    assert bars["Roof"].used == pytest.approx(bars["Roof"].limit, rel=0.1) and bars["Roof"].used > 8.0
    exported = -played.site.meter(played.site.step).meter.kw
    said = re.fullmatch(r"([\d.]+) kW exported, ([\d.]+) expected", bars["Grid"].caption)
    assert [float(kw) for kw in said.groups()] == pytest.approx([exported, exported], rel=0.05)
    # What the logbook counts as the array's energy is the plan's.
    made = played.live.option.outcome.year.of("pv_dc")[step_at(plans["cottage"], "06-21", "12:00")]
    assert sum(unit.pv_kw for unit in played.view.state.units) == pytest.approx(float(made), rel=0.05)


def test_a_branch_of_modules_with_inverters_that_is_off_names_itself(plans):
    played = Played(plans["cottage"], ["dead-branch:2"], option="micro-ac", clock="12:00").run(30)
    assert set(played.seen) == {"dead"}
    (told,) = played.view.deviations
    assert "Main, east" in told.sentence and "breaker" in told.sentence
    assert played.view.moment.bars["Roof"].severity is Severity.CHECK


def test_inputs_of_optimisers_are_played_and_judged(optimised):
    for option in optimised.live:
        units = option.design.converters
        if not any(run.optimiser for unit in units if unit.has_strings for run in unit.stringing.runs):
            continue
        played = Played(optimised, option=option.key, clock="12:00").run(120, step=2.0)
        assert played.seen == {}, option.key
        made = option.outcome.year.of("pv_dc")[step_at(optimised, "06-21", "12:00")]
        told = sum(item.kw for say in played.site.devices.values() if (i := say().inverter) for item in i.inputs)
        assert told > 0.4 * float(made), option.key
        assert any("in this light" in row.expected for row in played.view.rows), option.key


def test_a_unit_that_says_nothing_of_its_inputs_is_accused_of_nothing(plans):
    played = Played(plans["two-homes"], clock="12:00")
    whole = played.site.unit

    def unit(number, step):
        reading = whole(number, step)
        return replace(reading, inverter=replace(reading.inverter, inputs=()))

    played.site.unit = unit
    assert played.run(300, step=2.0).seen == {}
    made = sum(float(played.site._at(series.used, played.site.step)) for series in played.site._units)
    assert sum(item.pv_kw for item in played.view.state.units) == pytest.approx(made, rel=0.05)


def test_in_a_month_of_snow_it_is_asked_about(plans):
    """No light is the plan's own there: a string that gives nothing may lie under snow."""
    hut = plans["hut"]
    snowy = demo_job("hut")
    assert snowy.site.snow is not None
    for day, severity in (("01-10", Severity.CHECK), ("07-10", Severity.STOP)):
        played = Played(hut, ["dead-string:1"], day=day, clock="11:00").run(200, step=2.0)
        dead = [item for item in played.view.deviations if item.key.startswith("dead")]
        assert [item.severity for item in dead] == [severity], day
        assert ("Is snow on the modules?" in dead[0].sentence) is (severity is Severity.CHECK)


def test_what_charges_from_an_array_of_optimisers_is_expected(optimised):
    option = next(
        option
        for option in optimised.live
        if any(
            unit.has_battery and unit.has_array and all(run.optimiser for run in unit.stringing.runs)
            for unit in option.design.converters
        )
    )
    readings = expected_of(optimised, option, optimised.job.commissioning)
    assert any(item.key.endswith("charge dc kw") and item.value > 0.5 for item in readings)


def test_a_unit_frozen_before_sunrise_turns_no_meter_round(plans):
    """It says nothing but zero while the sun rises: at night it might, by day it is frozen."""
    made = plans["pottery"]
    played = Played(made, ["frozen:1"], option="as-is", day="09-20", clock="04:30").run(90)
    assert played.seen == {}
    assert set(played.run(400).seen) == {"frozen"}
