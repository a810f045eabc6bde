"""How often a design rides through an outage of the hours that the job wants, from starts all through the year."""

from dataclasses import replace
from math import ceil

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import run_survival
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.island import forms_grid, island_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.site_year import SiteYear

# One start every so many hours: it meets every hour of the day equally often, and every season.
EVERY_H = 121


def lasting_share(design: Design, year: PlantBus, job: Job, demand: DemandYear, site: SiteYear) -> float:
    """Share of starts of the year that last as long as the job wants, without machines' starts; 0 where none stays on.

    Parameters
    ----------
    design : Design
        What is built.
    year : PlantBus
        Its simulated year: what lies in the battery when the grid fails.
    job : Job
        Its board as wired, and the hours it wants.
    demand : DemandYear
        The home's year.
    site : SiteYear
        The site's year.
    """
    if not job.supply.on_grid or not forms_grid(design.battery_converter):
        return 0.0
    fed = behind_relay(design, job, demand)
    if fed is None or not fed.names:
        return 0.0
    inputs = inputs_of(design, job, site, demand)
    per_hour = round(1.0 / inputs.step_h)
    starts = np.arange(0, 8760, EVERY_H) * per_hour
    most = round(job.outage_hours * per_hour)
    derate = inputs.thermal_derate
    # With cold or heat each outage gets whole days, so that they find theirs.
    block = most if derate is None else ceil(job.outage_hours / 24.0) * 24 * per_hour
    steps = ((starts[:, None] + np.arange(block)) % demand.kw.size).ravel()
    part = inputs.islanded(island_of(design, job, demand)).at(steps)
    if derate is not None:
        per_day = 24 * per_hour
        days = (starts[:, None] // per_day + np.arange(block // per_day)).ravel() % derate.shape[2]
        part = replace(part, thermal_derate=derate[:, :, days])
    stored = year.stored[part.island.former]
    hours = run_survival(part, stored[starts - 1], np.arange(starts.size) * block, most)
    return float((hours >= job.outage_hours - 1e-9).mean())
