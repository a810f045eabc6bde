"""Time stamps as meter files write them, and local clock time turned into UTC."""

import re
import unicodedata
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

# How the names of the months begin in English, German, French, Spanish, Italian, Portuguese, Dutch, Polish and the
# Nordic languages, without accents.
_STEMS = (
    "jan ene gen sty", "feb fev lut", "mar mrt mae maa", "apr avr abr kwi", "may mai mei maj mag", "jun juin giu cze",
    "jul juil lug lip", "aug aou ago sie", "sep set wrz", "oct okt ott out paz", "nov lis", "dec dez dic des gru",
)  # fmt: skip
_MONTHS = {stem: number for number, stems in enumerate(_STEMS, 1) for stem in stems.split()}
# Characters of a span with seconds and its zone twice, and of one that is told as briefly as can be.
LONGEST, SHORTEST_SPAN = 64, 24
_WORD = r"[^\W\d_]{3,10}"
_CLOCK = (
    r"(?:[T ]+(?P<hour>\d{1,2})[:.h](?P<minute>\d{2})(?:[:.](?P<second>\d{2})(?:[.,]\d+)?)?"
    r"\s*(?P<half>[AaPp]\.?[Mm]\.?)?\s*(?P<zone>Z|UTC|[+-]\d{2}:?\d{2}|[A-Z]{2,5})?)?"
)
_WEEKDAY = re.compile(r"(?:mon|tue|wed|thu|fri|sat|sun)[a-z]*\.?,?\s+", re.I)
# "00:00 - 00:30" begins at the first of them.
_UNTIL = r"\s*(?:-|–|to)\s*\d{1,2}[:.h]\d{2}(?:[:.]\d{2})?\s*(?:[AaPp]\.?[Mm]\.?)?"
_YEAR_FIRST = re.compile(r"(?P<year>\d{4})[-/.](?P<a>\d{1,2})[-/.](?P<b>\d{1,2})" + _CLOCK)
_BETWEEN = r"(?:[-/. ]{1,2}|\s+de\s+)"
_YEAR_LAST = re.compile(
    rf"(?P<a>\d{{1,2}}){_BETWEEN}(?P<b>\d{{1,2}}|{_WORD}){_BETWEEN}(?P<year>\d{{4}}|\d{{2}}){_CLOCK}"
)
_MONTH_FIRST = re.compile(rf"(?P<b>{_WORD})\.?[- ]+(?P<a>\d{{1,2}}),?[- ]+(?P<year>\d{{4}}){_CLOCK}")
_PLAIN = re.compile(
    r"(?P<year>\d{4})(?P<a>\d{2})(?P<b>\d{2})(?:[T :]?(?P<hour>\d{2})(?P<minute>\d{2})(?P<second>\d{2})?)?"
)
# "00 - 01" is the first hour of a day.
_HOURS = re.compile(r"(\d{1,2})\s*h?\s*[-–]\s*(\d{1,2})\s*h?")
_ZONE_BEHIND = re.compile(r"\s*\(([A-Z]{2,5})\)")
_SPAN = re.compile(r"\s+(?:-|–|to)\s+")
_TIME = re.compile(rf"(\d{{1,2}})[:.h](\d{{2}})(?:[:.]\d{{2}})?\s*([AaPp]\.?[Mm]\.?)?(?:{_UNTIL})?")


@dataclass(frozen=True)
class Stamp:
    """A stamp's parts before day and month are told apart; `minute` after midnight, None for a date alone."""

    year: int
    a: int
    b: int
    year_first: bool
    named_month: bool
    minute: int | None
    offset_minutes: int | None

    def when(self, day_first: bool) -> datetime:
        """Naive time; 24:00 is the next day's midnight.

        Raises
        ------
        ValueError
            When there is no such day.
        """
        if self.year_first or not (day_first or self.named_month):
            month, day = self.a, self.b
        else:
            day, month = self.a, self.b
        return datetime(self.year, month, day) + timedelta(minutes=self.minute or 0)


def read_stamp(text: str) -> Stamp | None:
    """A stamp's parts, of a span with times those of its beginning; None when it is none this reader knows."""
    text = text.strip().strip('"')
    if not 6 <= len(text) <= LONGEST:
        return None
    if "(" in text:
        text = _ZONE_BEHIND.sub(lambda zone: "Z" if zone[1] in {"UTC", "GMT"} else "", text)
    parts = _SPAN.split(text) if len(text) >= SHORTEST_SPAN else ()
    if len(parts) == 2:
        first, last = (_one_stamp(part) for part in parts)
        if first is not None and last is not None and None not in (first.minute, last.minute):
            return first
    return _one_stamp(text)


