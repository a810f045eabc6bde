"""Which of a region's rules hold for the room that a battery stands in, and how far it is from openings."""

from calm_relay.job.rooms import Room
from calm_relay.job.survey import BatteryPlace
from calm_relay.planning.equipment.rules import InForce, Rules

ENERGY, CLEARANCE, BARRIER = "battery kWh", "battery clearance m", "battery barrier m"
# The wall that has a habitable room behind it and would burn.
LIVED_BEHIND = "framed, lived behind"


def room_limit(rules: Rules, room: Room) -> InForce | None:
    """How much energy may stand in a room, by the tightest rule that holds for it [kWh]; None where none does."""
    held = [item for item in _of(rules, ENERGY) if not item.rule.rooms or room in item.rule.rooms]
    return min(held, key=lambda item: item.limit, default=None)


def clearance(rules: Rules, room: Room | None) -> InForce | None:
    """How far from openings a battery stands in a room, by the widest rule that holds for it [m]; None without one.

    Where nobody stated the room, those that hold anywhere.
    """
    held = [item for item in _of(rules, CLEARANCE) if not item.rule.rooms or room in item.rule.rooms]
    return max(held, key=lambda item: item.limit, default=None)


def barrier(rules: Rules, place: BatteryPlace) -> InForce | None:
    """How far a non-combustible barrier reaches beyond the battery on its wall [m]; None where none is wanted."""
    return rules.of(BARRIER) if place.wall == LIVED_BEHIND else None


def rooms_without(rules: Rules) -> tuple[Room, ...]:
    """Rooms in which none may stand, in the order of the rules."""
    held = [item for item in _of(rules, ENERGY) if item.limit <= 0.0]
    return tuple(dict.fromkeys(room for item in held for room in item.rule.rooms))


def _of(rules: Rules, kind: str) -> list[InForce]:
    return [item for item in rules if item.rule.kind == kind]
