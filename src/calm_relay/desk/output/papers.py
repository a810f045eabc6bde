"""The papers of a plan that was chosen: offer, materials, settings, work order, application, diagram.

All are drawn from one option of one plan, so that none can contradict another.
"""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from html import escape
from pathlib import Path

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage

from calm_relay import __version__
from calm_relay.desk.charts.offer_pictures import (
    BILLS_HIGH,
    DAY_HIGH,
    WIDE,
    YEARS_HIGH,
    paint_bills,
    paint_day,
    paint_served,
    paint_years,
)
from calm_relay.desk.energy_path.path_picture import HEIGHT_PLAIN, HEIGHT_PLAIN_FLAT, LinePicture
from calm_relay.desk.output.diagram_file import paper_for, write_diagram
from calm_relay.desk.output.pages import Pages, paper_of, pdf_of
from calm_relay.desk.widgets.theme import LIGHT
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.firm import Firm, logo_bytes
from calm_relay.exchange.table_file import write_tables
from calm_relay.planning.common.amounts import about_years, amount_text, to_three_figures
from calm_relay.planning.common.cautions import cautions_of
from calm_relay.planning.handover.application import CAUTION as APPLICATION_CAUTION
from calm_relay.planning.handover.application import application_of, application_rows
from calm_relay.planning.handover.materials import GROUPS, labels_of, material_rows, materials_of
from calm_relay.planning.handover.offer import Offer, offer_of
from calm_relay.planning.handover.settings_sheet import setting_rows, settings_of
from calm_relay.planning.handover.work_order import step_rows, steps_of
from calm_relay.planning.operation.fuel import share_away
from calm_relay.planning.studies.futures import Future, future_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.figures import home_kwh
from calm_relay.planning.views.wiring_list import wiring_rows

PAPERS = ("offer", "materials", "settings", "work order", "application", "diagram", "site plan")
LINE = "_" * 34
# What a customer calls the flows of a day.
SERVED = {"used at home": "straight from the array", "imported": "from the grid", "exported": "sent to the grid"}
LINE_WIDE = 800.0
# Heights on paper: a head, and the words that belong to a picture [px].
HEAD, TWO_LINES, SIX_LINES = 26.0, 40.0, 112.0


@dataclass(frozen=True)
class Kit:
    """What every paper is made from."""

    plan: object
    option: object
    firm: Firm
    today: date

    @property
    def foot(self) -> str:
        """What stands below each page."""
        name = f"{self.firm.name} · " if self.firm.name else ""
        return (
            f"{name}{self.plan.job.name} · {self.option.title} · {self.today:%-d %B %Y} · Calm Relay {__version__}"
        )


def write_papers(plan, option, folder: Path, firm: Firm, today: date, wanted=PAPERS) -> Iterator[Path]:
    """Writes papers of an option one after another, and gives the path of each file.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option
        What was chosen of it.
    folder : Path
        Where to.
    firm : Firm
        Whose papers they are.
    today : date
        Printed on them.
    wanted : sequence of str
        Some of `PAPERS`.

    Raises
    ------
    OSError
        Names the file that could not be written; those before it stand whole.
    InputError
        When the firm's logo is no picture.
    """
    kit = Kit(plan, option, firm, today)
    logo = _logo(firm)
    for name in wanted:
        if name == "application" and not plan.job.supply.on_grid:
            continue
        if name in ("diagram", "site plan"):
            for kind in ("pdf", "svg", "dxf") if option.context.survey.wires is not None else ():
                path = folder / f"{name.replace(' ', '-')}.{kind}"
                write_diagram(option, path, today, paper_for(plan), site=name == "site plan")
                yield path
            continue
        content, _ = _MADE[name](kit, logo)
        path = folder / f"{name.replace(' ', '-')}.pdf"
        write_atomically(path, content)
        yield path
        if name == "application":
            path = folder / "application.json"
            text = json.dumps(application_of(option), indent=1, ensure_ascii=False)
            write_atomically(path, f"{text}\n".encode())
            yield path
        tables = _tables(name, option)
        if tables:
            yield from write_tables(tables, folder, book=f"{name.replace(' ', '-')}.xlsx")


