"""The grid fails: an outage rehearsed from any moment of the year, minute by minute."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.plant import island_figures, island_pool
from calm_relay.physics.plant.inputs import run_outage
from calm_relay.physics.plant.island import Island, IslandYear
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.joined import counted
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay
from calm_relay.planning.operation.fuel import fuel_by_generator
from calm_relay.planning.operation.island import CONTACTORS_HOLD_MS, forms_grid, island_of
from calm_relay.planning.operation.machine_starts import Starts, machine_starts
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option, RefusedOption

STEP_MIN = 1
CAUSES = {
    island_figures.OVERLOAD: "the load passed {continuous:.1f} kW for longer than {surge_s:.0f} s",
    island_figures.START: "{who} started: {start:.1f} kW on top of {want:.1f} kW, against {surge:.1f} kW of surge",
    island_figures.START_LEG: (
        "{who} started: {start:.1f} kW more, and a {word} with {on_leg:.1f} kW on it gives {leg_surge:.1f} kW "
        "for a moment"
    ),
    island_figures.LEG: "one {word} asked for more than {leg:.1f} kW",
    island_figures.OVER_FREQUENCY: "a load dropped and the array's power had nowhere to go: over-frequency",
    island_figures.EMPTY: "the battery was empty",
    island_figures.TOO_COLD: "the battery was too cold or too hot to give",
}
# Causes that are a limit passed, which is lower while one of several batteries is empty.
BY_LIMIT = (island_figures.OVERLOAD, island_figures.START, island_figures.START_LEG, island_figures.LEG)


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """One outage, minute by minute: flows, which circuits are fed, and what ended it.

    `run` holds the flows of every converter, `forming` numbers those that form the grid; `served_h` is until the first
    minute without supply, None where it is ridden through; `ended_by` says why in a sentence; `ended_at` is the
    circuit that asked most then, empty where none ended it; `covered` says that snow lay on the modules all the while.
    """

    first: int
    names: tuple[str, ...]
    load_kw: np.ndarray
    start_kw: np.ndarray
    run: IslandYear
    forming: tuple[int, ...]
    frequency_hz: np.ndarray
    limit_kw: float
    surge_kw: float
    transfer_ms: float
    served_h: float | None
    cause: int
    ended_by: str
    ended_at: str
    covered: bool = False

    @property
    def step_h(self) -> float:
        """Step length [h]."""
        return self.run.step_h

    @property
    def steps(self) -> int:
        """How many steps it has."""
        return self.load_kw.shape[1]

    @property
    def on(self) -> np.ndarray:
        """Which circuits are fed, a row a step."""
        return self.run.outage.on

    @property
    def state(self) -> np.ndarray:
        """The state of each step, see `island_figures.IslandRecord`."""
        return self.run.outage.state

    @property
    def causes(self) -> np.ndarray:
        """Why each step is not served, see `island_figures.IslandRecord`."""
        return self.run.outage.cause

    @property
    def served_kw(self) -> np.ndarray:
        """What the circuits get [kW]."""
        return self.run.at_bus("home")

    @property
    def generator_kw(self) -> np.ndarray:
        """What the generators give [kW]."""
        return self.run.at_bus("import")

    @property
    def pv_used_kw(self) -> np.ndarray:
        """What is taken of the arrays, on the former's DC bus and on its AC bus [kW]."""
        own = sum(
            sign * self.run.of(name, number)
            for name, sign in (("pv_dc", 1.0), ("tracker", -1.0), ("clipped", -1.0), ("curtailed", -1.0))
            for number in self.forming
        )
        return own + self.run.outage.ac_used

    @property
    def stored_kwh(self) -> np.ndarray:
        """Energy in the batteries that form the grid at the end of each step [kWh]."""
        return self.run.stored[list(self.forming)].sum(axis=0)

    @property
    def levels(self) -> np.ndarray:
        """State of charge of each of them at the end of each step, shape (forming, steps)."""
        usable = np.array([[self.run.plant[number].bank.usable_kwh] for number in self.forming])
        return self.run.stored[list(self.forming)] / usable

    @property
    def usable_kwh(self) -> float:
        """What they hold [kWh]."""
        return sum(self.run.plant[number].bank.usable_kwh for number in self.forming)

    @property
    def hours(self) -> np.ndarray:
        """Hours since the grid failed, at each step's start."""
        return np.arange(self.steps) * self.step_h

    @property
    def trips(self) -> int:
        """How often it tripped."""
        return self.run.trips

    def litres_by_generator(self, job: Job) -> tuple[float, ...]:
        """Fuel that each generator burns [l]."""
        return fuel_by_generator(self.run, job)

    def litres(self, job: Job) -> float:
        """Fuel that the generators burn [l]."""
        return sum(self.litres_by_generator(job))


