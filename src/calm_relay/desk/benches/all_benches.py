"""Which benches there are, in the order of the line, and how each is made when it is first opened."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.choice_bench import ChoiceBench
from calm_relay.job.library import Library


class Day(Enum):
    """When the day's ribbon stands under a bench: always, once a moment is chosen, never."""

    ALWAYS = "always"
    CHOSEN = "chosen"
    NEVER = "never"


@dataclass(frozen=True)
class Entry:
    """How a bench is made, the key that opens it, and when the day's ribbon stands under it."""

    make: Callable[[], Bench]
    key: str
    day: Day = Day.ALWAYS


# The chart library takes long to import and is not needed before a bench with a chart is opened.
def _site():
    from calm_relay.desk.benches.site_bench import SiteBench

    return SiteBench()


def _grid():
    from calm_relay.desk.benches.grid_bench import GridBench

    return GridBench()


def _home():
    from calm_relay.desk.benches.home_bench import HomeBench

    return HomeBench()


def _roof():
    from calm_relay.desk.benches.roof_bench import RoofBench

    return RoofBench()


def _strings():
    from calm_relay.desk.benches.strings_bench import StringsBench

    return StringsBench()


def _inverter():
    from calm_relay.desk.benches.inverter_bench import InverterBench

    return InverterBench()


def _battery():
    from calm_relay.desk.benches.battery_bench import BatteryBench

    return BatteryBench()


def _search():
    from calm_relay.desk.benches.search_bench import SearchBench

    return SearchBench()


def _outage():
    from calm_relay.desk.benches.outage_bench import OutageBench

    return OutageBench()


def _wiring():
    from calm_relay.desk.benches.wiring_bench import WiringBench

    return WiringBench()


def _handover():
    from calm_relay.desk.benches.handover_bench import HandoverBench

    return HandoverBench()


def _money():
    from calm_relay.desk.benches.money_bench import MoneyBench

    return MoneyBench()


def _commissioning():
    from calm_relay.desk.benches.commissioning_bench import CommissioningBench

    return CommissioningBench()


def _logbook():
    from calm_relay.desk.benches.logbook_bench import LogbookBench

    return LogbookBench()


def _book():
    from calm_relay.desk.benches.book_bench import BookBench

    return BookBench()


def _survey():
    from calm_relay.desk.benches.survey_bench import SurveyBench

    return SurveyBench()


def _pinned():
    from calm_relay.desk.benches.pinned_bench import PinnedBench

    return PinnedBench()


def _equipment():
    from calm_relay.desk.benches.equipment_bench import EquipmentBench

    return EquipmentBench()


def _notes():
    from calm_relay.desk.benches.notes_bench import NotesBench

    return NotesBench()


BENCHES = {
    "Site": Entry(_site, "F2", Day.CHOSEN),
    "Roof": Entry(_roof, "F3", Day.CHOSEN),
    "Strings": Entry(_strings, "F4", Day.CHOSEN),
    "Inverter": Entry(_inverter, "F5", Day.NEVER),
    "Battery": Entry(_battery, "F6"),
    "Home": Entry(_home, "F7", Day.CHOSEN),
    "Grid": Entry(_grid, "F8", Day.CHOSEN),
    "Choice": Entry(ChoiceBench, "F9", Day.NEVER),
    "Notes": Entry(_notes, "F10", Day.NEVER),
    "Search": Entry(_search, "F11", Day.NEVER),
    "Outage": Entry(_outage, "F12", Day.NEVER),
    "Wiring": Entry(_wiring, "Ctrl+Shift+W", Day.NEVER),
    "Handover": Entry(_handover, "Ctrl+Shift+H", Day.NEVER),
    "Money": Entry(_money, "Ctrl+Shift+K", Day.NEVER),
    "Commissioning": Entry(_commissioning, "Ctrl+Shift+M", Day.NEVER),
    "Logbook": Entry(_logbook, "Ctrl+Shift+G", Day.NEVER),
    "Book": Entry(_book, "Ctrl+Shift+J", Day.NEVER),
    "Survey": Entry(_survey, "Ctrl+Shift+Y", Day.NEVER),
    "Pinned": Entry(_pinned, "Ctrl+Shift+B", Day.NEVER),
    "Equipment": Entry(_equipment, "Ctrl+Shift+E", Day.NEVER),
}
_BESIDE = {"Battery inverter": "Inverter", "Kept inverter": "Inverter", "Second battery": "Battery"}


def make_bench(name: str, library: Library) -> Bench:
    """A bench by its name, for jobs that draw on a library."""
    bench = BENCHES[name].make()
    bench.library = library
    return bench


def bench_of(station: str) -> str:
    """The bench that a station of the line opens."""
    return _BESIDE.get(station, station)
