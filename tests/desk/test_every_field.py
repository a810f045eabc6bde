"""Whatever a job can hold, the window can edit: every field of every part of a job has a control with a name.

The schema is walked; each part says where its fields are edited, and the controls are looked for in the real window.
"""

from typing import get_args

import pytest
from PySide6.QtWidgets import QWidget

from calm_relay.desk.benches.futures_panel import ROWS as FUTURES_ROWS
from calm_relay.desk.benches.grid_inputs import SERVICE_ROWS
from calm_relay.desk.benches.load_rows import KINDS, fuel_rows
from calm_relay.desk.benches.money_bench import FINANCE_ROWS, LEASE_ROWS, LOAN_ROWS
from calm_relay.desk.benches.rules_panel import FIRST_RULE, OWN_ROWS
from calm_relay.desk.benches.service_panel import changeover_rows, generator_rows, transformer_rows
from calm_relay.desk.benches.wiring_bench import BLOCK_ROWS
from calm_relay.desk.dialogs.backed_up_loads_dialog import BackedUpLoadsDialog
from calm_relay.desk.dialogs.bills_dialog import BillsDialog
from calm_relay.desk.dialogs.conditions_dialog import ConditionsDialog
from calm_relay.desk.dialogs.control_dialog import PLACE_ROWS, ControlDialog
from calm_relay.desk.dialogs.costs_dialog import CostsDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.dialogs.item_form import ItemForm
from calm_relay.desk.dialogs.meter_dialog import MeterDialog
from calm_relay.desk.dialogs.months_dialog import MonthsDialog
from calm_relay.desk.dialogs.snow_dialog import SnowDialog
from calm_relay.desk.dialogs.switch_dialog import SwitchDialog
from calm_relay.desk.dialogs.tariff_dialog import TariffDialog
from calm_relay.desk.dialogs.wire_figures_dialog import WireFiguresDialog
from calm_relay.job import (
    backup_board,
    commissioning,
    control,
    demand,
    equipment,
    existing_supply,
    finance,
    model,
    own_figures,
    survey,
    tariff,
    uncertainty,
    wiring,
)
from calm_relay.job.base import Model
from calm_relay.job.model import Job

# What nobody types, and why.
INTERNAL = {
    (Job, "format"): "says what the file is",
    (Job, "schema_version"): "says what the file is",
    (Job, "wanted"): "answered by the questions of a job that is begun",
    (Job, "assumed"): "marks; confirmed in the margin, lifted by an edit",
    (model.WeatherFile, "kind"): "follows from the source that is chosen",
    (model.ClimatePreset, "kind"): "follows from the source that is chosen",
    (model.MonthlyWeather, "kind"): "follows from the source that is chosen",
    (model.MonthlyWeather, "seed"): "the made year's number of the bench Site",
    (demand.ShapedDemand, "kind"): "follows from shape, bills or meter",
    (demand.MeteredDemand, "kind"): "follows from shape, bills or meter",
    (model.Purpose, "kind"): "each purpose is a slider of its own",
    (model.Pin, "option"): "of the option that was in view when it was pinned",
    (wiring.Route, "key"): "of the cable that was in hand",
    (wiring.PartPlace, "key"): "of the part that was dragged",
    (wiring.Label, "key"): "of the words that were dragged",
    (survey.RuleChange, "rule"): "of the rule whose limit was changed",
    (commissioning.FaceLight, "face"): "of the row of the dialog",
    (commissioning.TypedReading, "key"): "of the row of the sheet",
    (commissioning.TestRecord, "key"): "of the row of the test",
    (commissioning.SerialNumber, "part"): "of the row of the part",
    (commissioning.KeyedValue, "name"): "of the row of the setting",
    (commissioning.CtMoment, "kind"): "of the card of the moment",
}
EQUIPMENT = (
    equipment.Catalogue, equipment.Module, equipment.Inverter, equipment.PvInput, equipment.Tracker,
    equipment.BatteryPort, equipment.Backup, equipment.Optimiser, equipment.Microinverter, equipment.Pack,
    equipment.CyclePoint,
)  # fmt: skip


