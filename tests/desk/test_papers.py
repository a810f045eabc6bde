"""Papers as files: real text, bookmarks, every figure of the plan, and nothing lost where something fails."""

import json
from datetime import date

import openpyxl
import pypdf
import pytest
from PySide6.QtGui import QColor, QImage

from calm_relay.cli import main
from calm_relay.desk.output.papers import PAPERS, write_papers
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.firm import MOST_LOGO, Firm, keep_firm, read_firm
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import HeatPump
from calm_relay.planning.common.amounts import amount_text, to_three_figures
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.handover.offer import scope_of
from calm_relay.planning.handover.settings_sheet import settings_of
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.scales import scales_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import of_few_futures, plan

TODAY = date(2026, 11, 26)
FIRM = Firm(name="Hallowmere Solar (invented)", address="1 Mill Lane", contact="tel 555 0100")


def chosen(made):
    return made.option(made.choice.key) if made.choice.key else made.live[1]


def text_of(path):
    return " ".join(" ".join(page.extract_text() for page in pypdf.PdfReader(path).pages).split()).replace(
        "\u00a0", " "
    )


@pytest.fixture(scope="module", params=["pottery", "cottage", "dairy", "hut", "two-homes"])
def papers(request, tmp_path_factory, dressed):
    made = plan(of_few_futures(demo_job(request.param)))
    folder = tmp_path_factory.mktemp(request.param)
    written = list(write_papers(made, chosen(made), folder, FIRM, TODAY))
    return made, chosen(made), folder, written


def test_papers_speak_the_words_of_their_region(papers):
    made, _, folder, _ = papers
    words, said = made.rules.words, ""
    for path in sorted(folder.glob("*.pdf")):
        text = text_of(path)
        said += text
        assert words(text) == text, path.name
    assert ("main panel" in said and "utility" in said) == (made.job.region == "united-states")


def test_an_offer_where_nothing_is_paid_for_power_promises_no_saving(tmp_path, dressed):
    """Off grid without a generator there is no bill, no fuel and no grid to speak of."""
    made = plan(of_few_futures(demo_job("hut").with_(generators=())))
    list(write_papers(made, made.option("hybrid-swap"), tmp_path, FIRM, TODAY, ("offer",)))
    text = text_of(tmp_path / "offer.pdf")
    assert "to have power all year" in text and "Nothing is paid for power today" in text
    assert "What is asked and who serves it, month by month" in text and "kWh go unserved" in text
    worth = to_three_figures(-made.option("hybrid-swap").outcome.money.npv)
    assert f"it costs {amount_text(worth, '€')} at today's worth" in text
    for words in (
        "saves",
        "save about",
        "the generator",
        "The bill",
        "Fuel",
        "paid back",
        "pays for itself",
        "Tariff",
    ):
        assert words not in text, words
    assert 3 <= len(pypdf.PdfReader(tmp_path / "offer.pdf").pages) <= 6
    assert not {"bill", "payback"} & {scale.key for scale in scales_of(made)}
    with_one = plan(demo_job("hut"))
    assert {"bill", "payback"} <= {scale.key for scale in scales_of(with_one)}


def test_a_home_that_is_to_change_is_not_told_that_its_bill_is_todays(tmp_path, dressed):
    """Nor that a price which nobody confirmed is what the customer said."""
    plain = of_few_futures(demo_job("pottery"))
    loads = plain.demand.with_(heat_pumps=(HeatPump(heat_kwh_per_day=40, buffer_kwh=5),), cars=())
    coming = plain.with_(
        demand=loads, tariff=plain.tariff.with_(name=""), assumed=(*plain.assumed, "tariff.price")
    )
    for job, there, missing in (
        (plain.with_(demand=loads.with_(heat_pumps=())), ("Today NZ$", "today"), ("yet to come", "kWh in all")),
        (
            coming,
            (
                "Without it NZ$",
                "both with what is yet to come: Heat pump",
                "Tariff: what is usual at the place, not yet",
            ),
            ("Today NZ$", "as you told us"),
        ),
    ):
        made = plan(job)
        option = made.option("hybrid-swap")
        list(write_papers(made, option, tmp_path, FIRM, TODAY, ("offer",)))
        text = text_of(tmp_path / "offer.pdf")
        assert [words for words in there if words not in text] == []
        assert [words for words in missing if words in text] == []
    in_all = made.demand.yearly_kwh + option.outcome.year.loads.kwh("taken")
    assert in_all > made.demand.yearly_kwh + 1000.0
    assert f": {in_all:,.0f} kWh in all" in text
    home = next(station for station in line_of(made, option).stations if station.name == "Home")
    assert home.headline == f"{in_all / 1000:.1f} MWh a year"


