"""The frequency of a place's grid, and the standard by which inverters there follow it."""

from calm_relay.job.model import Job
from calm_relay.physics.frequency_watt import AS_4777, IEEE_1547, VDE_4105, FrequencyWatt

CURVES = {
    "united-states": IEEE_1547,
    "canada": IEEE_1547,
    "australia": AS_4777,
    "new-zealand": AS_4777,
}


def curve_of(job: Job) -> FrequencyWatt:
    """The standard by which inverters follow the frequency: the region's, or one that is made for the service's."""
    usual, hertz = CURVES.get(job.region, VDE_4105), job.supply.hertz
    if hertz is None or hertz == usual.nominal_hz:
        return usual
    return IEEE_1547 if hertz == 60 else VDE_4105


def known_hertz(job: Job) -> float | None:
    """The frequency of a job's grid, as stated or as its region's rules have it; None where neither says [Hz]."""
    if job.supply.hertz is None and job.region not in CURVES:
        return None
    return curve_of(job).nominal_hz