def rehearse(
    plan: Plan,
    option: Option | RefusedOption,
    first: int,
    hours: float = 48.0,
    events: bool = True,
    seed: int = 1,
    only: frozenset[str] | None = None,
    fed: BackedUpLoads | None = None,
    covered: bool = False,
) -> Rehearsal | None:
    """Has the grid fail at a step of the year; None where nothing forms a grid.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option or RefusedOption
        The option whose units carry the house.
    first : int
        Step of the year at which the grid fails.
    hours : float
        How long the outage lasts.
    events : bool
        Whether machines start as events, minute by minute.
    seed : int
        The same seed gives the same starts.
    only : frozenset of str, optional
        Circuits that stay on; the rest of those backed up is taken off.
    fed : BackedUpLoads, optional
        Circuits to feed instead of those of the job's backup board.
    covered : bool
        Whether snow lies on the modules all the while, and the array gives nothing.
    """
    if isinstance(option, RefusedOption) or not forms_grid(option.design.battery_converter):
        return None
    fed = behind_relay(option.design, plan.job, plan.demand) if fed is None else fed
    fed = fed if only is None else fed.only(only)
    if not fed.names:
        return None
    island = replace(
        island_of(option.design, plan.job, plan.demand), load_kw=fed.kw, legs=fed.legs, shed_below=fed.shed_below
    )
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand).islanded(island)
    inputs = inputs.scaled(array=0.0) if covered else inputs
    per_step = round(inputs.step_h * 60) // STEP_MIN if events else 1
    here = np.arange(first, first + round(hours / inputs.step_h)) % plan.demand.kw.size
    starts = machine_starts(plan.job, plan.demand, fed, here, per_step, seed) if events else None
    night = island.at(here, per_step)
    if starts:
        night = replace(night, load_kw=starts.load, start_kw=starts.start, again_kw=starts.again)
    inputs = replace(inputs.at(here, per_step), island=night)
    stored_kwh = option.outcome.year.stored[list(island.forming), first - 1]
    run = run_outage(inputs, stored_kwh, first * per_step)
    read = _read(plan, option.design.leader, night, fed, starts, run, first, hours)
    return replace(read, covered=covered)


def _read(
    plan: Plan,
    converter: Converter,
    island: Island,
    fed: BackedUpLoads,
    starts: Starts | None,
    run: IslandYear,
    first: int,
    hours: float,
) -> Rehearsal:
    state, on = run.outage.state, run.outage.on
    out = np.flatnonzero(state != island_figures.SERVING)
    at = int(out[0]) if out.size else None
    cause = island_figures.NOTHING if at is None else int(run.outage.cause[at])
    # A start on a circuit that is shed does not happen.
    start_kw = (starts.start * on.T).max(axis=0) if starts else np.zeros(state.size)
    who = ""
    if starts and at is not None and starts.start[:, at].any():
        fed_before = on[at - 1] if at else np.ones(len(fed.names), dtype=bool)
        heaviest = np.where(fed_before, starts.start[:, at], 0.0)
        row = int(heaviest.argmax())
        start_kw[at], who = heaviest[row], starts.who.get((row, at), "")
    sentence = f"It rides through the {hours:g} hour{'s' * (hours != 1)}."
    limits = island.limits
    if at is not None:
        if cause in (island_figures.START, island_figures.START_LEG) and not who:
            gap = converter.backup.transfer_ms > CONTACTORS_HOLD_MS and at == 0
            who = "Every machine at once" if gap else "A motor"
            start_kw = start_kw.copy()
            start_kw[at] = starts.again[:, at].sum() if starts else 0.0
        legs = max(limits.legs, 1.0)
        able, empty = _able(island, run, at)
        why = CAUSES[cause].format(
            continuous=limits.continuous_kw * able,
            surge=limits.surge_kw * able,
            surge_s=limits.surge_s,
            leg=limits.continuous_kw * able / legs,
            on_leg=(island.load_kw[:, at] @ island.legs).max(),
            leg_surge=min(limits.surge_kw * able / legs, limits.leg_start_kw),
            word=plan.job.supply.circuit.leg,
            who=who,
            start=start_kw[at],
            want=island.load_kw[:, at].sum(),
        )
        after = at * run.step_h
        minutes = round(after * 60)
        when = f"after {counted(minutes, 'minute')}" if after < 2 else f"after {after:.1f} hours"
        if cause in BY_LIMIT and empty:
            why = f"{why}; {empty} of {len(island.forming)} batteries had no charge left to give it from"
        sentence = f"Without supply {when if minutes else 'at once'}: {why}."
    return Rehearsal(
        first,
        fed.names,
        island.load_kw,
        start_kw,
        run,
        island.forming,
        _frequency(plan, run),
        limits.continuous_kw,
        limits.surge_kw,
        converter.backup.transfer_ms,
        None if at is None else at * run.step_h,
        cause,
        sentence,
        "" if at is None else _heaviest(fed, island, at, who, plan.job),
    )


def _able(island: Island, run: IslandYear, at: int) -> tuple[float, int]:
    """What part of the limits stood in a step, and how many of those that form the grid together were empty."""
    parts = [run.plant[number] for number in island.forming]
    if len(parts) < 2:
        return 1.0, 0
    held = run.stored[list(island.forming), at - 1] if at else run.initial_stored_kwh[list(island.forming)]
    gives = np.array([min(part.ac_limit_kw, part.bank.discharge_kw) for part in parts])
    floor = np.array([part.bank.usable_kwh for part in parts]) * island.limits.cut_off
    left = held > floor + island_pool.NO_ENERGY
    return float(gives[left].sum() / gives.sum()), int((~left).sum())


def _heaviest(fed: BackedUpLoads, island: Island, at: int, who: str, job: Job) -> str:
    """The circuit that ended it: the one of the machine that started, else the one that asked most."""
    if who and job.backup_board is not None:
        circuit = next((c for c in job.board.circuits if who in c.loads), None)
        if circuit is not None:
            return circuit.name
    return fed.names[int(island.load_kw[:, at].argmax())]


def _frequency(plan: Plan, run: IslandYear) -> np.ndarray:
    """Frequency of the bus [Hz]: raised where the array on it is to give less than it could."""
    offered, used = run.outage.ac_offered, run.outage.ac_used
    follows = (offered > 1e-9) & (run.outage.state == island_figures.SERVING)
    share = np.divide(used, offered, out=np.ones_like(used), where=follows)
    curve = curve_of(plan.job)
    return np.array([curve.hz(float(part)) for part in share])
