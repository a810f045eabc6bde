"""What to change before the same night is tried again."""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.physics import outage
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.rehearsal import Rehearsal

MOST = 4
RESERVE_STEP = 0.2
RESERVE_MOST = 0.95


@dataclass(frozen=True, eq=False)
class Retry:
    """One change of the job with its name."""

    label: str
    apply: Callable[[Job], Job]


def retries_of(plan: Plan, option: Option, run: Rehearsal | None) -> tuple[Retry, ...]:
    """At most four changes worth trying on a night that was rehearsed, the likeliest first.

    Where it ended, what might carry it further; where it was lived through, circuits that could come along.
    """
    job, board = plan.job, plan.job.board
    if run is None or board is None:
        return ()
    if run.lived_h is None:
        away = sorted((c for c in board.circuits if c.role == "street only"), key=lambda circuit: circuit.priority)
        return tuple(_changed(f"With “{c.name}” too", c.name, role="backed up") for c in away[:2])
    found = []
    circuit = next((c for c in board.circuits if c.name == run.ended_at), None)
    starts = run.cause in (outage.START, outage.START_LEG)
    if circuit is not None and starts and not circuit.soft_start:
        found.append(_changed(f"Soft starter on “{circuit.name}”", circuit.name, soft_start=True))
    if run.cause == outage.EMPTY:
        found.extend(_more_energy(option, job))
    if circuit is not None:
        found.append(_changed(f"Without “{circuit.name}”", circuit.name, role="street only"))
    return tuple(found[:MOST])


def _changed(label, name, **fields):
    def apply(job):
        circuits = tuple(c.with_(**fields) if c.name == name else c for c in job.board.circuits)
        return job.with_(board=job.board.with_(circuits=circuits))

    return Retry(label, apply)


def _more_energy(option, job):
    """A pack more, and more kept back while the street is alive."""
    box = option.design.store_box
    if box is None or not box.is_new:
        return
    count = job.store.count + 1
    if count <= box.bank.pack.count_max:
        yield Retry(f"With {count} packs", lambda job: job.with_(store=job.store.with_(count=count)))
    reserve = round(min(job.store.reserve + RESERVE_STEP, RESERVE_MOST), 2)
    if job.supply.street and reserve > job.store.reserve:
        yield Retry(
            f"Keep {reserve:.0%} in reserve", lambda job: job.with_(store=job.store.with_(reserve=reserve))
        )