def parts(annotation):
    """Models inside an annotation."""
    if isinstance(annotation, type) and issubclass(annotation, Model):
        return [annotation]
    return [found for inner in get_args(annotation) for found in parts(inner)]


def walked(kind, seen=None):
    """Every model that a job is made of, equipment aside."""
    seen = {} if seen is None else seen
    if kind in seen or kind in EQUIPMENT:
        return seen
    seen[kind] = [name for name, field in kind.model_fields.items() if not parts(field.annotation)]
    for field in kind.model_fields.values():
        for inner in parts(field.annotation):
            walked(inner, seen)
    return seen


@pytest.fixture
def controls(window, qtbot, settled, tmp_path):
    """Where each field of each model is edited."""
    job = window.session.job
    kept = []

    def rows_of(form, rows):
        """Fields of a `FormDialog` on a model."""
        kept.append(FormDialog("A form", form, rows))
        return dict(kept[-1].fields)

    found = {}

    def add(kind, fields):
        found.setdefault(kind, {}).update(fields)

    def bench(name):
        window.open_bench(name)
        return window.bench

    notes = bench("Notes")
    add(Job, {
        "name": notes.name, "customer": notes.customer, "notes": notes.notes, "state": notes.state,
        "follow_up": notes.follow_up,
    })  # fmt: skip
    add(
        survey.Attachment,
        {"path": notes.photos.add, "caption": notes.photos.caption, "station": notes.photos.station},
    )
    site = bench("Site")
    editors = site.inputs.editors
    add(model.Site, {
        "place": site.place.line, "latitude": editors["Latitude"], "longitude": editors["Longitude"],
        "elevation_m": editors["Elevation"], "time_zone": site.zone, "year": editors["Calendar year"],
        "coldest_c": editors["Coldest cell"], "hottest_c": editors["Hottest air"],
    })  # fmt: skip
    add(model.WeatherFile, {
        "path": site.source, "shift_h": editors["Stamps later by"], "year": editors["Year of the file, no."],
    })  # fmt: skip
    add(model.ClimatePreset, {"climate": site.source, "seed": editors["Made year, no."]})
    months = MonthsDialog(model.MonthlyWeather(ghi_kwh_per_day=(4.0,) * 12, temp_c=(10.0,) * 12))
    add(model.MonthlyWeather, {
        "ghi_kwh_per_day": months.light[0], "temp_c": months.air[0], "origin": months.origin, **months.yearly,
    })  # fmt: skip
    snow = SnowDialog(None)
    add(survey.Snow, {"fall_cm": snow.fall[0], "days": snow.days[0], **snow.yearly})
    roof = bench("Roof")
    add(survey.HorizonPoint, {"azimuth": roof.draw, "elevation": roof.draw})
    add(model.RoofFace, {name: field for (number, name), field in roof.fields.items() if number == 0})
    add(model.RoofFace, {
        "strings": roof.today.strings, "age_years": roof.today.age, "mounting": roof.today.mounting,
        "covering": roof.today.covering, "electronics": roof.today.electronics, "wired_to": roof.today.unit,
        "phase": roof.today.phase,
    })  # fmt: skip
    add(survey.Rectangle, {**roof.layout_.fields, "layout": roof.layout_.layout_choice})
    losses = [(name, name, "percent") for name in model.ArrayLosses.model_fields]
    add(model.ArrayLosses, rows_of(job.losses, losses))
    strings = bench("Strings")
    add(Job, {"fuse_school": strings.school})
    add(survey.StringPlan, {"inverter": strings.ladders, "unit": strings.unit})
    add(survey.PlannedString, dict.fromkeys(survey.PlannedString.model_fields, strings.ladders))
    wall = bench("Inverter").wall
    add(survey.ExistingInverter, {
        "name": wall.inverters.name, "inverter": wall.inverters.kind, "age_years": wall.inverters.age,
        "fate": wall.inverters.fate, "works_cost": wall.inverters.cost, "phase": wall.inverters.phase,
    })  # fmt: skip
    add(wiring.ExistingCircuit, rows_of(wiring.ExistingCircuit(), wall.inverters.circuit_rows()))
    held = ControlDialog(job)
    add(survey.ExistingBattery, {
        "name": wall.batteries.name, "pack": wall.batteries.kind, "count": wall.batteries.count,
        "inverter": wall.batteries.carrier, "wired_to": wall.batteries.carrier, "age_years": wall.batteries.age,
        "health": wall.batteries.health, "fate": wall.batteries.fate, "reserve": wall.batteries.reserve,
        "waits": wall.batteries.order, "measured_kwh": wall.batteries.measured, "works_cost": wall.batteries.cost,
        "phase": wall.batteries.phase,
    })  # fmt: skip
    add(model.PlannedBattery, dict(window.bench.units))
    panel = bench("Battery").panel
    add(model.PlannedBattery, {
        "pack": panel.pack, "count": panel.count, "reserve": panel.reserve, "units": panel.units,
        "stacks": panel.stacks,
        "expansions": panel.expansions, "waits": held.order,
    })  # fmt: skip
    add(control.GridCharge, {
        "start": panel.start, "end": panel.end, "target": panel.target, "limit_kw": panel.limit,
    })  # fmt: skip
    add(survey.BatteryPlace, rows_of(job.battery_place, PLACE_ROWS))
    order = bench("Home").controlled.order
    add(control.Control, {"shave_above_kw": held.shave, "import_bias_w": held.bias, "surplus_order": order})
    priced = held.by_price
    add(control.PriceCharge, {
        "hours": priced.hours, "target": priced.target, "limit_kw": priced.limit, "least_gain": priced.gain,
        "months": priced.months,
    })  # fmt: skip
    for rows, kind in (
        (held.give, control.Window), (held.export, control.ExportWindow), (held.clock_charge, control.ClockWindow),
        (held.delay, control.DelayWindow),
    ):  # fmt: skip
        rows._append(rows._first)
        _, start, end, extras = rows.rows[0]
        add(kind, {"start": start, "end": end, **extras})
    home = bench("Home")
    add(demand.ShapedDemand, {
        "yearly_kwh": home.inputs.editors["A year, kWh"], "winter_factor": home.inputs.editors["Midwinter over mean"],
        "seed": home.inputs.editors["Made days, no."], "shape": home.shape, "counts": home.counts,
    })  # fmt: skip
    for title, first, rows in KINDS.values():
        assert title
        load = first(window.session.job.supply)
        add(type(load), rows_of(load, rows))
    fuel = demand.FuelToday()
    add(demand.FuelToday, rows_of(fuel, fuel_rows((fuel.fuel,))))
    cop = found[demand.HeatPump]["cop"]
    add(demand.CopPoint, {"outdoor_c": cop, "cop": cop})
    bills = BillsDialog((), 2026)
    add(
        demand.Bill if hasattr(demand, "Bill") else survey.Bill,
        dict.fromkeys(("first", "last", "kwh", "sent_kwh", "made_kwh"), bills.table),
    )
    meter = MeterDialog(demand.MeteredDemand(path="none.csv", counts="net"), tmp_path, "Europe/Dublin")
    qtbot.addWidget(meter)
    add(survey.MeterReading, meter.fields)
    add(demand.MeteredDemand, {
        "path": home.meter, "counts": meter.counts, "export_path": meter.export_file,
        "production_path": meter.production_file,
    })  # fmt: skip
    board = BackedUpLoadsDialog(job, window.session.library)
    row = board.rows[0]
    add(backup_board.Circuit, {
        "name": row.name, "breaker_a": row.breaker, "leg": row.leg, "house_share": row.share, "loads": row.loads,
        "role": row.role, "shed_below": row.below, "priority": row.priority, "soft_start": row.soft,
        "nameplate_kva": row.nameplate, "counts_as": row.counts,
    })  # fmt: skip
    add(backup_board.BackupBoard, {
        "floor_m2": board.floor, "dwelling": board.dwelling, "small_circuits": board.small,
        "heating_parts": board.heating,
    })  # fmt: skip
    add(existing_supply.Generator, rows_of(existing_supply.Generator(kw=5.0), generator_rows(job)))
    add(existing_supply.ExistingChangeover, rows_of(existing_supply.ExistingChangeover(), changeover_rows(job)))
    add(
        existing_supply.ExistingTransformers,
        rows_of(existing_supply.ExistingTransformers(), transformer_rows(job)),
    )
    grid = bench("Grid")
    add(Job, {"region": grid.rules.region})
    add(model.Supply, {**rows_of(job.supply, SERVICE_ROWS), "main_fuse_a": grid.inputs.editors["Main fuse"]})
    add(model.OffGrid, {"unmet_max": grid.off_grid_rows.editors["May go unserved"]})
    limit = next(iter(grid.rules.limits))
    grid.rules._on_limit(next(r for r in grid.rules._packs[job.region].rules if r.key == limit), 3.21)
    settled(window)
    add(survey.RuleChange, {"limit": grid.rules.limits[limit], "why": grid.rules.why[limit]})
    add(tariff.RatioRule, rows_of(FIRST_RULE, OWN_ROWS))
    priced = TariffDialog(job.tariff)
    line = priced.import_rows.rows[0][1]
    add(tariff.Tariff, {
        **priced.fields, "name": priced.name, "currency": priced.currency, "stored_export": priced.stored,
        "tax": priced.tax, "credit": priced.credit, "carried": priced.carried, "rest_paid": priced.rest,
        "export_limit_kw": grid.inputs.editors["Export limit"],
    })  # fmt: skip
    add(tariff.RateWindow, line)
    hourly = priced.hourly
    read = dict.fromkeys(("origin", "days", "prices"), hourly.read)
    add(tariff.HourlyPrices, {**read, "export_share": hourly.share})
    add(tariff.Tier, dict.fromkeys(tariff.Tier.model_fields, priced.tiers))
    add(tariff.DemandCharge, {
        "price_per_kw": priced.power, "minutes": priced.minutes, "start": priced.power_from,
        "end": priced.power_until, "days": priced.power_days,
    })  # fmt: skip
    purposes = bench("Choice").purposes
    add(Job, {"outage_hours": purposes.hours})
    add(model.Purpose, {"weight": next(iter(purposes.sliders.values()))})
    lines = list(purposes.must_haves.editors.values())
    add(model.MustHaves, dict(zip(model.MustHaves.model_fields, lines, strict=True)))
    costs = CostsDialog(job.costs, "€", None, lambda _: True)
    costs.incentives.append(None)
    add(tariff.Costs, costs.fields)
    add(tariff.Incentive, costs.incentives.rows[0][1])
    wires = bench("Wiring")
    add(wiring.Route, {**wires.route.fields, "measured": wires.route.measured})
    add(wiring.Label, {"dx": wires.drawing, "dy": wires.drawing})
    add(wiring.PartPlace, {"east_m": wires.site, "north_m": wires.site})
    add(wiring.Wiring, {**rows_of(job.wiring, BLOCK_ROWS), "own_figures": wires.figures})
    entered = WireFiguresDialog(None, wires.library.wires["iec"], None, lambda _: True)
    add(own_figures.OwnFigures, {"tables": wires.figures, "source": entered.source})
    add(own_figures.OwnCapacity, {**entered.choices, "reference_c": entered.reference, "clause": entered.clause})
    add(own_figures.SizeAmps, dict.fromkeys(("size", "amps"), next(iter(entered.amps.values()))))
    add(own_figures.OwnAmbient, dict.fromkeys(("insulation", "buried"), entered.choices["insulation"]))
    add(own_figures.AtTemperature, dict.fromkeys(("at_c", "factor"), next(iter(entered.ambient.values()))))
    add(own_figures.AsGrouped, dict.fromkeys(("circuits", "factor"), next(iter(entered.grouping.values()))))
    money = bench("Money")
    add(finance.Finance, rows_of(job.finance, FINANCE_ROWS))
    add(finance.Loan, rows_of(job.finance.loan, LOAN_ROWS))
    switch = SwitchDialog(None, (job.tariff,), job.tariff.currency)
    add(finance.Finance, {"switch": money.switch})
    add(finance.TariffSwitch, {"after": switch.after, "tariff": switch.tariff})
    add(finance.Lease, rows_of(job.finance.lease, LEASE_ROWS))
    add(uncertainty.Uncertainty, rows_of(job.uncertainty, FUTURES_ROWS))
    assert money.sure.ranges.isEnabled()
    assert money.finance.isEnabled() and money.loan.isEnabled() and money.lease.isEnabled()
    bench("Commissioning")
    commissioned = window.bench
    add(commissioning.Commissioning, {
        "option": commissioned.built, "by": commissioned.record.by, "keyed": commissioned.record.settings,
        "keyed_other": commissioned.record.settings,
        "open_points": commissioned.record.open_points,
    })  # fmt: skip
    asked = ConditionsDialog(job.commissioning.conditions, [face.name for face in job.faces])
    add(commissioning.Conditions, {
        "on": asked.day, "at": asked.time, "clouds": asked.clouds, "air_c": asked.air,
    })  # fmt: skip
    first = next(iter(asked.light))
    add(commissioning.FaceLight, dict(zip(("irradiance", "cell_c"), asked.light[first], strict=True)))
    add(commissioning.KeyedValue, {"value": commissioned.record.settings})
    add(commissioning.TypedReading, {"value": commissioned.readings.table})
    commissioned.tabs.choose("tests")
    add(commissioning.TestRecord, {
        "result": commissioned.tests.results["transfer"], "note": commissioned.tests.notes["transfer"],
    })  # fmt: skip
    commissioned.tabs.choose("record")
    add(commissioning.Instrument, dict.fromkeys(
        commissioning.Instrument.model_fields, commissioned.record.instruments
    ))  # fmt: skip
    add(commissioning.SerialNumber, {"serial": commissioned.record.serials})
    commissioned.tabs.choose("ct")
    add(commissioning.CtMoment, {
        name: commissioned.ct.fields["load only", name, 0] for name in ("load", "pv", "charge", "shown")
    })  # fmt: skip
    live = commissioned.live
    add(commissioning.FieldDevice, {"address": live.address, "unit": live.unit, "part": live.part})
    kept.append(asked)
    pinned = bench("Pinned")
    pinned.pin_view()
    settled(window)
    add(model.Pin, {"name": pinned.names[0]})
    kept += [months, held, bills, board, priced, costs]
    yield found
    meter.reject()
    for made in kept:
        made.deleteLater()


