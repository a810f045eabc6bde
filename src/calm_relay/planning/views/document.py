"""A plan turned into what is written to disk: the JSON document and one table of flows an option."""

import numpy as np

from calm_relay import __version__
from calm_relay.exchange.plan_document import (
    BackupDocument,
    BoundDocument,
    ChoiceDocument,
    ClippedDocument,
    CostDocument,
    CouplingDocument,
    DemandPartDocument,
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
    ReasonDocument,
    RestringDocument,
    RuleDocument,
    StageDocument,
    StringDocument,
    SurvivalDocument,
    TipDocument,
    UnitDocument,
    YearDocument,
)
from calm_relay.physics.plant.flows import CONVERTER_FLOWS
from calm_relay.planning.architecture.coupling import coupling_facts
from calm_relay.planning.architecture.ratio_limits import ratio_limits
from calm_relay.planning.architecture.restring import restringing_of
from calm_relay.planning.common.cautions import CAUTIONS
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.site.roof_room import room_of
from calm_relay.planning.studies.clipping import clipped_year
from calm_relay.planning.studies.collected import Studies
from calm_relay.planning.studies.off_grid import off_grid_year_of
from calm_relay.planning.views.roof import face_shades


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
        rules=tuple(
            RuleDocument(
                key=held.rule.key,
                kind=held.rule.kind,
                name=held.rule.name,
                limit=held.limit,
                changed=held.changed,
                authority=held.authority,
            )
            for held in plan.rules
        ),
        step_h=plan.site.calendar.step_h,
        options=tuple(_option(option, plan, studies) for option in plan.options),
        choice=_choice(plan),
        tips=tuple(_tip(tip) for tip in studies.tips.tips) if studies else (),
        cautions=CAUTIONS,
    )


def _option(option: Option, plan, studies):
    design, outcome = option.design, option.outcome
    return OptionDocument(
        key=design.key,
        title=design.title,
        coupling=design.coupling,
        refused=design.refused,
        inverters=tuple(_inverter(converter) for converter in design.converters),
        year=_year(outcome) if outcome else None,
        money=_money(outcome, plan.job) if outcome else None,
        paths=_paths(outcome.paths) if outcome else None,
        backup=BackupDocument(**vars(outcome.backup)) if outcome else None,
        strings=tuple(_strings(option)),
        left_out=tuple(
            LeftOutDocument(
                inverter=converter.inverter.key, face=item.face.plan.name, modules=item.modules, reason=item.reason
            )
            for converter in design.pv_converters
            for item in converter.stringing.left_out
        ),
        restringing=_restringing(option),
        clipped=_clipped(plan, option),
        ratio_limits=_ratio_limits(option),
        findings=tuple(_finding(finding) for finding in option.findings),
        wall=_wall(design) if outcome else None,
        bound=_bound(studies.foresight.get(design.key)) if studies else None,
        fade=_fade(studies.ageing.get(design.key)) if studies else None,
        survival=_survival(studies.survival.get(design.key)) if studies else None,
        off_grid=_off_grid(plan, option),
        largest_residual_kwh=outcome.year.largest_residual_kwh if outcome else None,
    )


def _paths(paths):
    straight, by_battery = (
        tuple(StageDocument(name=stage.name, efficiency=stage.efficiency) for stage in stages)
        for stages in (paths.straight, paths.by_battery)
    )
    return PathsDocument(
        pv_to_home=paths.direct,
        pv_through_battery_to_home=paths.through_battery,
        straight=straight,
        by_battery=by_battery,
    )


def _wall(design):
    facts = coupling_facts(design)
    units = tuple(UnitDocument(name=unit.name, is_new=unit.is_new, fails=unit.fails) for unit in facts.units)
    return CouplingDocument(school=facts.school, units=units, roof_work=facts.roof_work, counted=facts.counted)


def _bound(gap):
    if gap is None:
        return None
    return BoundDocument(
        best_bill=gap.best_bill, foresight_gap=gap.gap, by_month=tuple(gap.by_hour.sum(axis=1).tolist())
    )


def _fade(ageing):
    if ageing is None:
        return None
    return FadeDocument(
        usable_left=tuple(ageing.left.tolist()),
        by_calendar=tuple(ageing.by_calendar.tolist()),
        by_cycles=tuple(ageing.by_cycles.tolist()),
        full_cycles=tuple(ageing.full_cycles.tolist()),
        saving=tuple(ageing.saving.tolist()),
        years_to_70_percent=ageing.years_to_end,
        warranty_ends_year=ageing.warranty.ends_year,
        warranty_ends_by=ageing.warranty.by,
        warranty_promised=ageing.warranty.promised,
        left_when_warranty_ends=ageing.warranty.left_then,
        replaced_after=ageing.replaced_after,
        npv=ageing.npv,
        irr=ageing.irr,
        payback_years=ageing.payback_years,
    )


