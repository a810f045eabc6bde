"""What to change before the same night is tried again."""

from calm_relay.physics import outage
from calm_relay.planning.findings.backed_up_loads import board_mend
from calm_relay.planning.findings.base import Mend
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.studies.outage import Rehearsal

MOST = 4
RESERVE_STEP = 0.2
RESERVE_MOST = 0.95


def retries_of(plan: Plan, option: Option, run: Rehearsal | None) -> tuple[Mend, ...]:
    """At most four changes worth trying on a night that was rehearsed, the likeliest first.

    Where it ended, what might carry it further; where it was lived through, circuits that could come along.
    """
    job, board = plan.job, plan.job.board
    if run is None or board is None:
        return ()
    if run.lived_h is None:
        away = sorted((c for c in board.circuits if c.role == "street only"), key=lambda circuit: circuit.priority)
        return tuple(board_mend(f"With “{c.name}” too", {c.name: {"role": "backed up"}}) for c in away[:2])
    found = []
    circuit = next((c for c in board.circuits if c.name == run.ended_at), None)
    starts = run.cause in (outage.START, outage.START_LEG)
    if circuit is not None and starts and not circuit.soft_start:
        found.append(board_mend(f"Soft starter on “{circuit.name}”", {circuit.name: {"soft_start": True}}))
    if run.cause == outage.EMPTY:
        found.extend(_more_energy(option, job))
    if circuit is not None:
        found.append(board_mend(f"Without “{circuit.name}”", {circuit.name: {"role": "street only"}}))
    return tuple(found[:MOST])


def _more_energy(option, job):
    """A pack more, and more kept back while the street is alive."""
    box = option.design.store_box
    if box is None or not box.is_new:
        return
    count = job.store.count + 1
    if count <= box.bank.pack.count_max:
        yield Mend(f"With {count} packs", lambda job: job.with_(store=job.store.with_(count=count)))
    reserve = round(min(job.store.reserve + RESERVE_STEP, RESERVE_MOST), 2)
    if job.supply.street and reserve > job.store.reserve:
        yield Mend(f"Keep {reserve:.0%} in reserve", lambda job: job.with_(store=job.store.with_(reserve=reserve)))
