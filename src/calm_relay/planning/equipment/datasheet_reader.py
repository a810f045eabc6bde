"""Candidates for the fields of an item, found in the words of a datasheet, each with its place on the page."""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from calm_relay.exchange.datasheet import CELL_GAP, Line, Sheet, Word
from calm_relay.job.field_words import plain_type
from calm_relay.planning.equipment.datasheet_fields import (
    CHOICES,
    FIELDS,
    NOT_UNDER_BACKUP,
    UNDER_BACKUP,
    UNITS,
    Wanted,
)
from calm_relay.planning.equipment.draft import INPUTS, field_at
from calm_relay.planning.equipment.label_words import in_english

NUMBER = re.compile(r"(?<![\w.,])(?<![A-Za-z]-)([-−–+]?)\s?(\d[\d.,’']*\d|\d)")
_UNIT = re.compile(
    r"\s*[\(\[]?\s*("
    + "|".join(sorted((re.escape(unit) for unit in UNITS), key=len, reverse=True))
    + r")\s*[\)\]]?(?![a-z0-9/²])",
    re.I,
)
_NAMED_UNIT = re.compile(r"[\(\[/,|]\s*([^\s\(\)\[\],]{1,6})\s*[\)\]]?")
_OTHER_CONDITIONS = re.compile(
    r"\bn[om][co]t\b|\bnmot\b|nominal\s*(?:module|cell)?\s*operating|rear|\bbstc\b", re.I
)
_TEST_CONDITIONS = re.compile(r"\bstc\b|standard\s*test", re.I)
_CYCLES = re.compile(r"(?<![\d.,])(\d[\d,.' ]{2,7})\s*(?:cycles)?", re.I)
_DEPTH = re.compile(
    r"(\d{2,3})\s*%\s*(?:dod|depth)|(?:dod|depth\s*of\s*discharge)\D{0,6}(\d{2,3})\s*%|(\d{2,3})\s*%(?!\s*(?:eol|soh|cap|rem|ret))",
    re.I,
)
_BACKUP_HEADING = re.compile(r"back-?\s?up|off-?\s?grid|\beps\b|\bisland|emergency\s*power", re.I)
# A word that begins with a number, but for one of how many phases there are.
_FIGURE = re.compile(r"[(\[]?[-−–+±<>≤≥~]*\d(?!-?\s?(?:phas|fas|fazow))", re.I)
# Between the ends of a range in other languages; small letters, for a capital one is a unit.
_UNTIL = frozenset({"a", "à", "al", "tot", "do", "até"})
RANGE, STROKE, TIMES = "range", "stroke", "times"
USUAL_GRIDS = {230.0, 240.0}
_NOMINAL_V = re.compile(r"(?:nominal|rated|system)\s*(?:battery\s*)?voltage", re.I)
_CAPACITY = re.compile(r"capacit", re.I)
# Hours of the discharge at which ampere-hours are stated.
_HOURS = re.compile(r"\bc\s?(\d{1,3})\b|(?<![\d.,])(\d{1,3})[\s-]*(?:h|hr|hour)s?\b", re.I)
# As long as a battery is started with, behind a current.
_FOR_SECONDS = re.compile(r"\s*[(,]?\s*(?:for\s*)?\d{1,2}\s*s(?:ec\w*)?\b", re.I)
# A cell's own volts are fewer, and nominally these.
CELL_MOST_V, CELL_V = 3.0, 2.0
# Hours at which an energy is wanted, the likeliest first.
LIKELY_HOURS = (20, 10)
# Fewer are no life of a battery.
LEAST_CYCLES = 100.0
# Lines of so many numbers make columns of models where at least so many have them.
COLUMN_LINES = 3


@dataclass(frozen=True)
class Candidate:
    """A value for a field as the model takes it, the text it was read from, and where that stands.

    `column` counts the models beside each other from 0; None where the sheet states one value for all of them.
    """

    path: str
    value: Any
    shown: str
    page: int
    word: Word
    column: int | None = None


@dataclass(frozen=True)
class _Number:
    value: float
    unit: str
    start: int
    end: int
    joined: str = ""