def test_every_field_of_a_job_has_a_control_with_a_name(controls):
    missing, nameless = [], []
    for kind, names in walked(Job).items():
        for name in names:
            if (kind, name) in INTERNAL:
                continue
            widget = controls.get(kind, {}).get(name)
            if widget is None:
                missing.append(f"{kind.__name__}.{name}")
            elif not (widget.accessibleName() or getattr(widget, "text", str)()):
                nameless.append(f"{kind.__name__}.{name}")
            else:
                assert isinstance(widget, QWidget)
    assert missing == []
    assert nameless == []


def test_what_stands_as_internal_is_there_and_has_a_reason():
    known = walked(Job)
    for (kind, name), reason in INTERNAL.items():
        assert name in known[kind]
        assert reason


def test_every_field_of_equipment_has_its_row_in_the_form(dressed):
    """Equipment is edited by one form that is made from the models: none of their fields is left out."""
    from calm_relay.planning.equipment.draft import MODELS

    for kind, made in MODELS.items():
        form = ItemForm(kind)
        shown = {path.rpartition(".")[2] for path in form.fields}
        for name, field in made.model_fields.items():
            inner = [one for one in parts(field.annotation) if one is not equipment.CyclePoint]
            wanted = {name} if not inner else {leaf for one in inner for leaf in one.model_fields} - {"trackers"}
            assert wanted - {"key"} <= shown, (kind, name)
        assert all(field.accessibleName() for field in form.fields.values())


def test_the_walk_sees_through_unions_and_lists():
    assert parts(tuple[tariff.Tier, ...] | None) == [tariff.Tier]
    assert len(walked(Job)) > 30
