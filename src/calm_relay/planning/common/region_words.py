"""What a region calls things: the code keeps one word for each, and the region's pack says its own."""

import html
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields, is_dataclass, replace
from functools import cached_property, lru_cache, wraps
from itertools import islice
from typing import Any, Concatenate, ParamSpec, TypeVar

from calm_relay.job.model import Job
from calm_relay.job.rules import RegionWord

Said = TypeVar("Said")
Of = TypeVar("Of")
P = ParamSpec("P")
# Rooms whose records tell of a plan; records of other rooms are what it is made of.
TELLING = tuple(
    f"calm_relay.planning.{room}"
    for room in ("views", "handover", "commissioning", "studies", "architecture.topology")
)
# Fields in which somebody writes names and words of their own, which stay as they were typed.
OWN = frozenset(
    (
        "name", "customer", "place", "notes", "text", "why", "label", "loads", "drawn_by", "checked_by", "detail",
        "applies_to", "authority", "clause",
    )
)  # fmt: skip
# So many such texts are looked for; of one longer than so many letters, so many on either side of a word.
MOST_KEPT, LONG, AROUND = 200, 120, 24
# Fields that name a thing for the code, and are read by nobody.
NAMES = frozenset(
    (
        "key", "kind", "field", "station", "check", "path", "start", "end", "edge", "status", "fate", "stage", "group",
    )
)  # fmt: skip
# What no word stands in.
WORDLESS = frozenset((float, int, bool, type(None)))


@dataclass(frozen=True)
class RegionWords:
    """Says a text in a region's words.

    Attributes
    ----------
    pairs : tuple of (str, str)
        A word of the plan, and what the region says for it.
    kept : tuple of str
        What somebody wrote, in which such a word stands: it stays as it is.
    """

    pairs: tuple[tuple[str, str], ...] = ()
    kept: tuple[str, ...] = ()

    def __call__(self, text: str) -> str:
        """The text in the region's words; a text of another type, such as markup, stays of that type."""
        low = text.lower()
        if not any(stem in low for stem in self._stems):
            return text
        return type(text)(self._all.sub(self._said, text))

    def of(self, value: Said) -> Said:
        """The same value with every text in it said so: tuples, lists, mappings and what the planner tells of a plan.

        What the code names things by stays, and so does whatever is no text of the planner's.
        """
        return self._of(value) if self.pairs else value

    def _of(self, value: Any) -> Any:
        if isinstance(value, str):
            return self(value)
        if isinstance(value, tuple | list):
            made = [self._of(item) for item in value]
            if all(item is before for item, before in zip(made, value, strict=True)):
                return value
            return type(value)(*made) if hasattr(value, "_fields") else type(value)(made)
        if isinstance(value, dict):
            return {key: self._of(item) for key, item in value.items()}
        changed = {}
        for name in _told_in(type(value)):  # type: ignore[arg-type]
            old = getattr(value, name)
            if type(old) not in WORDLESS and (new := self._of(old)) is not old:
                changed[name] = new
        return replace(value, **changed) if changed else value

    @cached_property
    def _stems(self) -> tuple[str, ...]:
        """Words in which none of the others stands: a text without one of them has none to change."""
        words = [word for word, _ in self.pairs]
        return tuple(word for word in words if not any(other in word for other in words if other != word))

    @cached_property
    def _terms(self) -> re.Pattern[str]:
        return _pattern(tuple(word for word, _ in self.pairs))

    @cached_property
    def _all(self) -> re.Pattern[str]:
        # What is kept is found first, the longest before the others.
        kept = "|".join(re.escape(text) for text in sorted(self.kept, key=len, reverse=True))
        return re.compile(f"(?P<kept>{kept})|{self._terms.pattern}", re.IGNORECASE) if kept else self._terms

    def _said(self, match: re.Match[str]) -> str:
        found = match.groupdict()
        if found.get("kept") is not None:
            return match.group()
        word = match["word"]
        said = dict(self.pairs)[word.lower()]
        if match["many"]:
            said = f"{said[:-1]}ies" if said.endswith("y") else f"{said}s"
        return said[0].upper() + said[1:] if word[0].isupper() else said


AS_WRITTEN = RegionWords()


@lru_cache(maxsize=512)
def _told_in(kind: type) -> tuple[str, ...]:
    """Fields of a record that tells of a plan in which words may stand; of what is no such record, none."""
    if not is_dataclass(kind) or not kind.__module__.startswith(TELLING):
        return ()
    return tuple(field.name for field in fields(kind) if field.name not in NAMES)


@lru_cache(maxsize=64)
def _pattern(words: tuple[str, ...]) -> re.Pattern[str]:
    either = "|".join(re.escape(word) for word in sorted(words, key=len, reverse=True))
    return re.compile(rf"\b(?P<word>{either})(?P<many>s?)\b", re.IGNORECASE)


@lru_cache(maxsize=4)
def words_in(job: Job, words: tuple[RegionWord, ...]) -> RegionWords:
    """The words of a region's pack for a job, whose own names stay as they are."""
    if not words:
        return AS_WRITTEN
    terms, kept = _pattern(tuple(item.word for item in words)), set[str]()
    for text in _written(job.model_dump()):
        kept.update(islice(_with_terms(text, terms), MOST_KEPT - len(kept)))
    # Papers are told in markup.
    kept |= {html.escape(text) for text in kept}
    return RegionWords(tuple((item.word, item.said) for item in words), tuple(sorted(kept)))


def _with_terms(text: str, terms: re.Pattern[str]) -> Iterator[str]:
    """A text in which a region's word stands; of a long one the words around it, up to the ends of its line."""
    for match in terms.finditer(text):
        if len(text) <= LONG:
            yield text
            return
        before = text[max(match.start() - AROUND, 0) : match.start()].rpartition("\n")[2]
        yield before + match.group() + text[match.end() : match.end() + AROUND].partition("\n")[0]


def _written(value: Any, field: str = "") -> Iterator[str]:
    """What somebody wrote anywhere in a job."""
    if isinstance(value, dict):
        for name, item in value.items():
            yield from _written(item, name)
    elif isinstance(value, list | tuple):
        for item in value:
            yield from _written(item, field)
    elif isinstance(value, str) and field in OWN:
        yield value


def said_in_region(function: Callable[Concatenate[Of, P], Said]) -> Callable[Concatenate[Of, P], Said]:
    """Has a function of a plan or of an option say what it gives in the region's words."""

    @wraps(function)
    def said(of: Of, /, *args: P.args, **named: P.kwargs) -> Said:
        rules = of.rules if hasattr(of, "rules") else of.context.rules  # type: ignore[attr-defined]
        words: RegionWords = rules.words
        return words.of(function(of, *args, **named))

    return said
