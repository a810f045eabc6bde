"""How often a design rides through an outage of the hours that the job wants, from starts all through the year."""

from dataclasses import dataclass, replace
from functools import cached_property
from math import ceil

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import Inputs, ready_survival
from calm_relay.physics.plant.island import ReadyOutages
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.island import forms_grid, island_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.site_year import SiteYear

# One start every so many hours: it meets every hour of the day equally often, and every season.
EVERY_H = 121


@dataclass(frozen=True, eq=False)
class LastingStarts:
    """The outages of one design on one board, ready to be run from what lies in its battery.

    `inputs` holds their steps one outage after another, `at` the first step of each there, `starts` in the year;
    `most` is how many steps must be ridden through.
    """

    inputs: Inputs
    starts: np.ndarray
    at: np.ndarray
    most: int

    def same_as(self, other: "LastingStarts | None") -> bool:
        """Whether two designs ride through the same outages alike, from the same energy."""
        if other is None or self.most != other.most or not np.array_equal(self.starts, other.starts):
            return False
        return np.array_equal(self.at, other.at) and self.inputs.digest == other.inputs.digest

    @cached_property
    def _ready(self) -> ReadyOutages:
        return ready_survival(self.inputs, self.at, self.most)

    @cached_property
    def _seen(self) -> list[tuple[np.ndarray, np.ndarray]]:
        """Energies held at the starts, shape (forming, starts), and which starts were ridden through from them."""
        return []

    def share(self, year: PlantBus) -> float:
        """Share of them ridden through, from what lies in the battery in a simulated year.

        What the same energy came to under another control is not run again.
        """
        island = self.inputs.island
        assert island is not None, "an outage has an island"
        held = year.stored[np.array(island.forming)[:, None], self.starts - 1]
        ridden, known = np.zeros((2, self.starts.size), dtype=bool)
        for before, lasted in list(self._seen):
            same = (held == before).all(axis=0)
            ridden[same] = lasted[same]
            known |= same
        new = np.flatnonzero(~known)
        if new.size:
            hours = self._ready.hours(held[:, new], new)
            ridden[new] = hours >= self.most * self.inputs.step_h - 1e-9
            self._seen.append((held, ridden))
        return float(ridden.mean())


def lasting_starts(
    design: Design, job: Job, demand: DemandYear, site: SiteYear, inputs: Inputs | None = None
) -> LastingStarts | None:
    """Outages of the hours that the job wants, without machines' starts; None where nothing stays on in one.

    Parameters
    ----------
    design : Design
        What is built.
    job : Job
        Its board as wired, and the hours it wants.
    demand : DemandYear
        The home's year.
    site : SiteYear
        The site's year.
    inputs : Inputs, optional
        What its year reads, where that has been made.
    """
    if not job.supply.on_grid or not forms_grid(design.battery_converter):
        return None
    fed = behind_relay(design, job, demand)
    if not fed.names:
        return None
    inputs = inputs or inputs_of(design, job, site, demand)
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
    return LastingStarts(part, starts, np.arange(starts.size) * block, most)
