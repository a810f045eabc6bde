"""A plan turned into what is written to disk: the JSON document and one table of flows an option."""

from collections.abc import Iterator
from typing import TypeVar

import numpy as np

from calm_relay import __version__
from calm_relay.exchange.plan_document import (
    BackupDocument,
    BoundDocument,
    ChoiceDocument,
    ClippedDocument,
    ControlledLoadDocument,
    CouplingDocument,
    DemandPartDocument,
    Document,
    FaceDocument,
    FadeDocument,
    FindingDocument,
    InverterDocument,
    LeftOutDocument,
    MoneyDocument,
    OffGridDocument,
    OptionDocument,
    PathsDocument,
    PlanDocument,
    RatioLimitDocument,
    RestringDocument,
    RuleDocument,
    StringDocument,
    SurvivalDocument,
    TipDocument,
    YearDocument,
)
from calm_relay.physics.plant.flows import CONVERTER_FLOWS
from calm_relay.planning.architecture.coupling import coupling_facts
from calm_relay.planning.architecture.ratio_limits import ratio_limits
from calm_relay.planning.architecture.restring import restringing_of
from calm_relay.planning.common.cautions import cautions_of
from calm_relay.planning.operation.simulate import loads_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.roof_room import room_of
from calm_relay.planning.strings.limits import COLD
from calm_relay.planning.studies.clipping import clipped_year
from calm_relay.planning.studies.collected import Studies
from calm_relay.planning.studies.foresight import ForesightGap
from calm_relay.planning.studies.load_order import load_years
from calm_relay.planning.studies.off_grid import off_grid_year_of
from calm_relay.planning.studies.survival import Survival
from calm_relay.planning.verdict.option import Option, RefusedOption
from calm_relay.planning.views.roof import FaceShade, face_shades

Read = TypeVar("Read", bound=Document)


def document_of(plan: Plan, studies: Studies | None = None) -> PlanDocument:
    """The plan as its JSON document; bound, fade and tipping points come from its studies."""
    return PlanDocument(
        made_by=f"Calm Relay {__version__}",
        job=plan.job.name,
        weather=plan.site.source,
        assumed_climate=plan.site.assumed,
        demand=plan.demand.source,
        demand_parts=tuple(
            DemandPartDocument(
                name=part.name,
                yearly_kwh=float(part.kw.sum() * plan.site.calendar.step_h),
                planned=part.planned,
                source=part.source,
            )
            for part in plan.demand.parts
        ),
        evening_peak_kw=plan.demand.evening_peak_kw,
        night_kwh=plan.demand.night_kwh,
        worst_season=plan.demand.worst_season,
        faces=tuple(_face(shade) for shade in face_shades(plan)),
        region=plan.job.region,
        rules=tuple(map(RuleDocument.model_validate, plan.rules)),
        step_h=plan.site.calendar.step_h,
        options=tuple(
            _refused(option) if isinstance(option, RefusedOption) else _option(option, plan, studies)
            for option in plan.options
        ),
        choice=ChoiceDocument.model_validate(plan.choice),
        tips=tuple(map(TipDocument.model_validate, studies.tips.tips)) if studies else (),
        cautions=cautions_of(plan.job.supply),
    )


def _refused(option: RefusedOption) -> OptionDocument:
    return OptionDocument(
        key=option.key,
        title=option.title,
        coupling=option.coupling,
        refused=option.refusal.reasons,
        findings=tuple(map(FindingDocument.model_validate, option.findings)),
    )


def _option(option: Option, plan: Plan, studies: Studies | None) -> OptionDocument:
    design, outcome = option.design, option.outcome
    return OptionDocument(
        key=option.key,
        title=option.title,
        coupling=option.coupling,
        inverters=tuple(map(InverterDocument.model_validate, design.converters)),
        year=YearDocument(
            **vars(outcome.figures),
            initial_stored_kwh=float(outcome.year.initial_stored_kwh.sum()),
            final_stored_kwh=float(outcome.year.of("stored")[-1]),
        ),
        controlled_loads=tuple(map(ControlledLoadDocument.model_validate, load_years(plan, outcome.year.loads))),
        money=MoneyDocument(currency=plan.job.tariff.currency, **vars(outcome.money)),
        paths=PathsDocument.model_validate(outcome.paths),
        backup=BackupDocument.model_validate(outcome.backup),
        strings=tuple(_strings(option)),
        left_out=tuple(
            LeftOutDocument(
                inverter=converter.inverter.key, face=item.face.plan.name, modules=item.modules, reason=item.reason
            )
            for converter in design.pv_converters
            for item in converter.stringing.left_out
        ),
        restringing=_read(RestringDocument, restringing_of(option.context, design)),
        clipped=_read(ClippedDocument, clipped_year(plan, option)),
        ratio_limits=_ratio_limits(option),
        findings=tuple(map(FindingDocument.model_validate, option.findings)),
        wall=CouplingDocument.model_validate(coupling_facts(design, plan.job)),
        bound=_read(BoundDocument, studies.foresight.get(option.key) if studies else None),
        fade=_read(FadeDocument, studies.ageing.get(option.key) if studies else None),
        survival=_survival(studies.survival.get(option.key) if studies else None),
        off_grid=_read(OffGridDocument, off_grid_year_of(plan, option)),
        largest_residual_kwh=outcome.year.largest_residual_kwh,
    )