def _tables(name, option):
    if name == "materials":
        return {"materials": material_rows(option), "wiring": wiring_rows((option,))}
    if name == "settings":
        return {"settings": setting_rows(option)}
    if name == "work order":
        return {"work-order": step_rows(option)}
    return {}


def _logo(firm: Firm) -> QImage | None:
    content = logo_bytes(firm)
    if content is None:
        return None
    image = QImage.fromData(content)
    if image.isNull():
        from calm_relay.exchange.errors import InputError

        raise InputError(Path(firm.logo), "", "is no picture; wanted a PNG or JPEG file")
    return image


def _pdf_of(kit: Kit, name: str, points: float, fill: Callable[[Pages], None]) -> tuple[bytes, int]:
    plan, firm = kit.plan, kit.firm
    title = f"{name}, {plan.job.name}"
    return pdf_of(paper_of(plan), title, kit.foot, points, fill, ink=firm.colour, words=plan.rules.words)


def _opening(pages: Pages, kit: Kit, logo, title: str, under: str) -> None:
    """Whose paper it is, its title, and for whom."""
    if logo is not None:
        pages.image(logo, 150.0, 52.0)
    firm, job = kit.firm, kit.plan.job
    whose = f"<b>{escape(firm.name)}</b><br>{escape(firm.address)}<br>{escape(firm.contact)}" if firm.name else ""
    pages.text(f"<p class='quiet' style='margin:0'>{whose}</p>" if whose else "", 6.0)
    pages.mark(title)
    pages.text(
        f"<h2 style='font-weight:600; margin:0; color:{firm.colour}'>{escape(title)}</h2>"
        f"<p style='margin:2px 0'>{escape(job.customer or 'No customer named')} · {escape(job.site.place)} · "
        f"{kit.today:%-d\u00a0%B\u00a0%Y}</p><p class='quiet' style='margin:0'>{escape(under)}</p>"
    )
    stops = kit.option.stop_words
    if stops:
        pages.text(f"<p style='margin:0; color:{LIGHT.stop}'><b>{escape(stops)}</b></p>")


def _about(amount: float, currency: str) -> str:
    return _money(to_three_figures(amount), currency)


def _money(amount: float, currency: str) -> str:
    return amount_text(amount, currency).replace(" ", "\u00a0")


def _made_offer(kit: Kit, logo) -> tuple[bytes, int]:
    offer = offer_of(kit.plan, kit.option)
    future = future_of(kit.plan, offer.flow)

    def fill(pages: Pages) -> None:
        _opening(pages, kit, logo, f"Offer: {kit.option.title}", f"for {kit.plan.job.name}")
        _asked(pages, kit, offer)
        _shape(pages, kit, offer)
        _outage(pages, kit, offer)
        _price(pages, kit, offer)
        pages.next()
        _days(pages, offer)
        pages.next()
        _served(pages, offer)
        _bill(pages, kit, offer)
        if kit.option.design.architecture.role != "today":
            _years(pages, kit, offer, future)
        _beside(pages, kit, offer)
        pages.next()
        _assumed(pages, kit)
        _sign(pages, kit)

    return _pdf_of(kit, "Offer", 11.2, fill)