def papers_of(made):
    """Papers of a plan; off grid there is nobody to apply to."""
    return [name for name in PAPERS if name != "application" or made.job.supply.on_grid]


def test_every_demo_goes_from_choice_to_a_complete_set(papers):
    made, _, folder, written = papers
    names = {path.name for path in folder.iterdir()}
    assert {path.name for path in written} == names
    for name in papers_of(made):
        assert f"{name.replace(' ', '-')}.pdf" in names
    assert ("application.json" in names) == ("application.pdf" in names) == made.job.supply.on_grid
    assert {
        "materials.xlsx",
        "materials.csv",
        "wiring.csv",
        "settings.csv",
        "diagram.dxf",
        "site-plan.svg",
    } <= names
    assert all(path.stat().st_size < 2_000_000 for path in folder.iterdir())


def test_each_pdf_has_text_and_bookmarks(papers):
    made, _, folder, _ = papers
    for name in papers_of(made):
        if name in ("diagram", "site plan"):
            continue
        reader = pypdf.PdfReader(folder / f"{name.replace(' ', '-')}.pdf")
        assert len(reader.outline) >= 2
        assert "Hallowmere Solar" in " ".join(reader.pages[0].extract_text().split())
        assert made.job.name.split(",")[0] in text_of(folder / f"{name.replace(' ', '-')}.pdf")


def test_the_offer_holds_every_figure_of_the_plan_in_four_to_six_pages(papers):
    made, option, folder, _ = papers
    assert 4 <= len(pypdf.PdfReader(folder / "offer.pdf").pages) <= 6
    text, money = text_of(folder / "offer.pdf"), option.outcome.money
    currency = made.job.tariff.currency
    for amount in (money.outlay, to_three_figures(money.saving)):
        assert amount_text(amount, currency) in text
    for line in money.lines:
        assert amount_text(line.amount, currency) in text
    assert option.title in text
    # How it hangs together is the customer's, the limits that each part comes near are not.
    stations = line_of(made, option).stations
    assert all(station.name in text for station in stations)
    assert not any(station.headroom.caption in text for station in stations if station.headroom)
    scope = scope_of(option)
    assert (f"What you have stays in use: {scope.kept}." in text) == bool(scope.kept)
    assert scope.brought and f": {scope.brought}, for" in text
    if made.job.supply.on_grid:
        assert f"{made.as_is.outcome.money.bill:,.0f}" in text
    for words in ("Please note", "Agreed", "What this rests on", "winter", "summer"):
        assert words in text
    if made.assumed_note:
        assert made.assumed_note in text


def test_each_paper_of_an_option_that_is_stopped_says_so(papers, tmp_path):
    """The diagram too; and of one that can be built none does."""
    made, option, folder, _ = papers
    assert not option.stopped
    assert not any("Not to be built" in text_of(path) for path in folder.glob("*.pdf"))
    stopped = next((other for other in made.live if other.stopped and other.role != "today"), None)
    if made.job.name == demo_job("two-homes").name:
        assert stopped is not None, "two old units on one phase are too uneven for its rules"
    if stopped is None:
        return
    list(write_papers(made, stopped, tmp_path, FIRM, TODAY, ("offer", "materials", "work order", "diagram")))
    written = {path.stem: text_of(path) for path in tmp_path.glob("*.pdf")}
    assert set(written) == {"offer", "materials", "work-order", "diagram"}
    assert all("Not to be built as it stands" in text for text in written.values())
    assert stopped.stop_words.split(". ")[1][:40] in written["offer"]


def test_materials_settings_and_application_hold_theirs(papers):
    made, option, folder, _ = papers
    text = text_of(folder / "materials.pdf")
    for part in materials_of(option):
        assert part.counted in text
    text = text_of(folder / "settings.pdf")
    for item in settings_of(option):
        assert made.rules.words(item.value) in text
    if not made.job.supply.on_grid:
        return
    text = text_of(folder / "application.pdf")
    for converter in option.design.converters:
        assert converter.inverter.name in text
    assert "who decides" in text
    tree = json.loads((folder / "application.json").read_text())
    assert tree["service"]["main_fuse_a"] == made.job.supply.main_fuse_a


def test_without_a_grid_no_paper_speaks_of_its_operator(papers):
    made, _, folder, _ = papers
    told = {path.name: text_of(path) for path in folder.glob("*.pdf")}
    assert ("Backfeed" in told["offer.pdf"]) == made.job.supply.on_grid
    if not made.job.supply.on_grid:
        assert not [name for name, text in told.items() if "network operator" in text]
        assert "stop and isolate all of them" in told["offer.pdf"]