@dataclass(frozen=True)
class Reading:
    """Candidates by field, the likeliest first, the names of the columns of models, and the decimal mark."""

    found: dict[str, tuple[Candidate, ...]]
    columns: tuple[str, ...]
    mark: str = "."

    def of(self, column: int) -> dict[str, Candidate]:
        """The likeliest candidate for each field, of one column."""
        chosen = {}
        for path, candidates in self.found.items():
            fitting = [one for one in candidates if one.column in (None, column)]
            if fitting:
                chosen[path] = fitting[0]
        return chosen


def read_fields(sheet: Sheet, kind: str) -> Reading:
    """Candidates for every field of a kind.

    Parameters
    ----------
    sheet : Sheet
        The words of a datasheet.
    kind : str
        A key of `planning.equipment.draft.MODELS`.
    """
    mark = _decimal_mark(sheet)
    lines = tuple(map(_said_in_english, sheet.lines))
    count = _column_count(lines, mark)
    found: dict[str, list[tuple[int, Candidate]]] = {}
    pending: list[tuple[int, Candidate, str]] = []
    elsewhere = backed_up = False
    for at, line in enumerate(lines):
        text = line.text
        if not any(letter.isdigit() for letter in text):
            backed_up = kind == "inverters" and _BACKUP_HEADING.search(text) is not None
        if _OTHER_CONDITIONS.search(text):
            elsewhere = not _TEST_CONDITIONS.search(text)
        elif _TEST_CONDITIONS.search(text):
            elsewhere = False
        taken: list[tuple[int, int]] = []
        for wanted in (*UNDER_BACKUP, *FIELDS[kind]) if backed_up else FIELDS[kind]:
            if backed_up and wanted.paths[0] in NOT_UNDER_BACKUP:
                continue
            label = wanted.label.search(text)
            if label is None or any(start < label.end() and label.start() < end for start, end in taken):
                continue
            if wanted.not_after is not None and wanted.not_after.search(text[: label.end() + 12]):
                continue
            read = list(_read(kind, wanted, lines, at, label, mark, count))
            if read:
                taken.append(label.span())
            for candidate, dimension in read:
                rank = int(elsewhere)
                if dimension in {"V/K", "A/K", "W/K"}:
                    pending.append((rank, candidate, dimension))
                else:
                    found.setdefault(candidate.path, []).append((rank, candidate))
        for candidate in _words(kind, line):
            found.setdefault(candidate.path, []).append((0, candidate))
    _relative(pending, found)
    if kind == "packs":
        _cycles(lines, mark, found)
        _energy(lines, mark, found)
    _name(sheet, count, found)
    ordered = {
        path: tuple(one for _, one in sorted(ranked, key=lambda pair: pair[0])) for path, ranked in found.items()
    }
    return Reading(ordered, _column_names(lines, count, mark), mark)


def _said_in_english(line: Line) -> Line:
    """A line whose labels are said in English; its numbers and their units stand where they stood."""
    words: list[Word] = []
    label: list[Word] = []

    def finish() -> None:
        while label and label[0].text.strip("()[],;").lower() in UNITS:
            words.append(label.pop(0))
        if label:
            text = " ".join(word.text for word in label)
            said = in_english(text)
            if said == text:
                words.extend(label)
            else:
                top, bottom = min(word.top for word in label), max(word.bottom for word in label)
                words.append(Word(said, label[0].left, top, label[-1].right, bottom))
            label.clear()

    for before, word, after in zip((None, *line.words), line.words, (*line.words[1:], None), strict=False):
        wide = before is not None and word.left - before.right > CELL_GAP * (before.bottom - before.top)
        if _FIGURE.match(word.text):
            finish()
            words.append(word)
            continue
        if wide:
            finish()
        if before and after and word.text in _UNTIL and _FIGURE.match(before.text) and _FIGURE.match(after.text):
            words.append(replace(word, text="–"))
            continue
        label.append(word)
    finish()
    return Line(line.page, tuple(words))


def _decimal_mark(sheet: Sheet) -> str:
    """The mark that most numbers of the sheet with one or two decimals have."""
    text = "\n".join(line.text for line in sheet.lines)
    commas, points = (len(re.findall(rf"\d\{mark}\d{{1,2}}(?![\d.,])", text)) for mark in ",.")
    return "," if commas > points else "."


