"""What refers to a thing of the survey by its name, in keys of the wiring and of commissioning, follows a new name."""

import re
from dataclasses import dataclass

from calm_relay.job.commissioning import Commissioning
from calm_relay.job.wiring import Wiring


@dataclass(frozen=True)
class NewName:
    """A thing of the survey that is called otherwise, and what all the others there are called."""

    before: str
    after: str
    others: tuple[str, ...]

    def in_text(self, text: str) -> str:
        """A text in which the new name stands for the old one, where that stands by itself and in no other's name."""
        names = sorted({self.before, *self.others}, key=len, reverse=True)
        found = re.compile(rf"(?<!\w)(?:{'|'.join(map(re.escape, names))})(?!\w)")
        return found.sub(lambda match: self.after if match[0] == self.before else match[0], text)


def wiring_of(wiring: Wiring, name: NewName) -> Wiring:
    """What is stated of cables, words of the drawing and places, under keys of the new name.

    Raises
    ------
    pydantic.ValidationError
        When a key grows too long, or becomes another's.
    """
    return wiring.with_(
        **{
            field: tuple(item.with_(key=name.in_text(item.key)) for item in getattr(wiring, field))
            for field in ("routes", "labels", "places")
        }
    )


def commissioning_of(record: Commissioning, name: NewName) -> Commissioning:
    """What was read, tested, keyed in and connected, under keys of the new name; raises as `wiring_of`."""
    fields = {"readings": "key", "tests": "key", "serials": "part", "keyed_other": "name", "devices": "part"}
    changed = {
        field: tuple(item.with_(**{key: name.in_text(getattr(item, key))}) for item in getattr(record, field))
        for field, key in fields.items()
    }
    return record.with_(keyed=tuple(name.in_text(text) for text in record.keyed), **changed)