def test_the_work_order_names_every_cable_to_lay(papers):
    _, option, folder, _ = papers
    text = text_of(folder / "work-order.pdf")
    for cable in wiring_of(option.design, option.context).cables:
        if cable.edge.status == "new" and cable.size is not None:
            assert cable.words in text
    assert "Labels" in text


def test_the_workbook_of_materials_opens_and_holds_no_formula(papers):
    _, option, folder, _ = papers
    book = openpyxl.load_workbook(folder / "materials.xlsx")
    sheet = book["materials"]
    assert sheet.max_row == len(materials_of(option)) + 1
    assert not any(cell.data_type == "f" for row in sheet.iter_rows() for cell in row)


def test_names_with_markup_and_formulas_are_shown_as_typed(demo, tmp_path, dressed):
    nasty = "=1+2 <b>&amp;</b> <script>"
    job = demo.with_(name=nasty, customer="@SUM(A1) <img src=x>")
    made = plan(of_few_futures(job))
    list(
        write_papers(
            made, made.option("ac-addon"), tmp_path, Firm(name="<i>Firm</i>"), TODAY, ("offer", "materials")
        )
    )
    text = text_of(tmp_path / "offer.pdf")
    assert "=1+2 <b>&amp;</b> <script>" in text
    assert "@SUM(A1) <img src=x>" in text
    assert "<i>Firm</i>" in text


def test_prices_stand_line_by_line_or_in_sums(demo, tmp_path, dressed):
    made = plan(of_few_futures(demo))
    option = made.option("ac-addon")
    label = next(line.label for line in option.outcome.money.lines if line.kind == "unit")
    for prices, shown in (("line by line", True), ("in sums", False)):
        list(write_papers(made, option, tmp_path, FIRM.with_(prices=prices), TODAY, ("offer",)))
        cost = text_of(tmp_path / "offer.pdf").split("What it costs")[1].split("Money over the years")[0]
        assert (label in cost) is shown


def test_a_logo_stands_at_the_head_and_a_wrong_one_is_told(demo, tmp_path, dressed):
    made = plan(of_few_futures(demo))
    option = made.option("ac-addon")
    picture = QImage(80, 30, QImage.Format.Format_RGB32)
    picture.fill(QColor("#884422"))
    logo = tmp_path / "logo.png"
    picture.save(str(logo))
    list(write_papers(made, option, tmp_path, FIRM.with_(logo=str(logo)), TODAY, ("offer",)))
    assert len(pypdf.PdfReader(tmp_path / "offer.pdf").pages[0].images) == 1
    (tmp_path / "offer.pdf").unlink()
    text = tmp_path / "logo.txt"
    text.write_text("no picture")
    large = tmp_path / "large.png"
    with large.open("wb") as stream:
        stream.truncate(50_000_000)
    for path, problem in (
        (text, "is no picture"),
        (large, f"at most {MOST_LOGO // 1_000_000} MB"),
        (tmp_path / "none.png", "cannot be read"),
    ):
        with pytest.raises(InputError, match=problem):
            list(write_papers(made, option, tmp_path, FIRM.with_(logo=str(path)), TODAY, ("offer",)))
    assert not (tmp_path / "offer.pdf").exists()


def test_a_folder_that_fails_half_way_leaves_whole_papers_alone(demo, tmp_path, dressed, monkeypatch):
    from calm_relay.desk.output import papers as module

    made = plan(of_few_futures(demo))
    real, count = module.write_atomically, []

    def failing(path, content):
        count.append(path)
        if len(count) == 3:
            raise OSError(28, "No space left on device")
        real(path, content)

    monkeypatch.setattr(module, "write_atomically", failing)
    written = []
    with pytest.raises(OSError, match="No space"):
        for path in write_papers(made, made.option("ac-addon"), tmp_path, FIRM, TODAY):
            written.append(path)
    assert written
    for path in tmp_path.glob("*.pdf"):
        assert pypdf.PdfReader(path).pages
    assert not list(tmp_path.glob(".*part"))


def test_the_firm_is_kept_and_a_damaged_file_is_told(own_folder):
    assert read_firm() == Firm()
    keep_firm(FIRM)
    assert read_firm() == FIRM
    (own_folder / "firm.json").write_text('{"name": 5}')
    with pytest.raises(InputError, match=r"firm\.json, name"):
        read_firm()


def test_the_command_line_writes_them_too(tmp_path, capsys, monkeypatch, own_folder):
    assert main(["papers", "demo:dairy", str(tmp_path), "--option", "hybrid-swap"]) == 0
    out = capsys.readouterr().out
    assert "offer.pdf" in out
    assert (tmp_path / "offer.pdf").exists()
    assert main(["papers", "demo:dairy", str(tmp_path), "--option", "nothing"]) == 1
    assert "wanted one of" in capsys.readouterr().err