def number_of(text: str, mark: str = ".") -> float | None:
    """A number as datasheets write it, in a sheet with that decimal mark; None where it is none."""
    plain = text.strip().replace("−", "-").replace("–", "-").replace("’", "").replace("'", "").replace(" ", "")
    other = "," if mark == "." else "."
    if re.fullmatch(rf"[-+]?\d{{1,3}}(?:\{other}\d{{3}})+(?:\{mark}\d+)?", plain):
        plain = plain.replace(other, "")
    elif other in plain and mark not in plain:
        plain = plain.replace(other, mark)
    try:
        return float(plain.replace(mark, "."))
    except ValueError:
        return None


def numbers_in(text: str, mark: str, start: int = 0) -> list[_Number]:
    """Numbers of a line from a place on, each with the unit behind it and how it hangs on the one before."""
    result: list[_Number] = []
    for match in NUMBER.finditer(text, start):
        value = number_of(match.group(2), mark)
        if value is None:
            continue
        unit = _UNIT.match(text, match.end())
        joined, sign = "", match.group(1)
        if result:
            between = text[result[-1].end : match.start(2)].strip().removesuffix("+").rstrip()
            if re.fullmatch(r"[~…÷]|\.{2,3}|to|bis|[-−–]", between, re.I):
                # "90-520" and "90 - 520" are ranges, "-0.25 -0.26" are two numbers.
                close = not text[result[-1].end : match.start(2)].startswith(" ")
                apart = text[: match.start(2)].endswith(" ")
                if between not in "-−–" or close or apart:
                    joined, sign = RANGE, ""
            elif between == "/":
                joined = STROKE
            elif between in {"x", "×", "*", "X"}:
                joined = TIMES
        negative = sign in {"-", "−", "–"}
        end = unit.end() if unit else match.end()
        named = unit.group(1).lower() if unit else ""
        start = match.start() if sign else match.start(2)
        result.append(_Number(-value if negative else value, named, start, end, joined))
    return result


def grouped(numbers: list[_Number]) -> list[list[_Number]]:
    """Numbers of a range, a size or a pair together, each other alone."""
    groups: list[list[_Number]] = []
    for number in numbers:
        if number.joined and groups:
            groups[-1].append(number)
        else:
            groups.append([number])
    return groups


def _column_count(lines: tuple[Line, ...], mark: str) -> int:
    """How many models stand beside each other: the commonest count of values on a line, 1 where there are none."""
    counts: Counter[int] = Counter()
    for line in lines:
        groups = _outside(grouped(numbers_in(line.text, mark)), line.text)
        if len(groups) > 1 and re.match(r"\D{4}", line.text):
            counts[len(groups)] += 1
    best = max(counts, key=lambda n: (counts[n], n), default=1)
    return best if counts[best] >= COLUMN_LINES else 1


def _read(
    kind: str, wanted: Wanted, lines: tuple[Line, ...], at: int, label: re.Match[str], mark: str, count: int
) -> Iterator[tuple[Candidate, str]]:
    line, start = lines[at], label.end()
    dimensions = wanted.dimension.split("|")
    label_unit = _label_unit(line.text, start, dimensions)
    groups = _fitting(grouped(numbers_in(line.text, mark, start)), dimensions)
    if not groups and at + 1 < len(lines) and not re.search(r"[a-z]{4}", lines[at + 1].text, re.I):
        line = lines[at + 1]
        groups = _fitting(grouped(numbers_in(line.text, mark)), dimensions)
    groups = _outside(groups, line.text)
    if not groups:
        return
    # One unit behind the last column stands for all of them.
    behind = next((number.unit for group in reversed(groups) for number in reversed(group) if number.unit), "")
    several = count > 1 and len(groups) == count
    if not several:
        groups = _likely(wanted, groups)
        if line is lines[at]:
            groups[0] = _own_part(wanted, line.text, label, groups[0])
    for column, group in enumerate(groups if several else groups[:1]):
        unit = next((number.unit for number in reversed(group) if number.unit), "")
        if unit and all(number.unit for number in group):
            # "12 kg / 26.5 lb" says one thing twice.
            unit = group[0].unit
            group = [number for number in group if number.unit == unit]
        unit = unit or label_unit or behind
        if wanted.unit_wanted and not unit:
            return
        if kind == "packs" and wanted.dimension == "A" and _FOR_SECONDS.match(line.text, group[-1].end):
            return
        word = line.word_at(group[0].start)
        shown = line.text[group[0].start : group[-1].end].strip()
        for path, value, dimension in _values(wanted, group, unit):
            if _is_count(kind, path) and isinstance(value, float):
                value = round(value)
            yield Candidate(path, value, shown, line.page, word, column if several else None), dimension


