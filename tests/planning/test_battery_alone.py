"""A battery without an array: charged when it is cheap, for peaks and for backup."""

import pytest

from calm_relay.exchange.plan_document import plan_text
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.studies.battery_ageing import battery_ageing_of
from calm_relay.planning.studies.battery_sweep import flags_of
from calm_relay.planning.studies.collected import studies_of
from calm_relay.planning.studies.search import search
from calm_relay.planning.studies.survival import survival_of
from calm_relay.planning.studies.tipping import tips_of
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.document import document_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import SHOWS, figures_of
from calm_relay.planning.views.moment import day_of, moment_of
from calm_relay.planning.views.tables import tables_of
from tests.plans import plan


@pytest.fixture(scope="module")
def alone():
    return plan(demo_job("pottery").with_(faces=(), existing_inverters=(), string_plans=()))


def test_what_can_be_built_is_a_battery_on_its_own_unit(alone):
    built = {option.design.architecture.key for option in alone.live}
    assert built == {"as-is", "ac-addon", "two-units"}
    option = alone.option("ac-addon")
    assert option.title == "Battery alone" and not option.design.pv_converters
    assert [converter.inverter.kind for converter in option.design.converters] == ["battery inverter"]
    refused = {
        option.key: option.refusal.reasons[0] for option in alone.options if isinstance(option, RefusedOption)
    }
    assert "No array is stated" in refused["micro-ac"] and "No array is stated" in refused["hybrid-swap"]


def test_it_earns_by_the_cheap_hours_alone(alone):
    option = alone.option("ac-addon")
    year = option.outcome.year
    assert year.kwh("pv_dc") == 0.0 and year.bus_kwh("export") < 1.0
    windows = alone.job.tariff.windows
    spread = max(alone.job.tariff.price, *(w.price for w in windows)) - min(w.price for w in windows)
    # What it gives cannot be worth more than the whole spread of the prices.
    assert 0.0 < option.outcome.money.saving < year.kwh("discharge") * spread
    assert abs(year.year_residual_kwh()) < 1e-6
    flat = alone.job.with_(tariff=alone.job.tariff.with_(windows=()))
    assert plan(flat).option("ac-addon").outcome.money.saving < 0.0


def test_no_sentence_speaks_of_an_array(alone):
    for option in alone.live:
        said = [finding.sentence for finding in option.findings]
        said += [reason.sentence for reason in alone.choice.reasons[option.key]]
        for sentence in said:
            assert "array" not in sentence and "Self-sufficiency" not in sentence and "Roof" not in sentence, (
                sentence
            )
    assert "weather" not in {finding.check for finding in alone.option("ac-addon").findings}


def test_every_study_and_paper_says_something(alone):
    assert studies_of(alone).foresight["ac-addon"].best_bill < alone.option("ac-addon").outcome.money.bill
    assert search(alone, most=40).plants
    assert tips_of(alone).tips
    option = alone.option("ac-addon")
    assert not [flag for flag in flags_of(alone, option) if "sun" in flag.name]
    assert survival_of(alone, option).hours.max() > 1.0
    assert battery_ageing_of(alone, option).left[-1] < 1.0
    text = plan_text(document_of(alone))
    assert "NaN" not in text and tables_of(alone)["comparison"]
    for each in alone.options:
        assert line_of(alone, each).stations
        for station in SHOWS:
            assert all(figure.value for figure in figures_of(alone, each, station))
    assert moment_of(alone, option, 17_000).legs["home"] >= 0.0
    assert day_of(alone, option, 17_000).hours.size >= 92


def test_what_nothing_charges_is_told_and_mended(alone):
    job = alone.job.with_(battery=alone.job.battery.with_(charge_windows=()))
    option = plan(job).option("ac-addon")
    (told,) = (item for item in option.findings if item.check == "under-used")
    assert "Nothing charges the battery" in told.sentence and told.severity.name == "CHECK"
    # The cheapest hours of the tariff.
    assert [mend.label for mend in told.mends] == ["Charge it from the grid 23:00 to 07:00"]
    mended = plan(told.mends[0].apply(job)).option("ac-addon")
    assert not [item for item in mended.findings if "Nothing charges" in item.sentence]
    assert mended.outcome.year.kwh("charge") > 1000.0
