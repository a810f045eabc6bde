"""What refers to a thing of the survey by its name, in keys of the wiring and of commissioning, follows a new name."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from calm_relay.job.commissioning import Commissioning
from calm_relay.job.wiring import Wiring


@dataclass(frozen=True)
class NewNames:
    """Things of the survey that are called otherwise: their new names by those before, and what the others are called.

    Two may have changed their names for each other's.
    """

    after: Mapping[str, str]
    others: tuple[str, ...] = ()

    def in_text(self, text: str) -> str:
        """A text in which new names stand for old ones, where these stand by themselves and in no other's name."""
        names = sorted({*self.after, *self.others}, key=len, reverse=True)
        found = re.compile(rf"(?<!\w)(?:{'|'.join(map(re.escape, names))})(?!\w)")
        return found.sub(lambda match: self.after.get(match[0], match[0]), text)


def of_circuits(after: Mapping[str, str], others: Iterable[str]) -> NewNames:
    """Circuits that are called otherwise, as tests and settings speak of them: what else has such a name stays."""
    spoken = ("shed {}", "sheds “{}”")
    return NewNames(
        {words.format(before): words.format(name) for before, name in after.items() for words in spoken},
        tuple(words.format(name) for name in others for words in spoken),
    )


def wiring_of(wiring: Wiring, names: NewNames) -> Wiring:
    """What is stated of cables, words of the drawing and places, under keys of the new names.

    Raises
    ------
    pydantic.ValidationError
        When a key grows too long, or becomes another's.
    """
    return wiring.with_(
        **{
            field: tuple(item.with_(key=names.in_text(item.key)) for item in getattr(wiring, field))
            for field in ("routes", "labels", "places")
        }
    )


def commissioning_of(record: Commissioning, names: NewNames) -> Commissioning:
    """What was read, tested, keyed in and connected, under keys of the new names; raises as `wiring_of`."""
    fields = {"readings": "key", "tests": "key", "serials": "part", "keyed_other": "name", "devices": "part"}
    changed = {
        field: tuple(item.with_(**{key: names.in_text(getattr(item, key))}) for item in getattr(record, field))
        for field, key in fields.items()
    }
    return record.with_(keyed=tuple(names.in_text(text) for text in record.keyed), **changed)
