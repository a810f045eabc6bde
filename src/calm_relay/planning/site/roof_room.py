"""What the measured rectangle of a face holds, and how modules lie where nobody measured."""

from math import ceil

from calm_relay.job.equipment import Module
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job, RoofFace
from calm_relay.physics.packing import Packing, pack_rectangle
from calm_relay.planning.site.array import Face

# Modules in a row where nobody measured the roof, at most, some 14 m of eaves: common practice, no source.
MOST_IN_ROW = 12


def unmeasured_row(plan: RoofFace) -> int:
    """Modules in a row of a face that nobody measured: a string, in equal rows that a roof has room for."""
    rows = ceil(plan.count / min(plan.in_series, MOST_IN_ROW))
    return ceil(plan.count / rows)


def filled(job: Job, number: int, room: Packing) -> Job:
    """A job whose face holds as many modules as there is room for, in as many equal strings as divide them."""
    count = most_on(room)
    most = min(job.faces[number].strings, count)
    strings = next(n for n in range(most, 0, -1) if count % n == 0)
    return job.with_face(number, count=count, strings=strings)


def most_on(room: Packing) -> int:
    """How many modules of a rectangle one face may have; a larger roof is planned as several faces."""
    return min(room.count, int(range_of(RoofFace, "count").high))


def room_of(face: Face, module: Module | None = None) -> Packing | None:
    """How many modules a face's rectangle holds; None where it was not measured.

    `module` is another one than lies there.
    """
    place, module = face.plan.rectangle, module or face.module
    if place is None:
        return None
    return pack_rectangle(
        place.width_m,
        place.height_m,
        place.margin_m,
        place.gap_mm / 1000.0,
        module.length_mm / 1000.0,
        module.width_mm / 1000.0,
        place.layout,
    )