def _off_grid(plan, option):
    result = off_grid_year_of(plan, option)
    if result is None:
        return None
    return OffGridDocument(**{name: getattr(result, name) for name in OffGridDocument.model_fields})


def _survival(result):
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


def _tip(tip):
    return TipDocument(
        figure=tip.knob.key, today=tip.knob.today, at=tip.at, above=tip.rising, to=tip.to, sentence=tip.sentence
    )


def _strings(option):
    survey = option.context.survey
    for converter in option.design.pv_converters:
        for run in converter.stringing.runs:
            yield StringDocument(
                inverter=converter.inverter.key,
                input=run.tracker_number,
                face=run.face.plan.name,
                in_series=run.in_series,
                parallel=run.parallel,
                cold_v=run.cold_v(survey.temperatures),
                cold_limit_v=run.cold_limit(survey.site_limit)[0],
                hot_v=run.hot_v(survey.temperatures),
                short_circuit_a=run.short_circuit_a,
            )


def _restringing(option):
    result = restringing_of(option.context, option.design) if option.outcome else None
    return (
        RestringDocument(**{**vars(result), "steps": tuple(step.strip() for step in result.steps)})
        if result
        else None
    )


def _clipped(plan, option):
    result = clipped_year(plan, option)
    if result is None:
        return None
    return ClippedDocument(
        without_battery_kwh=result.bare_kwh,
        with_battery_kwh=result.kept_kwh,
        caught_kwh=result.caught_kwh,
        by_month=tuple(result.bare.sum(axis=1).tolist()),
        why=result.why,
    )


def _ratio_limits(option):
    converter = option.design.pv_converter
    if converter is None or not converter.has_array:
        return ()
    limits = ratio_limits(converter, option.context.job, option.context.survey)
    return tuple(
        RatioLimitDocument(ratio_max=limit.ratio_max, owner=limit.owner, authority=limit.authority)
        for limit in limits
    )


def _face(shade):
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


def _inverter(converter):
    return InverterDocument(
        key=converter.inverter.key,
        name=converter.inverter.name,
        kind=converter.inverter.kind,
        ac_kw=converter.inverter.ac_kw,
        array_kwp=converter.array_kw,
        battery_nominal_kwh=converter.bank.nominal_kwh if converter.bank else 0.0,
        battery_usable_kwh=converter.bank.usable_kwh if converter.bank else 0.0,
        is_new=converter.is_new,
    )


def _year(outcome):
    return YearDocument(
        **vars(outcome.figures),
        initial_stored_kwh=float(outcome.year.initial_stored_kwh.sum()),
        final_stored_kwh=float(outcome.year.of("stored")[-1]),
    )


def _money(outcome, job):
    money = outcome.money
    return MoneyDocument(
        currency=job.tariff.currency,
        bill=money.bill,
        outlay=money.outlay,
        lines=tuple(CostDocument(label=line.label, amount=line.amount) for line in money.lines),
        saving=money.saving,
        payback_years=None if np.isinf(money.payback_years) else money.payback_years,
        npv=money.npv,
    )


def _finding(finding):
    return FindingDocument(
        check=finding.check,
        severity=finding.severity.name.lower(),
        station=finding.station,
        field=finding.field,
        sentence=finding.sentence,
        measured=finding.measured,
        limit=finding.limit,
        unit=finding.unit,
        rule=finding.rule,
        mends=tuple(mend.label for mend in finding.mends),
    )


def _choice(plan):
    choice = plan.choice
    return ChoiceDocument(
        key=choice.key,
        close=choice.close,
        sentence=choice.sentence,
        deciding=choice.deciding,
        scores={key: score.total for key, score in choice.scores.items()},
        reasons={
            key: tuple(
                ReasonDocument(speaks_for=reason.speaks_for, purpose=reason.purpose, sentence=reason.sentence)
                for reason in reasons
            )
            for key, reasons in choice.reasons.items()
        },
    )


def series_of(option: Option, plan: Plan) -> tuple[dict[str, list[str]], dict[str, list[float]]]:
    """Time stamps (start of step, UTC and local clock) and every flow of an option's year.

    Returns
    -------
    stamps : dict of str to list of str
    columns : dict of str to list of float
        Powers are means of the step [kW]; `store_kwh` is the level at its end. A column is named after its
        converter's number, from 1, and its flow; `ac_kw` is positive outward.
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
    return stamps, columns


def foresight_series(gap, plan: Plan) -> tuple[dict[str, list[str]], dict[str, list[float]]]:
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
