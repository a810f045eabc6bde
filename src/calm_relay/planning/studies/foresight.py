"""What a control leaves on the table: an option's year against the bound of perfect foresight."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from concurrent.futures._base import Future
from dataclasses import dataclass
from time import monotonic
from typing import Any

import numpy as np

from calm_relay.physics.foresight import Foresight, least_cost
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.prices import feed_in_series, price_series
from calm_relay.planning.verdict.option import Option, RefusedOption

USUAL_S = 3.0
GIVEN_UP_S = 60.0
LOOK_S = 0.05


@dataclass(frozen=True, eq=False)
class ForesightGap:
    """Bill of the year under the control and at best, and where the difference arises.

    Hourly series: `imported` and `best_imported`, `exported` and `best_exported` are mean powers at the grid [kW],
    `stored_kwh` and `best_stored_kwh` what the batteries hold [kWh], `dearer` what the control pays more in the hour.
    `by_hour` is that summed by month and hour of standard time, shape (12, 24).
    """

    bill: float
    best_bill: float
    imported: np.ndarray
    best_imported: np.ndarray
    exported: np.ndarray
    best_exported: np.ndarray
    stored_kwh: np.ndarray
    best_stored_kwh: np.ndarray
    dearer: np.ndarray
    by_hour: np.ndarray

    @property
    def gap(self) -> float:
        """What the control leaves on the table in a year."""
        return self.bill - self.best_bill

    @property
    def by_month(self) -> np.ndarray:
        """What it leaves in each month, shape (12,)."""
        return self.by_hour.sum(axis=1)

    def widest_day(self) -> int:
        """The day of the year on which the control pays most more."""
        return int(self.dearer.reshape(365, 24).sum(axis=1).argmax())


def foresight_gap_of(
    plan: Plan, option: Option | RefusedOption, progress: Progress = unheard
) -> ForesightGap | None:
    """Solves the year of an option with perfect foresight; None without a battery or a grid.

    None also where a kWh has not one price whatever was drawn before: tiers, power charges and credit are not linear.

    The solver cannot be interrupted: called off, it is left to end by itself and its answer is dropped.

    Raises
    ------
    RuntimeError
        When the solver finds no optimum.
    """
    if isinstance(option, RefusedOption) or option.design.battery_converter is None or not plan.job.supply.on_grid:
        return None
    if not plan.job.tariff.by_kwh_alone:
        return None
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    per_hour = round(1.0 / inputs.step_h)

    def steps_of(series: np.ndarray) -> np.ndarray:
        return np.asarray(series, dtype=float).reshape(*np.shape(series)[:-1], -1, per_hour)

    def hourly(series: np.ndarray) -> np.ndarray:
        return steps_of(series).mean(axis=-1)

    tariff, calendar = plan.job.tariff, plan.site.calendar
    # Within an hour it may buy when that is cheapest and sell when that pays most: else a control could beat the bound.
    price = steps_of(price_series(tariff, calendar)).min(axis=-1)
    feed_in = steps_of(feed_in_series(tariff, calendar)).max(axis=-1)
    # Controlled loads stand in it as the control ran them: what is bounded is the battery's part.
    home_kw = option.outcome.year.at_bus("home")
    arguments = (inputs.plant, hourly(inputs.pv_kw), hourly(home_kw), 1.0, price, feed_in)
    limits = (inputs.grid.import_limit_kw, inputs.grid.export_limit_kw, tariff.stored_export, GIVEN_UP_S)
    worker = ThreadPoolExecutor(1)
    try:
        result: Foresight = _awaited(worker.submit(least_cost, *arguments, *limits), progress)
    finally:
        worker.shutdown(wait=False)
    year = option.outcome.year
    standing = tariff.standing_per_day * 365
    imported, exported = hourly(year.at_bus("import")), hourly(year.at_bus("export"))
    paid = hourly(
        year.at_bus("import") * price_series(tariff, calendar)
        - year.at_bus("export") * feed_in_series(tariff, calendar)
    )
    dearer = paid - (result.imported * price - result.exported * feed_in)
    month = calendar.month[::per_hour]
    by_hour = np.array([dearer[month == m].reshape(-1, 24).sum(axis=0) for m in range(1, 13)])
    return ForesightGap(
        option.outcome.money.bill,
        result.cost + standing,
        imported,
        result.imported,
        exported,
        result.exported,
        year.of("stored")[per_hour - 1 :: per_hour],
        result.stored_kwh,
        dearer,
        by_hour,
    )


def _awaited(future: Future[Foresight], progress: Callable[..., Any]) -> Foresight:
    start = monotonic()
    while not future.done():
        spent = monotonic() - start
        progress(spent / (spent + USUAL_S), "Solving the year with perfect foresight")
        wait([future], timeout=LOOK_S)
    return future.result()
