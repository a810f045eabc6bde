"""What to change before the same night is tried again."""

from collections.abc import Iterator

from calm_relay.job.model import Job
from calm_relay.physics.plant import island_figures
from calm_relay.planning.findings.backed_up_loads import backup_board_mend
from calm_relay.planning.findings.base import Mend
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.outage import Rehearsal
from calm_relay.planning.verdict.option import Option

MOST = 4
RESERVE_STEP = 0.2
RESERVE_MOST = 0.95


def outage_mends_of(plan: Plan, option: Option, run: Rehearsal | None) -> tuple[Mend, ...]:
    """At most four changes worth trying on a night that was rehearsed, the likeliest first.

    Where it ended, what might carry it further; where it was ridden through, circuits that could come along.
    """
    job, backup_board = plan.job, plan.job.backup_board
    if run is None or backup_board is None:
        return ()
    if run.served_h is None:
        away = sorted(
            (c for c in backup_board.circuits if c.role == "grid only"), key=lambda circuit: circuit.priority
        )
        return tuple(backup_board_mend(f"With “{c.name}” too", {c.name: {"role": "backed up"}}) for c in away[:2])
    result = []
    circuit = next((c for c in backup_board.circuits if c.name == run.ended_at), None)
    starts = run.cause in (island_figures.START, island_figures.START_LEG)
    if circuit is not None and starts and not circuit.soft_start:
        result.append(backup_board_mend(f"Soft starter on “{circuit.name}”", {circuit.name: {"soft_start": True}}))
    if run.cause == island_figures.EMPTY:
        result.extend(_more_energy(option, job))
    if circuit is not None:
        result.append(backup_board_mend(f"Without “{circuit.name}”", {circuit.name: {"role": "grid only"}}))
    return tuple(result[:MOST])


def _more_energy(option: Option, job: Job) -> Iterator[Mend]:
    """A pack more, and more kept back while the grid is up."""
    converter = option.design.battery_converter
    if converter is None or not converter.is_new or not converter.battery_is_new:
        return
    count = job.battery.count + 1
    if count <= converter.bank.pack.count_max:
        yield Mend(f"With {count} packs", lambda job: job.with_(battery=job.battery.with_(count=count)))
    reserve = round(min(job.battery.reserve + RESERVE_STEP, RESERVE_MOST), 2)
    if job.supply.on_grid and reserve > job.battery.reserve:
        yield Mend(
            f"Keep {reserve:.0%} in reserve", lambda job: job.with_(battery=job.battery.with_(reserve=reserve))
        )