def _outside(groups: list[list[_Number]], text: str) -> list[list[_Number]]:
    """Those that stand in no parentheses, where any do."""
    outside = [
        group for group in groups if text.count("(", 0, group[0].start) <= text.count(")", 0, group[0].start)
    ]
    return outside or groups


def _likely(wanted: Wanted, groups: list[list[_Number]]) -> list[list[_Number]]:
    """Of what stands on a line of one model, what has a unit first; of grids one of 230 or 240 V."""
    if wanted.dimension == "":
        return groups
    named = [group for group in groups if any(number.unit for number in group)] or groups
    if wanted.shape == "grid":
        named = [group for group in named if USUAL_GRIDS & {number.value for number in group}] or named
    return list(named)


def _own_part(wanted: Wanted, text: str, label: re.Match[str], group: list[_Number]) -> list[_Number]:
    """Of "A / B  1 / 2" the figure that is the label's own."""
    head = re.sub(r"\([^)]*\)", lambda match: " " * len(match.group()), text[: group[0].start])
    if wanted.shape not in {"one", "each"} or "/" in label.group() or head.count("/") != len(group) - 1:
        return group
    return [group[head[: label.start()].count("/")]]


def _is_count(kind: str, path: str) -> bool:
    return path == INPUTS or plain_type(*field_at(kind, path)) is int


def _fitting(groups: list[list[_Number]], dimensions: list[str]) -> list[list[_Number]]:
    """Groups whose unit, where they have one, is of a dimension wanted."""
    allowed = {*dimensions, "°F"} if "°C" in dimensions else set(dimensions)
    return [
        group
        for group in groups
        if all(not number.unit or UNITS[number.unit][0] in allowed or dimensions == [""] for number in group)
    ]


def _label_unit(text: str, start: int, dimensions: list[str]) -> str:
    for match in _NAMED_UNIT.finditer(text[: start + 24], max(start - 12, 0)):
        unit = match.group(1).strip().lower()
        if unit in UNITS and UNITS[unit][0] in dimensions:
            return unit
    return ""


def _values(wanted: Wanted, group: list[_Number], unit: str) -> Iterator[tuple[str, Any, str]]:
    dimension, factor = UNITS[unit] if unit else (wanted.dimension.partition("|")[0], 0.0)
    numbers = [number.value for number in group]
    if dimension == "°F":
        numbers, factor = [(value - 32.0) / 1.8 for value in numbers], 1.0
    elif not factor:
        # Without a unit: per cent and per cent a degree as always, thousands as the field has them when small.
        factor = 0.01 if dimension == "rel/K" else 1.0
        if wanted.each_unit == 1000.0 and max(numbers) < 100.0:
            factor = 1000.0
    scaled = [round(value * factor / wanted.each_unit, 9) for value in numbers]
    if wanted.shape == "size":
        if len(scaled) >= 2:
            long, short = sorted(scaled, reverse=True)[:2]
            yield wanted.paths[0], long, dimension
            yield wanted.paths[1], short, dimension
    elif wanted.shape == "range":
        if len(scaled) >= 2:
            yield wanted.paths[0], min(scaled[:2]), dimension
            yield wanted.paths[1], max(scaled[:2]), dimension
    elif wanted.shape == "pair":
        yield wanted.paths[0], scaled[0], dimension
        yield wanted.paths[1], scaled[min(1, len(scaled) - 1)], dimension
    elif wanted.shape == "each":
        yield wanted.paths[0], tuple(scaled), dimension
    elif wanted.shape in {"most", "least"}:
        yield wanted.paths[0], max(scaled) if wanted.shape == "most" else min(scaled), dimension
    elif wanted.shape == "grid":
        yield wanted.paths[0], _grid_volts(scaled), dimension
    else:
        yield wanted.paths[0], scaled[0], dimension


