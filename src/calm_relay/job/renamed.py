"""What refers to a thing of the survey by its name, in keys of the wiring and of commissioning, follows a new name."""

import re

from calm_relay.job.commissioning import Commissioning
from calm_relay.job.wiring import Wiring


def follows(text: str, before: str, after: str) -> str:
    """A text in which one name stands for another, where it stands there as words of its own."""
    return re.sub(rf"(?<!\w){re.escape(before)}(?!\w)", lambda _: after, text)


def wiring_of(wiring: Wiring, before: str, after: str) -> Wiring:
    """What is stated of cables, words of the drawing and places, under keys of the new name.

    Raises
    ------
    pydantic.ValidationError
        When a key grows too long, or becomes another's.
    """
    return wiring.with_(
        **{
            name: tuple(item.with_(key=follows(item.key, before, after)) for item in getattr(wiring, name))
            for name in ("routes", "labels", "places")
        }
    )


def commissioning_of(record: Commissioning, before: str, after: str) -> Commissioning:
    """What was read, tested, keyed in and connected, under keys of the new name; raises as `wiring_of`."""
    fields = {"readings": "key", "tests": "key", "serials": "part", "keyed_other": "name", "devices": "part"}
    changed = {
        name: tuple(
            item.with_(**{key: follows(getattr(item, key), before, after)}) for item in getattr(record, name)
        )
        for name, key in fields.items()
    }
    return record.with_(keyed=tuple(follows(text, before, after) for text in record.keyed), **changed)
