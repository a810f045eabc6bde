"""Which room the battery stands in, what is behind its wall, and how far doors, windows and ways out are."""

from calm_relay.job.field_range import range_of
from calm_relay.job.rooms import IN_ROOM, IndoorRoom, Room
from calm_relay.job.survey import BatteryPlace
from calm_relay.planning.architecture.battery_room import (
    BARRIER,
    barrier,
    clearance,
    room_limit,
    rooms_without,
)
from calm_relay.planning.architecture.refusals import room_refusals
from calm_relay.planning.common.joined import joined
from calm_relay.planning.findings.base import Finding, Mend, Subject, check, passes, stops_if, warns, warns_if
from calm_relay.planning.findings.battery_place import move, new_battery

# Rooms that are offered in place of one that may not be, the first that holds the battery first.
OFFERED: tuple[IndoorRoom, ...] = ("garage", "utility room", "shed")


def _rooms(subject: Subject, kwh: float, most: int) -> tuple[Mend, ...]:
    """Rooms that may hold so much energy, as mends."""
    may: list[IndoorRoom] = []
    for room in OFFERED:
        held = room_limit(subject.rules, room)
        if held is None or kwh <= held.limit + 1e-9:
            may.append(room)
    # What stands outdoors is taken in; how warm the room is, is another question.
    inside = {"where": "unheated room"} if subject.job.battery_place.where == "outdoors" else {}
    return tuple(Mend(f"Stand it {IN_ROOM[room]}", move(room=room, **inside)) for room in may[:most])


@check
def check_battery_room(subject: Subject) -> list[Finding]:
    """A battery stands where the region lets so much energy stand: not where people sleep, nor on their way out."""
    converter = new_battery(subject)
    if converter is None:
        return []
    bank, room = converter.bank, subject.job.battery_place.stands_in
    never, kwh = rooms_without(subject.rules), bank.nominal_kwh
    if room is None:
        if not never or converter.inverter.plug_in:
            return []
        first = next(item for item in subject.rules if item.rule.kind == "battery kWh" and item.limit <= 0.0)
        where = joined([IN_ROOM[item] for item in never], last="or")
        return [
            warns(
                "battery room",
                "Battery",
                "battery_place.room",
                f"Nobody stated in which room {bank.summary} stands. None may stand {where}.",
                rule=first.authority,
                mends=_rooms(subject, kwh, 2),
            )
        ]
    held = room_limit(subject.rules, room)
    refused = room_refusals(subject.design, subject.job, subject.rules)
    if held is None:
        return []
    well = f"{bank.summary} of {kwh:.1f} kWh {IN_ROOM[room]}: at most {held.limit:g} kWh may"
    return [
        stops_if(
            refused,
            "battery room",
            "Battery",
            "battery_place.room",
            f"{refused[0] if refused else well} stand there.",
            reading=(kwh, held.limit, "kWh"),
            rule=held.authority,
            mends=_rooms(subject, kwh, 1) if refused else (),
        )
    ]


@check
def check_battery_clearance(subject: Subject) -> list[Finding]:
    """A battery stands clear of doors, windows and ways out, as far as the region wants it."""
    converter, place = new_battery(subject), subject.job.battery_place
    room: Room | None = place.stands_in
    held = clearance(subject.rules, room)
    if converter is None or held is None:
        return []
    length = subject.context.survey.length_words
    least = length(held.limit)
    if place.to_opening_m is None:
        said = (
            f"Keep {converter.bank.summary} {least} or more from {held.rule.applies_to}, and as its maker "
            "says. How far it is nobody measured."
        )
        return [passes("battery clearance", "Battery", "battery_place.to_opening_m", said, rule=held.authority)]
    short = place.to_opening_m < held.limit - 1e-9
    is_at = length(place.to_opening_m)
    is_at = f"just under {least}" if short and is_at == least else is_at
    wanted = range_of(BatteryPlace, "to_opening_m").holds(held.limit)
    return [
        stops_if(
            short,
            "battery clearance",
            "Battery",
            "battery_place.to_opening_m",
            f"{converter.bank.summary} stands {is_at} from the nearest door, "
            f"window or way out; {least} are wanted ({held.rule.applies_to}).",
            reading=(place.to_opening_m, held.limit, "m"),
            rule=held.authority,
            mends=(Mend(f"Stand it {least} from them", move(to_opening_m=held.limit)),)
            if short and wanted
            else (),
        )
    ]


@check
def check_battery_barrier(subject: Subject) -> list[Finding]:
    """Between a battery and people who live behind its wall there is something that does not burn."""
    converter, place = new_battery(subject), subject.job.battery_place
    rule = subject.rules.of(BARRIER)
    if converter is None or rule is None or converter.inverter.plug_in:
        return []
    bank, wanted = converter.bank.summary, barrier(subject.rules, place)
    beyond = subject.context.survey.length_words(rule.limit)
    if place.wall is None:
        said = (
            f"Nobody stated what wall {bank} hangs on. On a framed wall with a habitable room behind it a "
            f"non-combustible barrier goes behind the battery, {beyond} beyond it on each side."
        )
    elif wanted is not None:
        said = (
            f"Behind the wall that {bank} hangs on is a habitable room: a non-combustible barrier goes between, "
            f"{beyond} beyond the battery on each side. It is on the list of parts."
        )
    else:
        why = "does not burn" if place.wall == "masonry" else "has no habitable room behind it"
        said = f"The wall that {bank} hangs on {why}: no barrier is wanted."
    return [
        warns_if(
            place.wall is None,
            "battery barrier",
            "Battery",
            "battery_place.wall",
            said,
            reading=(None, rule.limit, "m"),
            rule=rule.authority,
        )
    ]
