"""The manner shared by every model of the job and the catalogue."""

from collections.abc import Mapping
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field

Fraction = Annotated[float, Field(ge=0.0, le=1.0)]
Positive = Annotated[float, Field(gt=0.0)]
NotNegative = Annotated[float, Field(ge=0.0)]
Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)]
ClockTime = Annotated[
    str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$", description="Local clock time, HH:MM, 24 hours.")
]


class Model(BaseModel):
    """Frozen, closed to unknown fields, finite numbers only, hashable so that plans can be cached by it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, validate_default=True)

    def __hash__(self) -> int:
        """Of type and fields, worked out once: plans are looked up by their jobs again and again."""
        known = self.__dict__.get("_hash")
        if known is None:
            fields = type(self).__pydantic_fields__
            known = self.__dict__["_hash"] = hash((type(self), *(self.__dict__[name] for name in fields)))
        return int(known)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy; see pydantic. What was worked out for the fields before is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        copied.__dict__.pop("_hash", None)
        return copied

    def with_(self, **changes: Any) -> Self:
        """A validated copy with fields changed.

        Raises
        ------
        pydantic.ValidationError
            When a changed field is out of its range.
        """
        return type(self).model_validate({**dict(self), **changes})


def minutes_of(clock: str) -> int:
    """Minutes after midnight of a `HH:MM` clock time."""
    hours, minutes = clock.split(":")
    return int(hours) * 60 + int(minutes)
