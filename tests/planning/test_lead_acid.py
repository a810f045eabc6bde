"""A lead-acid bank from its volts to the sheet that is keyed in: nothing in it watches itself."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.equipment import Pack
from calm_relay.planning.commissioning.expected import expected_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import labels_of, materials_of
from calm_relay.planning.handover.settings_sheet import settings_of
from calm_relay.planning.handover.work_order import steps_of
from tests.plans import plan

GEL = next(item for item in catalogue().packs if item.key == "mire-96")


def with_bank(job, pack=GEL, count=2, **place):
    own = job.own_equipment.with_(packs=(*job.own_equipment.packs, pack)) if pack is not GEL else job.own_equipment
    battery = job.battery.with_(pack=pack.key, count=count)
    return job.with_(battery=battery, own_equipment=own, battery_place=job.battery_place.with_(**place))


def own(**changes):
    return Pack(**{**GEL.model_dump(), "key": "torf-own", "name": "Torf bank", **changes})


def note(option, check):
    return next((item for item in option.findings if item.check == check), None)


def settings(option):
    return {item.name: item for item in settings_of(option)}


@pytest.fixture(scope="module")
def hut():
    return plan(with_bank(demo_job("hut")))


@pytest.fixture(scope="module")
def hybrid(hut):
    return hut.option("hybrid-swap")


def test_the_unit_is_told_all_that_no_data_cable_tells_it(hybrid):
    told = settings(hybrid)
    assert "set by hand" in told["Battery"].value and "own protocol" not in told["Battery"].why
    assert told["Battery capacity"].value == "400 Ah at 20 h, Peukert exponent 1.15"
    assert told["Absorption voltage"].value == "56.4 V at 25 °C"
    assert told["Float voltage"].value == "54.0 V at 25 °C"
    assert told["Compensation for temperature"].value.startswith("−96 mV/°C")
    assert told["Equalising"].value == "off"
    assert told["Low-voltage cut-out"].value == "46.0 V"
    assert "common practice, no source" in told["Float voltage"].why


def test_volts_of_the_datasheet_go_before_those_of_practice_and_open_cells_are_equalised():
    pack = own(chemistry="lead-acid flooded", absorption_v=57.6, float_v=53.5)
    option = plan(with_bank(demo_job("hut"), pack)).option("hybrid-swap")
    told = settings(option)
    assert told["Absorption voltage"].value == "57.6 V at 25 °C"
    assert told["Absorption voltage"].why == "Torf bank, datasheet" == told["Float voltage"].why
    assert told["Float voltage"].value == "53.5 V at 25 °C"
    assert told["Equalising"].value.startswith("61.2 V")
    assert any("density" in step.measure for step in steps_of(option))
    # Vented cells give off two and a half times the gas of sealed ones.
    sealed = plan(with_bank(demo_job("hut"))).option("hybrid-swap")
    cm2 = [
        float(next(part for part in materials_of(one) if "open air" in part.article).article.split()[-3])
        for one in (option, sealed)
    ]
    assert cm2[0] == pytest.approx(2.5 * cm2[1], rel=0.01)


def test_charge_is_keyed_in_as_the_unit_counts_it_and_read_back_as_the_job_holds_it(hut, hybrid):
    told, job = settings(hybrid), hut.job
    generator = job.generators[0]
    assert (generator.start_below, generator.stop_above) == (0.2, 0.7)
    starts, stops = told[f"{generator.name} starts"], told[f"{generator.name} stops"]
    assert (starts.value, stops.value) == ("below 60%", "above 85%")
    assert starts.why.endswith("; the unit counts from empty: this is 20% of the usable energy")
    assert told["Lowest charge"].value == "50%"
    assert told["Relay that sheds “Rooms”"].value == "below 57.5% charge"
    for item, typed in ((starts, 60.0), (stops, 85.0), (told["Relay that sheds “Rooms”"], 57.5)):
        assert item.held.apply(job, typed) == job
    assert starts.held.apply(job, 65.0).generators[0].start_below == pytest.approx(0.3)
    with pytest.raises(ValidationError):
        starts.held.apply(job, 40.0)
    lithium = settings(plan(demo_job("hut")).option("hybrid-swap"))
    assert lithium[f"{generator.name} starts"].value == "below 20%"
    assert lithium["Lowest charge"].value == "the packs' own cut-off"


def test_a_charge_that_is_read_is_counted_as_it_was_keyed_in(hut, hybrid):
    bank = hybrid.design.leader.bank
    assert [bank.shown_charge(level) for level in (0.0, 0.4, 1.0)] == pytest.approx([0.5, 0.7, 1.0])
    assert bank.level_at(bank.shown_charge(0.4)) == pytest.approx(0.4)
    soc = next(
        item.key for item in expected_of(hut, hybrid, hut.job.commissioning) if item.what == "State of charge"
    )
    record = hut.job.commissioning.with_value(soc, 75.0)
    volts = next(item for item in expected_of(hut, hybrid, record) if item.key == soc.replace(" soc", " volts"))
    # Half of what may be used: half way from 46 to 53 V.
    assert volts.value == pytest.approx(49.5)


def test_on_the_grid_the_reserve_is_counted_from_empty_too():
    option = plan(with_bank(demo_job("pottery"))).option("ac-addon")
    reserve = option.context.job.battery.reserve
    assert settings(option)["Lowest charge, grid up"].value == f"{100 * (0.5 + 0.5 * reserve):.3g}%"


def test_a_relay_lets_the_arrays_go_at_a_charge_as_the_unit_counts_it():
    job = with_bank(demo_job("hut"))
    former = next(item for item in catalogue().inverters if item.key == "mossgate-5")
    by_relay = former.with_(key="torf-5", backup=former.backup.with_(throttles_ac_pv="relay"))
    job = job.with_(
        own_equipment=job.own_equipment.with_(inverters=(by_relay,)),
        battery=job.battery.with_(battery_inverter=by_relay.key),
    )
    told = settings(plan(job).option("micro-ac"))
    assert told["Relay of the AC-coupled arrays"].value == "off above 97.5% charge, on again below 95%"
    assert "Frequency in an island" not in told


def test_what_a_generator_may_give_is_what_the_thin_air_leaves_of_it(hybrid):
    told = settings(hybrid)["Current from Generator"]
    assert told.value == "at most 20 A"
    assert "4.62 kW" in told.why and "at 1900 m, of 6 kW on its plate" in told.why


def test_off_grid_neutral_and_earth_are_parted_for_a_generator_and_not_for_a_grid(hybrid):
    said = note(hybrid, "neutral and earth").sentence
    assert said.endswith("parts them before a generator takes over.")


def test_the_place_wants_air_by_the_standard(hybrid):
    told = note(hybrid, "ventilation")
    assert told.severity is Severity.OK
    # By hand: 0.05 × 24 cells × 8 mA/Ah × 365 Ah at ten hours.
    assert "3.5 m³ an hour" in told.sentence and "98 cm²" in told.sentence
    shut = plan(with_bank(demo_job("hut"), ventilated=False)).option("hybrid-swap")
    assert note(shut, "ventilation").severity is Severity.STOP


def test_a_unit_that_does_not_reach_the_volts_is_stopped_and_one_that_does_not_in_the_cold_is_told():
    most = next(item for item in catalogue().inverters if item.key == "umberlow-h8").battery.high_v
    never = plan(with_bank(demo_job("hut"), own(absorption_v=most + 0.5))).option("hybrid-swap")
    assert note(never, "charging volts").severity is Severity.STOP
    cold = plan(with_bank(demo_job("hut"), own(absorption_v=most - 0.5), where="unheated room"))
    told = note(cold.option("hybrid-swap"), "charging volts")
    assert told.severity is Severity.CHECK and "part-charged in the cold" in told.sentence
    assert told.measured > most


def test_a_current_too_small_for_its_bank_is_told(hybrid):
    assert note(hybrid, "charging current").severity is Severity.OK
    large = own(nominal_kwh=28.8)
    told = note(plan(with_bank(demo_job("hut"), large)).option("hybrid-swap"), "charging current")
    assert told.severity is Severity.CHECK and "seldom filled" in told.sentence
    assert told.limit == pytest.approx(3 * note(hybrid, "charging current").limit)
    assert told.measured < told.limit


def test_papers_bring_what_such_a_bank_wants(hybrid):
    parts = [part.article for part in materials_of(hybrid)]
    assert any(article.startswith("Temperature sensor") for article in parts)
    assert not any("Signal cable" in article for article in parts)
    assert any(article.startswith("Battery isolator") for article in parts)
    assert any("explosive gas" in label for label in labels_of(hybrid))
    steps = " ".join(step.text for step in steps_of(hybrid))
    order = [steps.index(words) for words in ("Openings to the open air", "Set up 2 × Mire", "one make, age")]
    assert order == sorted(order)
    kinds = {(edge.kind, edge.end) for edge in hybrid.wiring.topology.edges}
    battery = next(node.key for node in hybrid.wiring.topology.nodes if node.kind == "battery")
    assert ("data", battery) not in kinds
    lithium = plan(demo_job("hut")).option("hybrid-swap")
    assert any("Signal cable" in part.article for part in materials_of(lithium))
    assert not any("explosive gas" in label for label in labels_of(lithium))


def test_an_array_that_follows_the_frequency_fills_it(hut):
    """It was held off between 95 and 90 %, and the bank full on no day of the year."""
    duty = note(hut.option("micro-ac"), "lead-acid duty")
    assert duty.measured > 180


def test_float_above_absorption_is_refused():
    with pytest.raises(ValidationError, match="float_v must not exceed absorption_v"):
        own(absorption_v=54.0, float_v=56.0)
    assert own(absorption_v=56.0, float_v=54.0).float_v == 54.0
