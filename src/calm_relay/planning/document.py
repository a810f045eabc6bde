"""A plan turned into what is written to disk: the JSON document and one table of flows an option."""

import numpy as np

from calm_relay import __version__
from calm_relay.exchange.plan_document import (
    ChoiceDocument,
    ConverterDocument,
    CostDocument,
    DarkDocument,
    FindingDocument,
    MoneyDocument,
    OptionDocument,
    PathsDocument,
    PlanDocument,
    ReasonDocument,
    YearDocument,
)
from calm_relay.physics.dispatch import CONVERTER_FLOWS
from calm_relay.planning.cautions import CAUTIONS
from calm_relay.planning.plan import Option, Plan


def document_of(plan: Plan) -> PlanDocument:
    """The plan as its JSON document."""
    return PlanDocument(
        made_by=f"Calm Relay {__version__}",
        job=plan.job.name,
        weather=plan.site.source,
        assumed_climate=plan.site.assumed,
        demand=plan.demand.source,
        evening_peak_kw=plan.demand.evening_peak_kw,
        step_h=plan.site.calendar.step_h,
        options=tuple(_option(option, plan) for option in plan.options),
        choice=_choice(plan),
        cautions=CAUTIONS,
    )


def _option(option: Option, plan):
    design, outcome = option.design, option.outcome
    return OptionDocument(
        key=design.key,
        title=design.title,
        coupling=design.coupling,
        refused=design.refused,
        converters=tuple(_converter(box) for box in design.boxes),
        year=_year(outcome) if outcome else None,
        money=_money(outcome, plan.job) if outcome else None,
        paths=PathsDocument(pv_to_home=outcome.paths.direct, pv_through_store_to_home=outcome.paths.through_store)
        if outcome
        else None,
        dark=DarkDocument(**vars(outcome.dark)) if outcome else None,
        findings=tuple(_finding(finding) for finding in option.findings),
        largest_residual_kwh=_largest_residual(outcome.year) if outcome else None,
    )


def _converter(box):
    return ConverterDocument(
        key=box.converter.key,
        name=box.converter.name,
        kind=box.converter.kind,
        ac_kw=box.converter.ac_kw,
        array_kwp=box.array_kw,
        store_nominal_kwh=box.bank.nominal_kwh if box.bank else 0.0,
        store_usable_kwh=box.bank.usable_kwh if box.bank else 0.0,
        is_new=box.is_new,
    )


def _year(outcome):
    return YearDocument(
        **vars(outcome.figures),
        initial_store_kwh=float(outcome.year.initial_store_kwh.sum()),
        final_store_kwh=float(outcome.year.of("store")[-1]),
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
        telling=choice.telling,
        scores={key: score.total for key, score in choice.scores.items()},
        reasons={
            key: tuple(
                ReasonDocument(speaks_for=reason.speaks_for, purpose=reason.purpose, sentence=reason.sentence)
                for reason in reasons
            )
            for key, reasons in choice.reasons.items()
        },
    )


def _largest_residual(year):
    parts = (year.dc_residuals_kwh(), year.store_residuals_kwh(), year.ac_residuals_kwh())
    return max(float(np.abs(part).max()) for part in parts)


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
            unit = "kwh" if flow == "store" else "kw"
            columns[f"{number + 1}_{flow}_{unit}"] = year.of(flow, number).tolist()
    return stamps, columns
