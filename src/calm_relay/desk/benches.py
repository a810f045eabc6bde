"""Which benches there are, in the order of the line, and how each is made when it is first opened."""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.desk.bench import Bench
from calm_relay.desk.choice_bench import ChoiceBench
from calm_relay.desk.figures_bench import FiguresBench
from calm_relay.desk.station_inputs import home_inputs, sky_inputs, street_inputs


@dataclass(frozen=True)
class Entry:
    """How a bench is made, the key that opens it, and whether the day's ribbon stands under it."""

    make: Callable[[], Bench]
    key: str
    shows_day: bool = True


# The chart library takes long to import and is not needed before a bench with a chart is opened.
def _sky():
    from calm_relay.desk.season_charts import SkyChart

    return FiguresBench("Sky", sky_inputs(), SkyChart())


def _home():
    from calm_relay.desk.season_charts import HomeChart

    return FiguresBench("Home", home_inputs(), HomeChart())


def _roof():
    from calm_relay.desk.roof_bench import RoofBench

    return RoofBench()


def _converter():
    from calm_relay.desk.converter_bench import ConverterBench

    return ConverterBench()


def _store():
    from calm_relay.desk.store_bench import StoreBench

    return StoreBench()


def _notes():
    from calm_relay.desk.notes_bench import NotesBench

    return NotesBench()


BENCHES = {
    "Sky": Entry(_sky, "F2"),
    "Roof": Entry(_roof, "F3"),
    "Strings": Entry(lambda: FiguresBench("Strings"), "F4"),
    "Converter": Entry(_converter, "F5", False),
    "Store": Entry(_store, "F6"),
    "Home": Entry(_home, "F7"),
    "Street": Entry(lambda: FiguresBench("Street", street_inputs()), "F8"),
    "Choice": Entry(ChoiceBench, "F9", False),
    "Notes": Entry(_notes, "F10", False),
}
_BESIDE = {"Battery inverter": "Converter", "Kept inverter": "Converter", "Second store": "Store"}


def make_bench(name: str) -> Bench:
    """A bench by its name."""
    return BENCHES[name].make()


def bench_of(station: str) -> str:
    """The bench that a station of the line opens."""
    return _BESIDE.get(station, station)