def _grid_volts(volts: list[float]) -> float:
    """Of voltages told together a service's: to neutral of three phases, between the legs of split phase."""
    usual = [value for value in volts if value in USUAL_GRIDS]
    if usual or len(volts) == 1:
        return usual[0] if usual else volts[0]
    low, high = sorted(volts[:2])
    return high if 1.9 < high / max(low, 1e-9) < 2.1 else volts[0]


def _words(kind: str, line: Line) -> Iterator[Candidate]:
    seen = set()
    for path, value, pattern in CHOICES[kind]:
        match = re.search(pattern, line.text, re.I)
        if match and path not in seen:
            seen.add(path)
            yield Candidate(path, value, match.group(), line.page, line.word_at(match.start()))


def _relative(pending: list[tuple[int, Candidate, str]], found: dict[str, list[tuple[int, Candidate]]]) -> None:
    """Coefficients in volts, amperes and watts a degree as shares of the rated figure of their column."""
    rated = {"voc_per_c": "open_circuit_v", "vmp_per_c": "max_power_v", "isc_per_c": "short_circuit_a"}
    for rank, candidate, _ in pending:
        base = found.get(rated.get(candidate.path, "power_w"), [])
        likely = {one.column: one for _, one in reversed(base) if candidate.column in (None, one.column)}
        if not likely and base:
            likely = {None: base[0][1]}
        for column, one in likely.items():
            if one.value:
                share = round(candidate.value / one.value, 7)
                relative = replace(candidate, value=share, column=column)
                found.setdefault(candidate.path, []).append((rank, relative))


def _energy(lines: tuple[Line, ...], mark: str, found: dict[str, list[tuple[int, Candidate]]]) -> None:
    """Energy of volts and ampere-hours where no energy is stated, and volts of a cell as those of all its cells."""
    volts: float | None = None
    stated: list[tuple[int, float, Candidate]] = []
    for line in lines:
        label = _NOMINAL_V.search(line.text)
        if label is not None and volts is None:
            volts = next(
                (one.value for one in numbers_in(line.text, mark, label.end()) if one.unit in ("v", "vdc")), None
            )
        label = _CAPACITY.search(line.text)
        if label is None:
            continue
        for one in numbers_in(line.text, mark, label.end()):
            if one.unit == "ah":
                hours = _HOURS.search(line.text)
                shown, word = line.text[one.start : one.end].strip(), line.word_at(one.start)
                at = Candidate("nominal_kwh", one.value, shown, line.page, word)
                stated.append((int(hours.group(1) or hours.group(2)) if hours else 0, one.value, at))
                break
    if volts is None:
        return
    for path in ("absorption_v", "float_v"):
        found[path] = [
            (rank, replace(one, value=round(one.value * volts / CELL_V, 3)) if one.value < CELL_MOST_V else one)
            for rank, one in found.get(path, [])
        ]
        if not found[path]:
            del found[path]
    if not stated or found.get("nominal_kwh"):
        return
    order = {wanted: rank for rank, wanted in enumerate(LIKELY_HOURS)}
    rated, amp_hours, at = min(stated, key=lambda one: order.get(one[0], len(order)))
    kwh, shown = round(volts * amp_hours / 1000.0, 6), f"{volts:g} V × {at.shown}"
    found["nominal_kwh"] = [(0, replace(at, value=kwh, shown=shown))]
    if rated:
        found["rated_hours"] = [(0, replace(at, path="rated_hours", value=float(rated)))]


def _cycles(lines: tuple[Line, ...], mark: str, found: dict[str, list[tuple[int, Candidate]]]) -> None:
    for line in lines:
        if "cycle" not in line.text.lower():
            continue
        deep = _depth(line.text)
        for match in _CYCLES.finditer(line.text) if deep else ():
            cycles = number_of(match.group(1).strip().rstrip(",."), mark)
            if cycles and cycles >= LEAST_CYCLES:
                candidate = Candidate(
                    "cycle_life", ({"depth": deep, "cycles": cycles},), match.group().strip(), line.page,
                    line.word_at(match.start()),
                )  # fmt: skip
                found.setdefault("cycle_life", []).append((0, candidate))
                break


