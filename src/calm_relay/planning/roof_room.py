"""What the measured rectangle of a face holds."""

from calm_relay.job.equipment import Module
from calm_relay.physics.packing import Packing, pack_rectangle
from calm_relay.planning.array import Face


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
