"""From the strings on the roof to those of another inverter: what is opened, joined, run and fused."""

from dataclasses import dataclass

from calm_relay.planning.architecture.design import Design, DesignContext
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import Stringing, fusing_of


@dataclass(frozen=True)
class Restringing:
    """The work on a roof's strings when they move to another inverter, as counts and sentences.

    `connectors_gone` is pairs of plugs that fall away between old strings and the inverter, `opened` and `made`
    are joints between modules, `fuses` string fuses to add.
    """

    steps: tuple[str, ...]
    strings_before: int
    strings_after: int
    connectors_gone: int
    opened: int
    made: int
    fuses: int


def restringing_of(context: DesignContext, design: Design) -> Restringing | None:
    """What moving the strings takes; None where none moves."""
    if not design.strings_moved or context.kept is None:
        return None
    units = [unit for unit in design.pv_converters if not unit.micro]
    new = [unit for unit in units if unit.is_new and unit.has_array]
    if not new:
        return None
    steps, moved, opened, made = [], [], 0, 0
    for face in context.faces:
        was = _on_roof(face)
        on = [unit for unit in units if _lengths(unit.stringing, face)]
        now = sorted((length for unit in on for length in _lengths(unit.stringing, face)), reverse=True)
        if not was and not now:
            continue
        stay = "stays" if len(was) == 1 else "stay"
        if was and not now:
            under = any(
                unit.micro and any(_same(face, other) for other in unit.faces) for unit in design.converters
            )
            where = "go under microinverters" if under else f"{stay} without an inverter"
            steps.append(f"{face.plan.name}: {_summary(was)} {where}.")
            moved.append(face)
            continue
        kept_on = [unit.inverter.name for unit in on if not unit.is_new]
        if was == now and len(kept_on) == len(on):
            steps.append(f"{face.plan.name}: {_summary(was)} {stay} on {joined(kept_on)}.")
            continue
        moved.append(face)
        if was == now:
            steps.append(f"{face.plan.name}: {_summary(was)} {stay} as wired.")
        else:
            closed, cut = _joints(was, now)
            made, opened = made + closed, opened + cut
            parts = [f"{counted(closed, 'joint')} made"] if closed else []
            parts += [f"{cut} opened"] if cut else []
            origin = f"from {_summary(was)} to {_summary(now)}" if was else f"{_summary(now)}, new"
            steps.append(f"{face.plan.name}: {origin}{': ' + ', '.join(parts) if parts else ''}.")
        for unit in on:
            inputs = sorted({run.tracker_number for run in unit.stringing.runs if _same(run.face, face)})
            word = "input" if len(inputs) == 1 else "inputs"
            steps.append(f"  to {word} {' and '.join(map(str, inputs))} of {unit.inverter.name}.")
    count = sum(len(_on_roof(face)) for face in context.faces)
    after = sum(unit.stringing.strings for unit in units)
    gone = max(count - after, 0)
    if gone:
        pairs = counted(gone, "pair")
        steps.append(f"{counted(count, 'string')} become {after}: {pairs} of plugs and their branch joints go.")
    fuses = sum(_fuses(context, unit.stringing) for unit in new)
    had = _fuses(context, context.kept.stringing)
    if fuses:
        steps.append(f"Add {counted(fuses, 'string fuse')}.")
    elif had:
        steps.append(f"The {had} string fuses of the old strings are not needed any more.")
    live = [unit.name for unit in context.now if any(_same(face, other) for face in moved for other in unit.faces)]
    sides = joined(live) or context.kept.inverter.name
    steps.append(f"Isolate {sides} on both sides and prove each string dead before a plug is drawn.")
    return Restringing(tuple(steps), count, after, gone, opened, made, fuses)


def _same(one: Face, other: Face) -> bool:
    """Whether both are one face: what is made anew of it is another object."""
    return one.plan.name == other.plan.name


def _on_roof(face: Face) -> list[int]:
    """Modules in series of every string of a face as it was surveyed."""
    return [face.plan.in_series] * face.plan.strings if face.plan.is_there and not face.plan.electronics else []


def _lengths(strings: Stringing, face: Face) -> list[int]:
    """Modules in series of every string of a face, the longest first."""
    mine = [run for run in strings.runs if _same(run.face, face)]
    return sorted((run.in_series for run in mine for _ in range(run.parallel)), reverse=True)


def _summary(lengths: list[int]) -> str:
    return " and ".join(f"{lengths.count(n)} × {n}" for n in dict.fromkeys(lengths))


def _joints(was: list[int], now: list[int]) -> tuple[int, int]:
    """Joints made and opened: whole old strings are joined first, one is cut where a length does not add up."""
    opened, rest = 0, list(was)
    for length in now:
        left = length
        while left and rest:
            piece = max((n for n in rest if n <= left), default=None)
            if piece is None:
                piece = min(rest)
                rest.remove(piece)
                rest.append(piece - left)
                opened, left = opened + 1, 0
            else:
                rest.remove(piece)
                left -= piece
    left_joints = sum(n - 1 for n in rest)
    made = sum(n - 1 for n in now) + left_joints - (sum(n - 1 for n in was) - opened)
    return max(made, 0), opened


def _fuses(context: DesignContext, strings: Stringing) -> int:
    school = context.job.fuse_school
    fusings = [(item, fusing_of(item)) for item in strings.inputs]
    return sum(item.strings for item, fusing in fusings if fusing and fusing.needed(school))