def _depth(text: str) -> float | None:
    """How deep the cycles of a line go: a share that it calls so, else one that is not what is left of the battery."""
    named = sorted(_DEPTH.finditer(text), key=lambda match: match.group(3) is not None)
    return min(float(next(filter(None, named[0].groups()))) / 100.0, 1.0) if named else None


def _header(lines: tuple[Line, ...], count: int, mark: str) -> tuple[Word, ...]:
    """The words that head the columns of models, none where nothing stands over them."""
    for at, line in enumerate(lines):
        groups = grouped(numbers_in(line.text, mark))
        if len(groups) != count or not re.match(r"\D{4}", line.text):
            continue
        middles = [line.word_at(group[0].start).middle for group in groups]
        width = min(b - a for a, b in pairwise(middles)) / 2.0 if count > 1 else 0.0
        for above in reversed(lines[max(at - 6, 0) : at]):
            words = [word for word in above.words if re.search(r"[A-Za-z]", word.text)]
            heads = [_nearest(words, middle, width) for middle in middles]
            named = tuple(head for head in heads if head is not None)
            if len(named) == count and len({word.left for word in named}) == count:
                return named
        return ()
    return ()


def _nearest(words: list[Word], middle: float, width: float) -> Word | None:
    """The word whose centre is nearest to a column's, no farther than its width."""
    near = [word for word in words if abs(word.middle - middle) < width]
    return min(near, key=lambda word: abs(word.middle - middle), default=None)


def _column_names(lines: tuple[Line, ...], count: int, mark: str) -> tuple[str, ...]:
    if count == 1:
        return ()
    heads = _header(lines, count, mark)
    return tuple(word.text for word in heads) or tuple(f"column {n + 1}" for n in range(count))


def _name(sheet: Sheet, count: int, found: dict[str, list[tuple[int, Candidate]]]) -> None:
    """The name of each column of models, else the largest words of the first page."""
    lines = sheet.lines
    if count > 1:
        mark = _decimal_mark(sheet)
        for column, word in enumerate(_header(lines, count, mark)):
            page = next(line.page for line in lines if word in line.words)
            found.setdefault("name", []).append((0, Candidate("name", word.text, word.text, page, word, column)))
    first = [line for line in lines if line.page == 0][:40]
    titled = [line for line in first if re.search(r"[A-Za-z]{3}", line.text) and len(line.text) <= 60]
    if titled:
        best = max(titled, key=lambda line: round(line.words[0].bottom - line.words[0].top, 1))
        text = " ".join(word.text for word in best.words)
        found.setdefault("name", []).append((1, Candidate("name", text, text, 0, best.words[0])))


def parts_found(reading: Reading) -> frozenset[str]:
    """The parts of an inverter of which a sheet states anything of its own."""
    return frozenset(path.partition(".")[0] for path in reading.found if "." in path)


def value_in_field(kind: str, path: str, text: str, mark: str = ".") -> float | None:
    """A number clicked on the page as a field's value, by the unit behind it where it has one.

    Raises
    ------
    KeyError
        When the kind has no such field.
    """
    if path != INPUTS:
        field_at(kind, path)
    numbers = numbers_in(text, mark)
    if not numbers:
        return None
    wanted = next((one for one in FIELDS[kind] if path in one.paths), None)
    if wanted is None:
        return numbers[0].value
    unit = numbers[0].unit
    if unit and UNITS[unit][0] not in wanted.dimension.split("|"):
        unit = ""
    dimension, factor = UNITS[unit] if unit else (wanted.dimension.partition("|")[0], 0.0)
    if not factor:
        factor = 0.01 if dimension == "rel/K" else 1.0
        if wanted.each_unit == 1000.0 and numbers[0].value < 100.0:
            factor = 1000.0
    return round(numbers[0].value * factor / wanted.each_unit, 9)