def _read(kind: type[Read], held: object | None) -> Read | None:
    """What the plan holds as a document of a kind; None where there is nothing."""
    return None if held is None else kind.model_validate(held)


def _survival(result: Survival | None) -> SurvivalDocument | None:
    if result is None:
        return None
    lasting = {season: {f"{n} h": share for n, share in own.items()} for season, own in result.lasting.items()}
    return SurvivalDocument(
        mean_h=float(result.hours.mean()),
        worst_h=float(result.hours.min()),
        most_h=result.most_h,
        envelope_h=result.envelope_h,
        lasting=lasting,
    )


def _strings(option: Option) -> Iterator[StringDocument]:
    survey = option.context.survey
    for converter in option.design.pv_converters:
        for run in converter.stringing.runs:
            yield StringDocument(
                inverter=converter.inverter.key,
                input=run.tracker_number,
                face=run.face.plan.name,
                in_series=run.in_series,
                parallel=run.parallel,
                cold_v=run.open_v(survey.temperatures.cold_c),
                cold_limit_v=run.limits(survey.temperatures, survey.site_limit)[COLD].limit_v,
                hot_v=run.working_v(survey.temperatures.hot_c),
                short_circuit_a=run.short_circuit_a,
            )


def _ratio_limits(option: Option) -> tuple[RatioLimitDocument, ...]:
    converter = option.design.pv_converter
    if converter is None or not converter.has_array:
        return ()
    limits = ratio_limits(converter, option.context.job, option.context.survey)
    return tuple(map(RatioLimitDocument.model_validate, limits))


def _face(shade: FaceShade) -> FaceDocument:
    face = shade.face
    room = room_of(face)
    return FaceDocument(
        name=face.plan.name,
        module=face.module.key,
        count=face.plan.count,
        fits=room.count if room else None,
        rated_kwp=face.rated_kw,
        yearly_kwh=face.yearly_kwh,
        horizon_share=max(shade.year, 0.0),
    )


def series_of(option: Option, plan: Plan) -> tuple[dict[str, list[str]], dict[str, list[float]]]:
    """Time stamps (start of step, UTC and local clock) and every flow of an option's year.

    Returns
    -------
    stamps : dict of str to list of str
    columns : dict of str to list of float
        Powers are means of the step [kW]; `stored_kwh` is the level at its end. A column is named after its
        converter's number, from 1, and its flow; `ac_kw` is positive outward. What loads take of its DC bus stands in
        `on_dc_kw` where one hangs there.
    """
    calendar, year = plan.site.calendar, option.outcome.year
    offsets = ((calendar.wall - calendar.utc) // np.timedelta64(60, "s")).astype(int)
    local = [
        f"{stamp}{'-' if offset < 0 else '+'}{abs(offset) // 60:02d}:{abs(offset) % 60:02d}"
        for stamp, offset in zip(calendar.wall.astype(str).tolist(), offsets.tolist(), strict=True)
    ]
    stamps = {"utc": [f"{stamp}Z" for stamp in calendar.utc.astype(str).tolist()], "local": local}
    columns = {f"{name}_kw": year.at_bus(name).tolist() for name in ("home", "import", "export")}
    for number in range(len(year.plant)):
        for flow in CONVERTER_FLOWS:
            unit = "kwh" if flow == "stored" else "kw"
            columns[f"{number + 1}_{flow}_{unit}"] = year.of(flow, number).tolist()
        if any(load.converter == number + 1 for load in year.loads.loads):
            columns[f"{number + 1}_on_dc_kw"] = year.loads.on_dc_kw(number).tolist()
    for number, item in enumerate(loads_of(plan.job, plan.site)):
        columns[f"{item.name}_kw"] = year.loads.kw[number].tolist()
        columns[f"{item.name}_stored_kwh"] = year.loads.stored[number].tolist()
    return stamps, columns


def foresight_series(gap: ForesightGap, plan: Plan) -> tuple[dict[str, list[str]], dict[str, list[float]]]:
    """Hour by hour what the control and perfect foresight buy, export and hold; stamps are the hour's start.

    `dearer` is what the control pays more in the hour, in the job's currency.
    """
    calendar = plan.site.calendar
    per_hour = round(1.0 / calendar.step_h)
    stamps = {
        "utc": [f"{stamp}Z" for stamp in calendar.utc[::per_hour].astype(str).tolist()],
        "local": calendar.wall[::per_hour].astype(str).tolist(),
    }
    columns = {
        "import_kw": gap.imported,
        "best_import_kw": gap.best_imported,
        "export_kw": gap.exported,
        "best_export_kw": gap.best_exported,
        "stored_kwh": gap.stored_kwh,
        "best_stored_kwh": gap.best_stored_kwh,
        "dearer": gap.dearer,
    }
    return stamps, {name: np.asarray(series).tolist() for name, series in columns.items()}
