"""The inputs that stand on the bench Grid."""

from calm_relay.desk.widgets.field_form import Field, FieldForm, field_of
from calm_relay.job.field_range import range_of
from calm_relay.job.model import OffGrid, Supply
from calm_relay.job.tariff import Tariff


def grid_inputs() -> FieldForm:
    """Service, tariff and export limit."""
    return FieldForm(
        (
            field_of("Main fuse", "A", "supply", Supply, "main_fuse_a", 0),
            field_of("Export limit", "kW", "tariff", Tariff, "export_limit_kw"),
            field_of("Price a kWh", "", "tariff", Tariff, "price", 4, money=True),
            field_of("Paid for export a kWh", "", "tariff", Tariff, "feed_in", 4, money=True),
            field_of("Standing charge a day", "", "tariff", Tariff, "standing_per_day", 4, money=True),
        ),
        across=1,
    )


def _unserved(job):
    return job.off_grid.unmet_max * 100.0


def _take_unserved(job, value):
    return job.with_(off_grid=job.off_grid.with_(unmet_max=round(value / 100.0, 9)))


def off_grid_inputs() -> FieldForm:
    """Main switch, and what a year may leave unserved."""
    return FieldForm(
        (
            field_of("Main switch", "A", "supply", Supply, "main_fuse_a", 0),
            Field("May go unserved", "%", range_of(OffGrid, "unmet_max").times(100), _unserved, _take_unserved),
        ),
        across=1,
    )


# Rows of a `FormDialog` on `Job.supply`.
SERVICE_ROWS = (
    (
        "phases",
        "Phases",
        [
            ("single", "one"),
            ("split", "split phase, 120/240 V"),
            ("three", "three"),
            ("three-wire", "three without neutral"),
        ],
    ),
    ("volts", "Voltage, phase to neutral; between phases without one", ("V", 0)),
    ("hertz", "Frequency", [(None, "as the region's grid code"), (50, "50 Hz"), (60, "60 Hz")]),
    ("on_grid", "There is a grid connection", "tick"),
    ("meter", "The meter counts", [(name, name) for name in ("sum of phases", "each phase")]),
    ("home_shares", "Demand on phases 1 / 2 / 3, %", "shares"),
    ("single_on", "Single-phase units hang on phase", [(1, "1"), (2, "2"), (3, "3")]),
    ("inverter_limit_kw", "Inverter power this connection may have", ("kW", 2)),
    ("busbar_a", "Busbar of the main board", ("A", 0)),
    ("short_circuit_ka", "Short-circuit current at it, as measured or told", ("kA", 1)),
    (
        "operator_counts",
        "The operator counts",
        [(name, name) for name in ("every inverter", "inverters with PV terminals")],
    ),
)


def service_rows(supply: Supply) -> tuple:
    """The same on a service, whose phases have their own names where there is no neutral."""
    names = supply.circuit.short
    if supply.circuit.has_neutral:
        return SERVICE_ROWS
    other = {
        "home_shares": ("home_shares", f"Demand on {' / '.join(names)}, %", "shares"),
        "single_on": ("single_on", "Single-phase units hang between", list(enumerate(names, 1))),
    }
    return tuple(other.get(row[0], row) for row in SERVICE_ROWS)