def _asked(pages, kit, offer: Offer) -> None:
    money, currency = kit.option.outcome.money, kit.plan.job.tariff.currency
    asked = "; ".join(offer.asked)
    figures = kit.option.outcome.figures
    share = f"{figures.self_sufficiency:.0%} of what the home uses then comes from its own"
    own = (
        f"{share} {offer.scope.serving}"
        if offer.scope.serving
        else "all that the home uses then comes from the grid"
    )
    if not kit.plan.job.supply.on_grid:
        own = f"{1.0 - kit.option.outcome.unserved:.1%} of what the home asks is then served"
    brought, kept = offer.scope.brought, offer.scope.kept
    what = f": {brought}," if brought else ""
    stays = f"What you have stays in use: {kept}. " if kept else ""
    stands = f"{escape(offer.scope.standing)} " if offer.scope.standing else ""
    verb = "It saves about" if money.saving >= 0.0 else "What is paid for power rises by about"
    changes = offer.saves and kit.option.design.architecture.role != "today"
    saved = f"{verb} <b>{_about(abs(money.saving), currency)} a year</b>; " if changes else ""
    if saved and money.in_outages >= 0.5:
        fuel = _about(money.in_outages, currency)
        saved = f"{saved[:-2]}, and about <b>{fuel}</b> of the fuel that is burnt in outages today; "
    own = own if saved else f"{own[:1].upper()}{own[1:]}"
    pages.head("What you asked for, and what we offer")
    pages.text(
        f"<p style='margin:0'>You want {escape(asked)}.</p>"
        f"<p style='margin:4px 0'>We offer <b>{escape(kit.option.title)}</b>{what} "
        f"for <b>{_money(money.outlay, currency)}</b>. {stays}{stands}{saved}{escape(own)}.</p>"
    )


def _shape(pages, kit, offer: Offer) -> None:
    pages.head("How it is connected", 170)
    line = line_of(kit.plan, kit.option)
    low = any(station.row for station in line.stations)
    high = HEIGHT_PLAIN if low else HEIGHT_PLAIN_FLAT
    picture = LinePicture(line, QRectF(0, 0, LINE_WIDE, high), LIGHT, plain=True)
    pages.picture(picture.paint, LINE_WIDE, high, 4.0)


def _kept(pages, high: float, below: float) -> float:
    """The height of a head, a picture and the words below it, which stay together."""
    return HEAD + high * pages.width / WIDE + below


def _days(pages, offer: Offer) -> None:
    pages.head(offer.days_words, _kept(pages, DAY_HIGH, TWO_LINES))
    for item in (offer.winter, offer.summer):
        day = item.series
        pages.picture(
            lambda painter, day=day, item=item: paint_day(painter, day, item.title), WIDE, DAY_HIGH, 2.0, TWO_LINES
        )
        told = [f"{SERVED.get(name, name)} {kwh:.1f} kWh" for name, kwh in item.served.items() if kwh >= 0.05]
        pages.text(f"<p class='quiet' style='margin:0'>{escape('; '.join(told))}.</p>", 6.0)


def _served(pages, offer: Offer) -> None:
    served = offer.served
    if served is None:
        return
    pages.head("What is asked and who serves it, month by month", _kept(pages, BILLS_HIGH, TWO_LINES))
    pages.picture(lambda painter: paint_served(painter, served), WIDE, BILLS_HIGH, 2.0, TWO_LINES)
    pages.text(f"<p style='margin:0'>{escape(served.sentence)}</p>")


def _bill(pages, kit, offer: Offer) -> None:
    if not offer.saves:
        return
    currency = kit.plan.job.tariff.currency
    before, after = offer.bills
    word = "The bill, month by month" if kit.plan.job.supply.on_grid else "Fuel, month by month"
    pages.head(word, _kept(pages, BILLS_HIGH, TWO_LINES))
    pages.picture(
        lambda painter: paint_bills(painter, before, after, currency, offer.before_words),
        WIDE,
        BILLS_HIGH,
        2.0,
        TWO_LINES,
    )
    without, with_it = _money(float(before.sum()), currency), _money(float(after.sum()), currency)
    said = f"Today {without} a year, with this offer {with_it}."
    if offer.to_come:
        coming = escape(", ".join(offer.to_come))
        said = f"Without it {without} a year, with this offer {with_it}; both with what is yet to come: {coming}."
    pages.text(f"<p style='margin:0'>{said}</p>")


