"""The manner shared by every model of the job and the catalogue."""

import re
from dataclasses import dataclass
from pathlib import PurePath
from types import UnionType
from typing import Annotated, Any, ClassVar, Self, Union, get_args, get_origin

from annotated_types import Le, Lt
from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    model_validator,
)
from pydantic.fields import FieldInfo
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, core_schema


@dataclass(frozen=True)
class Text:
    """Text of a user or a file: of a length, without control characters, on one line unless `lines`."""

    most: int
    least: int = 0
    lines: bool = False

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self._checked, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        least = {"minLength": self.least} if self.least else {}
        return {"maxLength": self.most, **least, **handler(schema)}

    def _checked(self, text: str) -> str:
        if not self.least <= len(text) <= self.most:
            end = f"at least {self.least}" if len(text) < self.least else f"at most {self.most:,}"
            raise ValueError(f"has {len(text):,} characters; wanted {end}")
        found = _CONTROL.search(text.translate(_BREAKS) if self.lines else text)
        if found is not None:
            wanted = "plain text" if self.lines else "one line of plain text"
            raise ValueError(f"holds the control character U+{ord(found.group()):04X}; wanted {wanted}")
        return text


_CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\ufffe\uffff]")
_BREAKS = dict.fromkeys(map(ord, "\t\n\r\u2028\u2029"))
Line = Annotated[str, Text(300)]
Name = Annotated[str, Text(120, least=1)]
# More than a page editor lays out while one types is no note but a paper: it is named among the photos.
MOST_PROSE = 200_000
Prose = Annotated[str, Text(MOST_PROSE, lines=True)]
FilePath = Annotated[str, Text(4096, least=1)]


def _of_weather(path: str) -> str:
    """A path that ends as a weather file's does."""
    if PurePath(path).suffix.lower() not in {".epw", ".csv", ".tm3"}:
        raise ValueError("wanted a path that ends in .epw (EPW), .tm3 (TMY3) or .csv (TMY3 or a table of hours)")
    return path


WeatherPath = Annotated[FilePath, AfterValidator(_of_weather)]
Fraction = Annotated[float, Field(ge=0.0, le=1.0)]
# No figure of the trade comes near it, and squares and products of it stay finite.
MOST = 1e9
# A kWh or a litre costs thousands in some currencies.
PRICE_MOST = 100_000.0
Positive = Annotated[float, Field(gt=0.0)]
NotNegative = Annotated[float, Field(ge=0.0)]
# Of a price, a year.
Rise = Annotated[float, Field(ge=-0.2, le=0.3)]
Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)]
ClockTime = Annotated[
    str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$", description="Local clock time, HH:MM, 24 hours.")
]


def _is_open_number(field: FieldInfo) -> bool:
    """Whether a field holds a number and states no upper end for it."""
    if get_origin(field.annotation) not in {None, Annotated, Union, UnionType}:
        return False
    parts = get_args(field.annotation) or (field.annotation,)
    if not {float, int} & {getattr(part, "__origin__", part) for part in (field.annotation, *parts)}:
        return False
    inner = [bound for part in parts for bound in getattr(part, "__metadata__", ())]
    bounds = [*field.metadata, *(one for bound in inner for one in getattr(bound, "metadata", [bound]))]
    return not any(isinstance(bound, Le | Lt) for bound in bounds)


class Model(BaseModel):
    """Frozen, closed to unknown fields, finite numbers only, hashable so that plans can be cached by it."""

    # Beside the fields: one thread may go through them while another works this out, and no copy takes it along.
    __slots__ = ("_hash",)
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, validate_default=True)
    # What is typed or read has an upper end; what is worked out from it has none.
    _bounded: ClassVar[bool] = True
    # Numbers whose fields state no upper end.
    _open_numbers: ClassVar[tuple[str, ...]] = ()

    @classmethod
    def __pydantic_init_subclass__(cls, **named: Any) -> None:
        super().__pydantic_init_subclass__(**named)
        found = (name for name, field in cls.model_fields.items() if _is_open_number(field))
        cls._open_numbers = tuple(found) if cls._bounded else ()

    @classmethod
    def __get_pydantic_json_schema__(cls, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        made = handler(schema)
        fields = handler.resolve_ref_schema(made).get("properties", {})
        for name in cls._open_numbers:
            for part in (fields.get(name, {}), *fields.get(name, {}).get("anyOf", ())):
                if part.get("type") in {"number", "integer"}:
                    part.setdefault("maximum", MOST)
        return made

    @model_validator(mode="after")
    def _numbers_within_reach(self) -> Self:
        for name in self._open_numbers:
            value = self.__dict__[name]
            if value is not None and not -MOST <= value <= MOST:
                raise ValueError(f"{name}: is {value:g}; wanted less than {MOST:g}")
        return self

    def __hash__(self) -> int:
        """Of type and fields, worked out once: plans are looked up by their jobs again and again."""
        try:
            return int(object.__getattribute__(self, "_hash"))
        except AttributeError:
            fields = type(self).__pydantic_fields__
            known = hash((type(self), *(self.__dict__[name] for name in fields)))
            object.__setattr__(self, "_hash", known)
            return known

    def with_(self, **changes: Any) -> Self:
        """A validated copy with fields changed.

        Raises
        ------
        pydantic.ValidationError
            When a changed field is out of its range.
        """
        return type(self).model_validate({**dict(self), **changes})

    def as_built(self, **changes: Any) -> Self:
        """A copy with fields worked out for several together: no datasheet, so no range of one holds it."""
        return self.model_copy(update=changes)


def minutes_of(clock: str) -> int:
    """Minutes after midnight of a `HH:MM` clock time."""
    hours, minutes = clock.split(":")
    return int(hours) * 60 + int(minutes)
