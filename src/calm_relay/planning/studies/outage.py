"""The grid fails: an outage rehearsed from any moment of the year, minute by minute."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.physics import outage
from calm_relay.physics.island import Island, IslandYear, run_island
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay
from calm_relay.planning.operation.island import CONTACTORS_HOLD_MS, curve_of, forms_grid, island_of
from calm_relay.planning.operation.machine_starts import machine_starts
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Option, Plan

STEP_MIN = 1
CAUSES = {
    outage.OVERLOAD: "the load passed {continuous:.1f} kW for longer than {surge_s:.0f} s",
    outage.START: "{who} started: {start:.1f} kW on top of {want:.1f} kW, against {surge:.1f} kW of surge",
    outage.START_LEG: (
        "{who} started: {start:.1f} kW more, and a leg with {on_leg:.1f} kW on it gives {leg_surge:.1f} kW "
        "for a moment"
    ),
    outage.LEG: "one leg asked for more than {leg:.1f} kW",
    outage.OVER_FREQUENCY: "a load dropped and the array's power had nowhere to go: over-frequency",
    outage.EMPTY: "the battery was empty",
}


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """One outage, minute by minute: flows, which circuits are fed, and what ended it.

    `run` holds the flows of every unit; `lived_h` is until the first dark minute, None where it ridden through;
    `ended_by` says why in a sentence; `ended_at` is the circuit that asked most then, empty where none ended it.
    """

    first: int
    step_h: float
    names: tuple[str, ...]
    load: np.ndarray
    start_kw: np.ndarray
    run: IslandYear
    frequency_hz: np.ndarray
    limit_kw: float
    surge_kw: float
    usable_kwh: float
    transfer_ms: float
    lived_h: float | None
    cause: int
    ended_by: str
    ended_at: str

    @property
    def flows(self) -> np.ndarray:
        """The kernel's flows, a row a step, columns as in `physics.outage.FLOWS`."""
        return self.run.island_flows

    @property
    def on(self) -> np.ndarray:
        """Which circuits are fed, a row a step."""
        return self.run.on

    def of(self, name: str) -> np.ndarray:
        """A flow by its name in `physics.outage.FLOWS`."""
        return self.flows[:, outage.FLOWS.index(name)]

    @property
    def hours(self) -> np.ndarray:
        """Hours since the grid went dark, at each step's start."""
        return np.arange(self.flows.shape[0]) * self.step_h

    @property
    def trips(self) -> int:
        """How often it tripped."""
        return self.run.trips

    def litres(self, generator) -> float:
        """Fuel the generator burns [l]."""
        return float(self.of("generator").sum() * self.step_h * generator.litres_per_kwh)

    def residuals_kwh(self) -> np.ndarray:
        """What does not close in each step [kWh]."""
        given = sum(self.of(name) for name in ("pv_dc_used", "pv_ac_used", "generator", "discharge"))
        taken = sum(self.of(name) for name in ("served", "charge", "loss"))
        return (given - taken) * self.step_h


def rehearse(
    plan: Plan,
    option: Option,
    first: int,
    hours: float = 48.0,
    events: bool = True,
    seed: int = 1,
    only: frozenset[str] | None = None,
    fed: BackedUpLoads | None = None,
) -> Rehearsal | None:
    """Pulls the main switch at a step of the year; None where nothing forms a grid.

    Parameters
    ----------
    first : int
        Step of the year at which the grid fails.
    hours : float
        How long it stays dark.
    events : bool
        Whether machines start as events, minute by minute, the same for the same `seed`.
    only : frozenset of str, optional
        Circuits that live; the rest of those backed up is taken off.
    fed : Backed, optional
        Circuits to feed instead of those of the job's board.
    """
    converter = option.design.battery_converter
    if option.outcome is None or not forms_grid(converter):
        return None
    fed = behind_relay(option.design, plan.job, plan.demand) if fed is None else fed
    fed = fed if only is None else fed.only(only)
    if not fed.names:
        return None
    number = option.design.converters.index(converter)
    inputs = _islanded(inputs_of(option.design, plan.job, plan.site, plan.demand), number)
    island = replace(
        island_of(option.design, plan.job, plan.demand), load=fed.kw, legs=fed.legs, shed_below=fed.shed_below
    )
    per_step = round(inputs.step_h * 60) // STEP_MIN if events else 1
    here = np.arange(first, first + round(hours / inputs.step_h)) % plan.demand.kw.size
    island = island.at(here, per_step)
    starts = machine_starts(plan.job, plan.demand, fed, here, per_step, seed) if events else None
    if starts:
        island = replace(island, load=starts.load)
    run = run_island(
        inputs.plant,
        np.repeat(inputs.pv_kw[:, here], per_step, axis=1),
        inputs.step_h / per_step,
        island,
        float(option.outcome.year.of("stored", number)[first - 1]),
        *((starts.start, starts.again) if starts else ()),
    )
    return _summary(plan, converter, island, fed, starts, run, first, hours)