def _one_stamp(text: str) -> Stamp | None:
    if text[0].isalpha():
        text = _WEEKDAY.sub("", text, count=1)
    match = _YEAR_FIRST.fullmatch(text)
    year_first = match is not None
    match = match or _YEAR_LAST.fullmatch(text) or _MONTH_FIRST.fullmatch(text)
    if match is None:
        match = _PLAIN.fullmatch(text)
        year_first = match is not None
        if match is None or not 1990 <= int(match["year"]) <= 2100:
            return None
    parts = match.groupdict()
    named = not parts["b"].isdecimal()
    month = month_of(parts["b"]) if named else int(parts["b"])
    if month is None:
        return None
    year = int(parts["year"])
    year += 2000 if len(parts["year"]) == 2 else 0
    if not 1990 <= year <= 2100:
        return None
    minute = None
    if parts["hour"] is not None:
        minute = _minute(int(parts["hour"]), int(parts["minute"]), parts.get("half"))
        if minute is None:
            return None
    if not (1 <= int(parts["a"]) <= 31 and 1 <= month <= 31):
        return None
    return Stamp(year, int(parts["a"]), month, year_first, named, minute, _offset(parts.get("zone")))


def month_of(word: str) -> int | None:
    """Number of a month from 1, by its name or the beginning of it in one of some languages; None when it is none."""
    plain = "".join(c for c in unicodedata.normalize("NFD", word.lower()) if not unicodedata.combining(c))
    return _MONTHS.get(plain[:4], _MONTHS.get(plain[:3]))


def read_time(text: str) -> int | None:
    """Minutes after midnight of a time alone, such as 17:30, 5:30 PM or the hour 17 - 18; None when it is none."""
    text = text.strip().strip('"')
    if len(text) > LONGEST:
        return None
    hours = _HOURS.fullmatch(text)
    if hours is not None:
        first, last = int(hours[1]), int(hours[2])
        return first * 60 if first < 24 and (last - first) % 24 == 1 and last <= 24 else None
    match = _TIME.fullmatch(text)
    return _minute(int(match[1]), int(match[2]), match[3]) if match else None


def _minute(hour: int, minute: int, half: str | None) -> int | None:
    if half:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if half.lower().startswith("p") else 0)
    return hour * 60 + minute if minute < 60 and hour * 60 + minute <= 1440 else None


def _offset(zone: str | None) -> int | None:
    # Names of zones such as MST say no more than the place's clock, but for the one without seasons.
    if zone is None or (zone.isalpha() and zone not in {"Z", "UTC"}):
        return None
    if zone.isalpha():
        return 0
    minutes = int(zone[1:3]) * 60 + int(zone[-2:])
    return -minutes if zone[0] == "-" else minutes


def local_to_utc(wall: np.ndarray, time_zone: str) -> np.ndarray:
    """Local clock times in the order of a file as UTC; of a repeated hour the first pass counts first.

    Parameters
    ----------
    wall : ndarray of datetime64[s]
        Wall clock, without zone.
    time_zone : str
        IANA name.

    Returns
    -------
    ndarray of datetime64[s]
    """
    zone = ZoneInfo(time_zone)
    hours, place = np.unique(wall.astype("datetime64[h]"), return_inverse=True)
    moments = [datetime.fromtimestamp(int(h), UTC).replace(tzinfo=None) for h in hours.astype("M8[s]").astype(int)]
    first, second = (
        np.array([_utc_offset_s(moment, zone, fold) for moment in moments], dtype=int) for fold in (0, 1)
    )
    _, seen_at = np.unique(wall, return_index=True)
    again = np.ones(wall.size, dtype=bool)
    again[seen_at] = False
    offsets = np.where(again, second[place], first[place])
    return wall - offsets.astype("timedelta64[s]")


def _utc_offset_s(moment: datetime, zone: ZoneInfo, fold: int) -> int:
    return round((moment.replace(tzinfo=zone, fold=fold).utcoffset() or timedelta()).total_seconds())


def skipped_hours(time_zone: str, first: datetime, last: datetime) -> tuple[list[datetime], list[datetime]]:
    """Local hours that daylight saving leaves out and repeats between two naive times: two lists of datetime."""
    zone = ZoneInfo(time_zone)
    left_out: list[datetime] = []
    repeated: list[datetime] = []
    moment = first.replace(minute=0, second=0, microsecond=0)
    while moment <= last and len(left_out) + len(repeated) < 40:
        early, late = (_utc_offset_s(moment, zone, fold) for fold in (0, 1))
        if early < late:
            left_out.append(moment)
        elif early > late:
            repeated.append(moment)
        moment += timedelta(hours=1)
    return left_out, repeated
