"""Which circuits to back up: the largest set, by priority, that lives through a chosen outage."""

from dataclasses import dataclass

from calm_relay.job.board import Board
from calm_relay.job.model import Job
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.progress import Progress, unheard
from calm_relay.planning.rehearsal import Rehearsal, rehearse

HOURS = 30.0


@dataclass(frozen=True, eq=False)
class Proposal:
    """Circuits to keep and to leave, the outage they were held against, and how the kept ones live through it.

    `left` says for each circuit left why. `rehearsal` is None where not even the first circuit lives.
    """

    kept: tuple[str, ...]
    left: tuple[tuple[str, str], ...]
    rehearsal: Rehearsal | None

    @property
    def holds(self) -> bool:
        """Whether something is kept that lives through."""
        return bool(self.kept)

    def apply(self, job: Job) -> Job:
        """The job with what is kept backed up, the rest on the street only."""
        circuits = tuple(
            circuit.with_(role=circuit.role if circuit.name in self.kept else "street only")
            for circuit in job.board.circuits
        )
        return job.with_(board=Board(circuits=circuits))


def propose(
    plan: Plan, option: Option, first: int, hours: float = HOURS, progress: Progress = unheard
) -> Proposal | None:
    """Adds circuits by priority while the outage from a step is lived through; None without a board or a former.

    A circuit that ends it is left out, and the next tried: a large one does not keep the small ones after it out.
    """
    board = plan.job.board
    if board is None:
        return None
    wanted = sorted(
        (circuit for circuit in board.circuits if circuit.role != "street only"),
        key=lambda circuit: circuit.priority,
    )
    kept, left, best = [], [], None
    for number, circuit in enumerate(wanted):
        progress(number / len(wanted), f"Trying {circuit.name}")
        run = rehearse(plan, option, first, hours, only=frozenset([*kept, circuit.name]))
        if run is None:
            return None
        if circuit.name not in run.names:
            left.append((circuit.name, "it hangs on a phase that is dark"))
        elif run.lived_h is None:
            kept.append(circuit.name)
            best = run
        else:
            left.append((circuit.name, run.ended_by[:1].lower() + run.ended_by[1:].rstrip(".")))
    return Proposal(tuple(kept), tuple(left), best)