def _outage(pages, kit, offer: Offer) -> None:
    job = kit.plan.job
    pages.head("When the grid is down" if job.supply.on_grid else "What the house can count on")
    if not offer.stays_on:
        pages.text("<p style='margin:0'>Nothing stays on: no part of this offer makes power without the grid.</p>")
        return
    on = ", ".join(
        escape(row.name if row.fate == "stays on" else f"{row.name} ({row.fate})") for row in offer.stays_on
    )
    off = ", ".join(f"{escape(row.name)} ({escape(row.fate)})" for row in offer.goes_off)
    said = f"<p style='margin:0'><b>Stays on:</b> {on}.</p>"
    if off:
        said += f"<p style='margin:2px 0'><b>Goes off:</b> {off}.</p>"
    if job.supply.on_grid:
        said += (
            f"<p style='margin:2px 0'>From what usually lies in the battery at night in the worst season it runs for "
            f"about <b>{offer.hours:.1f} hours</b>, with the sun for longer. Of all outages of {job.outage_hours:g} "
            f"hours, begun at any hour of the year, it rides through {offer.lasting:.0%}.</p>"
        )
    pages.text(said)


def _price(pages, kit, offer: Offer) -> None:
    currency = kit.plan.job.tariff.currency
    money = kit.option.outcome.money
    pages.head("What it costs")
    rows = []
    if kit.firm.prices == "line by line":
        rows = [(escape(line.label), _money(line.amount, currency)) for line in money.lines]
    else:
        from calm_relay.planning.architecture.cost import KINDS

        sums: dict[str, float] = {}
        for line in money.lines:
            sums[line.kind] = sums.get(line.kind, 0.0) + line.amount
        rows = [(escape(KINDS[kind]), _money(amount, currency)) for kind, amount in sums.items()]
    rows.append(("<b>In all</b>", f"<b>{_money(money.outlay, currency)}</b>"))
    pages.table([(words, f"<p align='right' style='margin:0'>{amount}</p>") for words, amount in rows], (78, 22))


def _years(pages, kit, offer: Offer, future: Future) -> None:
    job = kit.plan.job
    currency, costs = job.tariff.currency, job.costs
    pages.head("Money over the years", _kept(pages, YEARS_HIGH, SIX_LINES))
    flow = offer.flow
    pages.picture(lambda painter: paint_years(painter, flow.running, currency), WIDE, YEARS_HIGH, 2.0, SIX_LINES)
    if not offer.saves:
        low, _, high = future.band(future.npv)
        least, most = _about(-high, currency), _about(-low, currency)
        pages.text(
            f"<p style='margin:0'>Nothing is paid for power today on which it could save. Reckoned over "
            f"{costs.horizon_years} years, with upkeep and what is replaced, and money at {costs.discount_rate:.1%}, "
            f"it costs {_about(-flow.npv, currency)} at today's worth. It is an estimate, not a promise: in eight "
            f"of ten futures of other prices, ageing and cost it is {least} to {most}.</p>"
        )
        return
    back = flow.payback
    paid = "not paid back within these years" if back is None else f"paid back after about {about_years(back)}"
    if kit.option.outcome.money.outlay <= 0.0:
        paid = "nothing that must first be paid back"
    worth = _about(flow.npv, currency)
    pages.text(
        f"<p style='margin:0'>By these figures it is <b>{paid}</b>. Reckoned over {costs.horizon_years} years, with "
        f"prices that rise {costs.price_rise:.1%} a year, money at {costs.discount_rate:.1%}, and each year with "
        f"battery and modules as old as they are then, it is worth {worth} today. It is an estimate, not a promise: "
        f"climate, use and prices will be others.{_how_sure(future, currency)}</p>"
    )
    if offer.whole is not None:
        burnt = " and ".join(
            f"{each.a_year:,.0f} {each.unit} of {each.fuel} a year ({_money(each.cost, currency)}"
            f"{'' if each.stated else ', worked out'})"
            for each in offer.whole.burnt
        )
        pages.text(
            f"<p style='margin:0'>{escape(offer.whole.sentence)} It counts {escape(burnt)} no longer burnt, and "
            f"{_money(offer.whole.more_power, currency)} of electricity for it in the first year, with the house as it "
            "stands.</p>"
        )


