"""Amounts as they stand in sentences."""

import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.common.amounts import degrees_text, in_pair
from tests.plans import plan


@pytest.mark.parametrize(
    ("value", "limit", "said"),
    [
        (5.79, 5.75, ("5.79", "5.75")),
        (5.9, 5.75, ("5.9", "5.8")),
        (4.0, 5.75, ("4.0", "5.8")),
        (5.75, 5.75, ("5.8", "5.8")),
        # Beyond the second decimal two figures are one.
        (5.7501, 5.75, ("5.8", "5.8")),
    ],
)
def test_a_figure_and_its_limit_are_read_apart(value, limit, said):
    assert in_pair(value, limit) == said


@pytest.mark.parametrize(
    ("celsius", "decimals", "said"),
    [(-6.0, None, "−6 °C"), (12.5, None, "12.5 °C"), (-0.3, 0, "0 °C"), (-7.25, 1, "−7.2 °C"), (71.6, 0, "72 °C")],
)
def test_a_temperature_has_a_true_minus_and_no_minus_nought(celsius, decimals, said):
    assert degrees_text(celsius, decimals) == said


def test_a_fuse_that_is_passed_by_little_does_not_read_as_kept():
    job = demo_job()
    made = plan(job)
    peak = next(
        finding
        for option in made.live
        for finding in option.findings
        if finding.check == "main fuse" and finding.measured > 1.0
    )
    volts = job.supply.volts
    fuse_a = round(peak.measured * 1000.0 / volts - 0.1, 2)
    tight = plan(job.with_(supply=job.supply.with_(main_fuse_a=fuse_a)))
    said = next(f for o in tight.live for f in o.findings if f.check == "main fuse" and f.measured > f.limit)
    figures = [word for word in said.sentence.split() if word[0].isdigit()]
    assert len(set(figures)) == len(figures), said.sentence