def _islanded(inputs, number):
    """In the dark nothing is kept in reserve."""
    part = inputs.plant[number]
    bare = replace(part, battery=replace(part.battery, reserve=0.0), by_clock=False, phase=0)
    return replace(inputs, plant=(*inputs.plant[:number], bare, *inputs.plant[number + 1 :]))


def _summary(plan, converter, island: Island, fed, starts, run, first, hours):
    backup = np.flatnonzero(run.states != outage.SERVING)
    at = int(backup[0]) if backup.size else None
    cause = outage.NOTHING if at is None else int(run.island_flows[at, outage.CAUSE])
    # A start on a circuit that is shed does not happen.
    start_kw = (starts.start * run.on.T).max(axis=0) if starts else np.zeros(run.states.size)
    who = ""
    if starts and at is not None and starts.start[:, at].any():
        fed_before = run.on[at - 1] if at else np.ones(len(fed.names), dtype=bool)
        heaviest = np.where(fed_before, starts.start[:, at], 0.0)
        row = int(heaviest.argmax())
        start_kw[at], who = heaviest[row], starts.who.get((row, at), "")
    sentence = f"It rides through the {hours:g} hours."
    if at is not None:
        limits = island.limits
        if cause in (outage.START, outage.START_LEG) and not who:
            gap = converter.inverter.backup.transfer_ms > CONTACTORS_HOLD_MS and at == 0
            who = "Every machine at once" if gap else "A motor"
            start_kw = start_kw.copy()
            start_kw[at] = starts.again[:, at].sum()
        summary = CAUSES[cause].format(
            continuous=limits[outage.CONTINUOUS],
            surge=limits[outage.SURGE],
            surge_s=limits[outage.SURGE_S],
            leg=limits[outage.CONTINUOUS] / max(limits[outage.LEGS], 1.0),
            on_leg=(island.load[:, at] @ island.legs).max(),
            leg_surge=min(limits[outage.SURGE] / max(limits[outage.LEGS], 1.0), limits[outage.LEG_START]),
            who=who,
            start=start_kw[at],
            want=island.load[:, at].sum(),
        )
        after = at * run.step_h
        when = f"{after * 60:.0f} minutes" if after < 2 else f"{after:.1f} hours"
        sentence = f"Without supply after {when}: {summary}."
    return Rehearsal(
        first,
        run.step_h,
        fed.names,
        island.load,
        start_kw,
        run,
        _frequency(plan, run),
        float(island.limits[outage.CONTINUOUS]),
        float(island.limits[outage.SURGE]),
        run.plant[island.former].battery.usable_kwh,
        converter.inverter.backup.transfer_ms,
        None if at is None else at * run.step_h,
        cause,
        sentence,
        "" if at is None else _heaviest(fed, island, at, who, plan.job),
    )


def _heaviest(fed, island, at, who, job):
    """The circuit that ended it: the one of the machine that started, else the one that asked most."""
    if who and job.backup_board is not None:
        circuit = next((c for c in job.backup_board.circuits if who in c.loads), None)
        if circuit is not None:
            return circuit.name
    return fed.names[int(island.load[:, at].argmax())]


def _frequency(plan, run):
    """Frequency of the bus [Hz]: raised where the array on it is to give less than it could."""
    offered, used = run.island_flows[:, outage.AC_OFFERED], run.island_flows[:, outage.AC_USED]
    ageings = (offered > 1e-9) & (run.states == outage.SERVING)
    share = np.divide(used, offered, out=np.ones_like(used), where=ageings)
    curve = curve_of(plan.job)
    return np.array([curve.hz(float(part)) for part in share])