def _how_sure(future: Future, currency: str) -> str:
    """What it is worth and saves in eight of ten futures, and in how many it pays."""
    low, _, high = future.band(future.npv)
    least, _, most = future.band(future.saving)
    return (
        f" In eight of ten futures of other light, use, prices, ageing and cost it saves {_about(least, currency)} to "
        f"{_about(most, currency)} in the first year and is worth {_about(low, currency)} to {_about(high, currency)} "
        f"today; <b>with interest counted it pays for itself in {round(100.0 * future.pays)} of 100</b>."
    )


def _beside(pages, kit, offer: Offer) -> None:
    if offer.beside is None:
        return
    other, currency = offer.beside, kit.plan.job.tariff.currency
    money = other.outcome.money
    verb = "save" if money.saving >= 0.0 else "take"
    more = "" if money.saving >= 0.0 else " more for power"
    saved = f" and {verb} about {_about(abs(money.saving), currency)} a year{more}" if offer.saves else ""
    pages.head("The one next to it")
    pages.text(
        f"<p style='margin:0'><b>{escape(other.title)}</b> would cost {_money(money.outlay, currency)}{saved}. "
        f"{escape(' '.join(offer.against))}</p>"
    )


def _assumed(pages, kit) -> None:
    plan, job = kit.plan, kit.plan.job
    told = "what is usual at the place, not yet confirmed" if "tariff.price" in job.assumed else "as you told us"
    hourly = (
        ""
        if job.tariff.hourly is None
        else f", on top of the spot price of each hour ({job.tariff.hourly.origin})"
    )
    paid = f"Tariff: {job.tariff.name or told}{hourly}. "
    if not job.supply.on_grid:
        prices = ", ".join(f"{job.tariff.currency} {item.price_per_litre:.2f}" for item in job.running_generators)
        paid = f"Fuel: {prices} a litre. " if prices else ""
    away = (
        f" The grid is in every hour of it; it is away for about {job.finance.outage_hours:,.0f} a year, in which "
        "nothing is imported or exported."
        if share_away(job)
        else ""
    )
    whole = f": {home_kwh(plan, kit.option):,.0f} kWh in all" if job.demand.controlled else ""
    pages.head("What this rests on")
    pages.text(
        f"<p style='margin:0'>Weather: {escape(plan.weather_said)}. What the home uses: "
        f"{escape(plan.demand.source)}{whole}. {escape(paid)}A year of the same "
        f"weather and use was reckoned in quarter hours; yours will differ.{away}</p>"
    )
    pages.head("Please note", 90)
    told = "".join(f"<li>{caution}</li>" for caution in cautions_of(plan.job.supply))
    pages.text(f"<ul style='margin:0'>{told}</ul>")


def _sign(pages, kit) -> None:
    pages.head("Agreed", 90)

    def line(under):
        return f"<br><br>{LINE}<br><span class='quiet'>{escape(under)}</span>"

    installer = kit.firm.name or "installer"
    pages.table([(line("place, date"), line("customer")), (line("place, date"), line(installer))], (50, 50))


def _made_materials(kit: Kit, logo) -> tuple[bytes, int]:
    parts = materials_of(kit.option)
    currency = kit.plan.job.tariff.currency

    def fill(pages: Pages) -> None:
        _opening(pages, kit, logo, "Materials", f"of {kit.option.title}; lengths with a tenth of waste")
        for group in GROUPS:
            mine = [part for part in parts if part.group == group]
            if not mine:
                continue
            pages.head(group)
            rows = []
            for part in mine:
                fate = "" if part.fate == "to buy" else f" <b>{part.fate}</b>"
                small = "; ".join(text for text in (part.supplier, part.number, part.note) if text)
                note = f"<br><span class='quiet'>{escape(small)}</span>" if small else ""
                price = "" if part.amount is None or part.fate != "to buy" else _money(part.amount, currency)
                rows.append((part.counted, f"{escape(part.article)}{fate}{note}", price))
            pages.table(rows, (14, 70, 16))
        known = sum(part.amount for part in parts if part.fate == "to buy" and part.amount is not None)
        open_ = sum(part.amount is None and part.fate == "to buy" for part in parts)
        pages.text(
            f"<p style='margin:0'>Parts with a price: {_money(known, currency)}. {open_} lines have none yet. Glands, "
            "clamps and trunking are counted by common practice; check them against the roof and the routes.</p>"
        )

    return _pdf_of(kit, "Materials", 8.6, fill)


