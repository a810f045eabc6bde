"""The inputs that stand on the bench Grid."""

from calm_relay.desk.widgets.field_form import Field, FieldForm


def _of(part, name):
    def get(job):
        return getattr(getattr(job, part), name, None)

    def put(job, value):
        return job.with_(**{part: getattr(job, part).with_(**{name: value})})

    return get, put


def grid_inputs() -> FieldForm:
    """Service, tariff and export limit."""
    return FieldForm(
        (
            Field("Main fuse", "A", 1, 1000, *_of("supply", "main_fuse_a"), 0),
            Field("Export limit", "kW", 0, 1000, *_of("tariff", "export_limit_kw"), 2, True),
            Field("Price a kWh", "", -5, 50, *_of("tariff", "price"), 4, money=True),
            Field("Paid for export a kWh", "", -5, 50, *_of("tariff", "feed_in"), 4, money=True),
            Field("Standing charge a day", "", 0, 1000, *_of("tariff", "standing_per_day"), 4, money=True),
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
            Field("Main switch", "A", 1, 1000, *_of("supply", "main_fuse_a"), 0),
            Field("May go unserved", "%", 0, 100, _unserved, _take_unserved, 2),
        ),
        across=1,
    )


# Rows of a `FormDialog` on `Job.supply`.
SERVICE_ROWS = (
    ("on_grid", "There is a grid connection", "tick"),
    ("meter", "The meter counts", [(name, name) for name in ("sum of phases", "each phase")]),
    ("home_shares", "Demand on phases 1 / 2 / 3, %", "shares"),
    ("single_on", "Single-phase units hang on phase", [(1, "1"), (2, "2"), (3, "3")]),
    ("inverter_limit_kw", "Inverter power this connection may have", ("kW", 0.1, 1000.0, 2, True)),
    (
        "operator_counts",
        "The operator counts",
        [(name, name) for name in ("every inverter", "inverters with PV terminals")],
    ),
)