def _made_settings(kit: Kit, logo) -> tuple[bytes, int]:
    settings = settings_of(kit.option)

    def fill(pages: Pages) -> None:
        _opening(pages, kit, logo, "Settings", "keyed in unit by unit, in this order; read each back")
        box = None
        for item in settings:
            if item.box != box:
                box = item.box
                pages.head(escape(box))
            trap = (
                f"<br><span style='color:{LIGHT.check}'>Beware: {escape(item.trap)}.</span>" if item.trap else ""
            )
            cells = (
                f"☐ {escape(item.name)}",
                f"<b>{escape(item.value)}</b>",
                f"<span class='quiet'>{escape(item.why)}.</span>{trap}",
            )
            pages.table([cells], (24, 30, 46), 2.0)
        if not settings:
            pages.text("<p>Nothing is keyed in: everything stays as it is.</p>")

    return _pdf_of(kit, "Settings", 8.6, fill)


def _made_work_order(kit: Kit, logo) -> tuple[bytes, int]:
    steps = steps_of(kit.option)

    def fill(pages: Pages) -> None:
        _opening(
            pages, kit, logo, "Work order", "in a safe order; local codes and the makers' sheets go before it"
        )
        pages.text(f"<p style='margin:0'><i>{cautions_of(kit.plan.job.supply)[1]}</i></p>")
        stage = None
        for number, step in enumerate(steps, 1):
            if step.stage != stage:
                stage = step.stage
                pages.head(stage)
            isolate = f"<br><b>Isolated first:</b> {escape(step.isolate)}." if step.isolate else ""
            photo = f"<br><span class='quiet'>Photo: {escape(step.photo)}.</span>" if step.photo else ""
            measure = f"{escape(step.measure)}:<br>{LINE[:22]}" if step.measure else ""
            pages.table([(f"☐ {number}", f"{escape(step.text)}{isolate}{photo}", measure)], (7, 61, 32), 2.0)
        pages.head("Labels")
        for label in labels_of(kit.option):
            pages.text(f"☐ {escape(label)}", 2)
        pages.text("<p class='quiet'>Wording and place as the local code says.</p>")

    return _pdf_of(kit, "Work order", 8.6, fill)


def _made_application(kit: Kit, logo) -> tuple[bytes, int]:
    tree = application_of(kit.option)

    def fill(pages: Pages) -> None:
        _opening(pages, kit, logo, "Figures for the network operator", APPLICATION_CAUTION)
        pages.head("Figures")
        rows = [
            (escape(str(name)), f"<b>{escape(_said(value))}</b>")
            for name, value in application_rows(kit.option)[1:]
        ]
        pages.table([row for row in rows if not row[0].startswith(("rules", "caution"))], (52, 48))
        pages.head("Notify, apply or wait")
        for name, rule in tree["rules"].items():
            pages.text(
                f"<p style='margin:0'><b>{escape(name)}:</b> {escape(rule['says'])} <span class='quiet'>"
                f"{escape(rule['by'])}.</span></p>",
                3.0,
            )
        if not tree["rules"]:
            pages.text("<p style='margin:0'>The region's rules say nothing of this plan.</p>")

    return _pdf_of(kit, "Application", 8.6, fill)


def _said(value) -> str:
    return (
        f"{value:g}"
        if isinstance(value, float | int | np.floating) and not isinstance(value, bool)
        else str(value)
    )


_MADE = {
    "offer": _made_offer,
    "materials": _made_materials,
    "settings": _made_settings,
    "work order": _made_work_order,
    "application": _made_application,
}
