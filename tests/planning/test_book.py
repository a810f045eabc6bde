"""The book: every job of a folder as a row, whatever is in the folder, and for whom a change changes the answer."""

import json
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest

from calm_relay.cli import main
from calm_relay.exchange import own_equipment
from calm_relay.exchange.book_files import KEPT_NAME, KeptRows, job_files, write_table
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import job_text, read_job
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.carried import with_copies
from calm_relay.job.tariff import Costs, RateWindow, Tariff
from calm_relay.planning.book import replan
from calm_relay.planning.book.change import Change, changed
from calm_relay.planning.book.invented import TARIFF_NAME, invented_jobs, new_tariff, write_invented
from calm_relay.planning.book.replan import AHEAD, Book, BookError, Workers, cluster, local_cores, planned_book
from calm_relay.planning.book.row import BookRow, Task, keys_of, rows_of
from calm_relay.planning.book.words import TABLE_COLUMNS, book_text, call_words, shown, summary, table_rows
from calm_relay.planning.findings import Drawn, stopped_as_drawn
from calm_relay.planning.plan import answer, plan

TODAY = date(2026, 11, 26)
VERSION_3 = Path(__file__).parents[1] / "exchange" / "version_3"
DEAR = Tariff(
    name="Evening peak", currency="NZ$", price=0.31, feed_in=0.04, standing_per_day=1.2,
    windows=(RateWindow(name="Evening", price=0.9, start="17:00", end="21:00"),),
)  # fmt: skip


here = Workers(lambda: ThreadPoolExecutor(1), lambda: 1)


@pytest.fixture(scope="module")
def shop(tmp_path_factory):
    """A folder as installers have them: two jobs of one name, an old one, broken ones, one half answered."""
    folder = tmp_path_factory.mktemp("shop")
    job = demo_job("pottery")
    (folder / "a.relay.json").write_text(job_text(job.with_(state="offered", follow_up="2026-12-01")))
    (folder / "below").mkdir()
    built = job.commissioning.with_(conditions=job.commissioning.conditions.with_(on="2017-03-01"))
    (folder / "below" / "b.relay.json").write_text(job_text(job.with_(state="built", commissioning=built)))
    (folder / "old.relay.json").write_text((VERSION_3 / "hut.relay.json").read_text())
    newer = {**json.loads(job_text(job)), "schema_version": 99}
    (folder / "newer.relay.json").write_text(json.dumps(newer))
    (folder / "cut.relay.json").write_text(job_text(job)[:500])
    (folder / "no-weather.relay.json").write_text(
        job_text(job.with_(name="No weather", site=job.site.with_(weather={"kind": "file", "path": "gone.epw"})))
    )
    (folder / "begun.relay.json").write_text(job_text(job.with_(name="Begun", wanted=("place",))))
    (folder / "notes.txt").write_text("no job")
    return folder


@pytest.fixture(scope="module")
def book(shop):
    return planned_book(shop, here, Change(tariff=DEAR))


def row_named(book, file):
    return next(row for row in book.rows if row.file == file)


def test_every_job_has_a_row_and_a_broken_one_says_why(book):
    assert [row.file for row in book.rows] == [
        "a.relay.json", "begun.relay.json", "below/b.relay.json", "cut.relay.json", "newer.relay.json",
        "no-weather.relay.json", "old.relay.json",
    ]  # fmt: skip
    said = {row.file: row.problem for row in book.rows}
    assert not said["a.relay.json"] and not said["old.relay.json"]
    assert "newer" in said["newer.relay.json"]
    assert "gone.epw" in said["no-weather.relay.json"]
    assert "still wanted" in said["begun.relay.json"]
    assert said["cut.relay.json"]
    assert book.same_names == (demo_job("pottery").name,)


def test_a_row_says_what_the_plan_says(book):
    row, job = row_named(book, "a.relay.json"), demo_job("pottery")
    made = plan(job, library())
    best = made.option(made.choice.key)
    assert (row.option, row.title) == (best.key, best.title)
    assert row.saving == pytest.approx(best.outcome.money.saving, abs=0.01)
    assert row.npv == pytest.approx(best.outcome.money.npv, abs=0.01)
    assert row.array_kwp == pytest.approx(6.0)
    assert row.battery_kwh == pytest.approx(
        sum(u.bank.nominal_kwh for u in best.design.converters if u.has_battery)
    )


@pytest.mark.parametrize("seed", [3, 4])
def test_the_answer_of_a_job_is_that_of_its_plan(seed):
    """A row weighs no more than it must, and comes to the same, stopped options and built ones among them."""
    stopped = 0
    for file, job in invented_jobs(9, TODAY, seed):
        made = plan(job, library())
        stopped += sum(option.stopped for option in made.live)
        built = job.commissioning.option or None if job.state == "built" else None
        key = built or made.choice.key
        whole = next((option for option in made.live if option.key == key), None)
        short = answer(job, library(), None, built)
        if whole is None:
            assert short.option is None and short.problem, file
            continue
        assert short.option.key == key, file
        assert replace(short.option.outcome.money, lines=()) == replace(whole.outcome.money, lines=()), file
        assert _said(short.option) == _said(whole), file
    assert stopped


def _said(option):
    return [(finding.severity, finding.sentence) for finding in option.findings]


def test_designs_that_are_stopped_as_drawn_are_not_run(monkeypatch):
    from calm_relay.planning import plan as planned

    job, run = demo_job("dairy"), []
    whole = plan(job, library())
    drawn = [
        option.key for option in whole.live if stopped_as_drawn(Drawn(option.design, option.context, option.site))
    ]
    assert drawn and all(whole.option(key).stopped for key in drawn)
    lived = planned._lived
    monkeypatch.setattr(planned, "_lived", lambda design, *rest: run.append(design) or lived(design, *rest))
    short = answer(job, library())
    assert short.option.key == whole.choice.key
    assert not {design.architecture.key for design in run[1:]} & set(drawn)
    run.clear()
    assert answer(job, library(), None, "ac-addon").option.key == "ac-addon"
    assert [design.architecture.key for design in run] == ["as-is", "ac-addon"]


def test_what_was_built_and_cannot_be_planned_any_more_is_told(shop):
    job = demo_job("hut")
    record = job.commissioning.with_(option="grow-bank")
    text = job_text(job.with_(state="built", commissioning=record))
    problem = rows_of(Task("gone.relay.json", str(shop), text, (Change().model_dump_json(),), str(shop)))[0][
        "problem"
    ]
    assert problem == "what was built (grow-bank) cannot be planned any more: There is no battery to add packs to."
    # What stops the house as it is, or other options, is no reason why this one cannot be.
    full = demo_job("pottery")
    full = full.with_(supply=full.supply.with_(main_fuse_a=10.0))
    assert plan(full, library()).as_is.stopped
    assert "fuse" not in answer(full, library(), None, "grow-bank").problem
    assert answer(full, library(), None, "grow-bank").problem == problem


def test_under_a_change_a_row_says_what_the_changed_plan_says(book):
    before, after = book.rows[0], book.after[0]
    job = demo_job("pottery")
    made = plan(job.with_(tariff=DEAR.with_(export_limit_kw=job.tariff.export_limit_kw)), library())
    assert after.option == made.choice.key
    assert after.saving == pytest.approx(made.option(after.option).outcome.money.saving, abs=0.01)
    assert after.saving > before.saving and after.tariff == "Evening peak"
    # A job in another currency stays as it is.
    old = [row.file for row in book.rows].index("old.relay.json")
    assert book.after[old].kept == book.rows[old].kept


def test_what_is_due_is_told_in_its_time(book):
    due = {row.file: words for _, words, row in book.due(TODAY)}
    assert due["a.relay.json"] == "follow-up"
    assert set(due) <= {"a.relay.json", "below/b.relay.json"}
    built = row_named(book, "below/b.relay.json")
    assert built.built_on == "2017-03-01"
    if built.warranty_ends:
        year = int(built.warranty_ends[:4])
        assert built.due(date(year - 2, 1, 1)) == ("", "")
        assert "test the capacity" in built.due(date(year, 2, 1))[1]
        assert "out of warranty" in built.due(date(year + 1, 1, 1))[1]


def test_whom_to_call_is_found_among_rows():
    base = {"latitude": 0.0, "longitude": 0.0, "currency": "€", "name": "N", "customer": "C"}
    rows = [
        BookRow("same", option="a", title="A", saving=100.0, second_worth=-5.0, **base),
        BookRow("flips", option="a", title="A", saving=100.0, **base),
        BookRow("second", option="a", title="A", saving=100.0, second_worth=-5.0, **base),
        BookRow("broken", option="a", problem="no", **base),
        BookRow("paid-before", option="a", title="A", second_worth=5.0, **base),
    ]
    after = [
        rows[0],
        BookRow("flips", option="b", title="B", saving=150.0, **base),
        BookRow("second", option="a", title="A", saving=160.0, second_worth=40.0, **base),
        BookRow("broken", option="b", **base),
        BookRow("paid-before", option="a", title="A", second_worth=9.0, **base),
    ]
    book = Book(Path(), tuple(rows), Change(tariff=DEAR), tuple(after))
    assert [call.before.file for call in book.calls] == ["second", "flips"]
    assert "one pack more now pays (€ 40" in call_words(book.calls[0])
    assert "B instead of A" in call_words(book.calls[1]) and "€ 50 a year more" in call_words(book.calls[1])


def test_rows_are_made_once_and_a_run_called_off_goes_on(shop, tmp_path):
    folder = tmp_path / "again"
    folder.mkdir()
    for name in ("a.relay.json", "old.relay.json"):
        (folder / name).write_text((shop / name).read_text())
    made = []

    def off_after_one(done, what):
        if made:
            raise InterruptedError("called off")

    with pytest.raises(InterruptedError):
        planned_book(folder, here, progress=off_after_one, told=made.append)
    assert len(made) == 1
    planned_book(folder, here, told=made.append)
    assert sorted(row.file for row in made) == ["a.relay.json", "old.relay.json"]
    planned_book(folder, here, told=made.append)
    assert len(made) == 2
    # A job that was changed is planned again, and the rest is not.
    job = read_job(folder / "a.relay.json")
    (folder / "a.relay.json").write_text(job_text(job.with_(customer="Somebody else")))
    planned_book(folder, here, told=made.append)
    assert [row.customer for row in made[2:]] == ["Somebody else"]


def test_a_file_outside_the_folder_is_not_read(shop, tmp_path):
    job = demo_job("pottery")
    job = job.with_(site=job.site.with_(weather={"kind": "file", "path": "../year.epw"}))
    task = Task("a.relay.json", str(tmp_path), job_text(job), (Change().model_dump_json(),), str(tmp_path))
    assert "../year.epw outside the book's folder" in rows_of(task)[0]["problem"]


def test_a_line_of_kept_rows_that_was_cut_is_left_out(tmp_path):
    kept = KeptRows(tmp_path)
    kept.add("one", {"file": "a"})
    with (tmp_path / KEPT_NAME).open("a") as stream:
        stream.write('{"key": "two", "row": {"fi')
    assert KeptRows(tmp_path).rows == {"one": {"file": "a"}}


def test_a_folder_that_cannot_be_written_is_told_and_the_rows_come(shop, tmp_path, monkeypatch):
    folder = tmp_path / "locked"
    folder.mkdir()
    (folder / "a.relay.json").write_text((shop / "a.relay.json").read_text())
    (folder / KEPT_NAME).mkdir()
    book = planned_book(folder, here)
    assert "rows are not kept" in book.problem and not book.rows[0].problem
    assert "rows are not kept" in summary(book, TODAY)


@pytest.mark.parametrize("name", ["gone", "file.txt"])
def test_what_is_no_folder_is_told(tmp_path, name):
    (tmp_path / "file.txt").write_text("x")
    with pytest.raises(InputError, match="is no folder"):
        job_files(tmp_path / name)


def test_a_row_depends_on_all_that_it_reads(shop, tmp_path):
    task = Task(
        "a.relay.json", str(shop), (shop / "a.relay.json").read_text(), (Change().model_dump_json(),), str(shop)
    )
    known = keys_of(task, "stamp")
    assert known == keys_of(task, "stamp")
    assert known != keys_of(task, "another library")
    assert known != keys_of(task._replace(text=task.text + " "), "stamp")
    assert known != keys_of(task._replace(changes=(Change(newest=True).model_dump_json(),)), "stamp")
    (tmp_path / "year.epw").write_text("x")
    job = demo_job("pottery")
    job = job.with_(site=job.site.with_(weather={"kind": "file", "path": "year.epw"}))
    lit = Task("w.relay.json", str(tmp_path), job_text(job), task.changes, str(tmp_path))
    before = keys_of(lit, "stamp")
    os.utime(tmp_path / "year.epw", (1.0, 1.0))
    assert keys_of(lit, "stamp") != before


def test_a_change_touches_what_it_is_meant_for():
    job, lib = demo_job("pottery"), library()
    other = job.with_(tariff=job.tariff.with_(name="Day and night", export_limit_kw=3.0))
    assert changed(job, Change(tariff=DEAR, on_tariff="day AND night"), lib) == job
    put = changed(other, Change(tariff=DEAR, on_tariff="day AND night"), lib)
    assert put.tariff == DEAR.with_(export_limit_kw=3.0)
    hut = demo_job("hut")
    assert changed(hut, Change(tariff=DEAR.with_(currency="€")), lib) == hut
    metres = job.with_(costs=job.costs.with_(cable_metres=12.0))
    dear = changed(metres, Change(costs=Costs(labour_per_hour=200.0)), lib).costs
    assert (dear.labour_per_hour, dear.cable_metres) == (200.0, 12.0)
    assert changed(job, Change(region="germany"), lib).region == "germany"
    carried = with_copies(job, lib.catalogue)
    assert carried.own_equipment.packs and not changed(carried, Change(newest=True), lib).own_equipment.packs
    foreign = carried.with_(
        own_equipment=carried.own_equipment.with_(packs=(carried.own_equipment.packs[0].with_(key="mine"),))
    )
    assert [p.key for p in changed(foreign, Change(newest=True), lib).own_equipment.packs] == ["mine"]
    assert Change().is_none and Change().words == "nothing changed"
    assert "Evening peak for those on Old" in Change(tariff=DEAR, on_tariff="Old", newest=True).words


def test_a_job_of_which_nothing_can_be_built_says_what_stops_it(shop):
    job = demo_job("pottery")
    job = job.with_(supply=job.supply.with_(main_fuse_a=10.0))
    task = Task("full.relay.json", str(shop), job_text(job), (Change().model_dump_json(),), str(shop))
    problem = rows_of(task)[0]["problem"]
    assert problem.startswith("no option can be built: ") and "main fuse" in problem


def test_a_row_calls_what_cannot_be_planned_as_the_screen_does(shop):
    job = demo_job("pottery")
    job = job.with_existing_inverter(0, inverter="gone-out-of-the-list")
    task = Task("list.relay.json", str(shop), job_text(job), (Change().model_dump_json(),), str(shop))
    problem = rows_of(task)[0]["problem"]
    assert problem.startswith("Existing inverters 1, inverter: no inverter has the key 'gone-out-of-the-list'")


def test_a_job_that_breaks_the_planner_is_a_row(monkeypatch, shop):
    from calm_relay.planning.book import row

    def broken(*_):
        raise ZeroDivisionError("by itself")

    monkeypatch.setattr(row, "answer", broken)
    task = Task(
        "a.relay.json", str(shop), (shop / "a.relay.json").read_text(), (Change().model_dump_json(),), str(shop)
    )
    assert "ZeroDivisionError" in rows_of(task)[0]["problem"]


def _ends_its_process(task):
    """Stands in for a job that takes its process down."""
    if "bad" in task.file:
        os._exit(3)
    return [BookRow(task.file).kept for _ in task.changes]


def test_a_job_that_ends_its_process_does_not_end_the_run(tmp_path, shop, monkeypatch):

    for name in ("bad.relay.json", "good.relay.json", "well.relay.json"):
        (tmp_path / name).write_text((shop / "a.relay.json").read_text())
    monkeypatch.setattr(replan, "rows_of", _ends_its_process)
    with local_cores(1) as make:
        book = planned_book(tmp_path, make)
    said = {row.file: row.problem for row in book.rows}
    # The others that were under way with it are not blamed, and none of it is kept.
    assert said == {"bad.relay.json": said["bad.relay.json"], "good.relay.json": "", "well.relay.json": ""}
    assert "ended the process" in said["bad.relay.json"]
    assert sorted(row["file"] for row in KeptRows(tmp_path).rows.values()) == [
        "good.relay.json",
        "well.relay.json",
    ]


def test_no_scheduler_is_told(monkeypatch):
    monkeypatch.setattr(replan, "PATIENCE_S", 1)
    with pytest.raises(BookError, match="no scheduler answers"), cluster("tcp://127.0.0.1:9"):
        pass
    with pytest.raises(BookError, match="wanted the address"), cluster("nonsense://x"):
        pass


@pytest.fixture
def dask_cluster(monkeypatch):
    """A scheduler and two workers of this machine, each a process of its own."""
    monkeypatch.setattr("calm_relay.planning.book.replan.PATIENCE_S", 30)
    distributed = pytest.importorskip("distributed")
    with distributed.LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=":0") as made:
        yield made


def test_a_cluster_of_two_workers_makes_the_same_rows(shop, book, dask_cluster, tmp_path):
    for path in job_files(shop):
        target = tmp_path / path.relative_to(shop)
        target.parent.mkdir(exist_ok=True)
        target.write_text(path.read_text())
    with cluster(dask_cluster.scheduler_address) as make:
        there = planned_book(tmp_path, make, Change(tariff=DEAR))
    alike = [
        (row.kept, other.kept) for row, other in zip(there.rows + there.after, book.rows + book.after, strict=True)
    ]
    for mine, theirs in alike:
        assert {**mine, "problem": bool(mine["problem"])} == {**theirs, "problem": bool(theirs["problem"])}


class Counting(ThreadPoolExecutor):
    """Remembers the most tasks that were under way at once."""

    def __init__(self):
        super().__init__(1)
        self.under_way = self.most = 0

    def submit(self, work, /, *arguments):
        future = super().submit(work, *arguments)
        self.under_way += 1
        self.most = max(self.most, self.under_way)
        future.add_done_callback(lambda _: setattr(self, "under_way", self.under_way - 1))
        return future


def test_every_worker_of_a_cluster_has_work_ahead(shop, tmp_path):
    """As many tasks lie ahead as the workers take, here or elsewhere."""
    for number in range(12):
        (tmp_path / f"{number}.relay.json").write_text("{}")
    for cores in (1, 3):
        pool = Counting()
        planned_book(tmp_path, Workers(lambda pool=pool: pool, lambda cores=cores: cores))
        assert pool.most <= AHEAD * cores
        (tmp_path / ".calm-relay-book.jsonl").unlink(missing_ok=True)
    assert pool.most > AHEAD


def test_a_scheduler_that_dies_half_way_is_told_and_what_was_made_stays(shop, dask_cluster, tmp_path):
    for number in range(8):
        text = (shop / "a.relay.json").read_text().replace("M. and T.", f"{number}")
        (tmp_path / f"{number}.relay.json").write_text(text)
    made = []

    def told(row):
        made.append(row)
        if len(made) == 1:
            dask_cluster.close(timeout=5)

    with (
        pytest.raises(BookError, match="rows made so far are kept"),
        cluster(dask_cluster.scheduler_address) as make,
    ):
        planned_book(tmp_path, make, told=told)
    assert len(KeptRows(tmp_path).rows) >= 1


def test_the_table_is_written_as_csv_and_parquet(book, tmp_path):
    import pandas

    rows = table_rows(book, TODAY)
    for name, read in (("x.csv", pandas.read_csv), ("x.parquet", pandas.read_parquet)):
        write_table(tmp_path / name, TABLE_COLUMNS, rows)
        table = read(tmp_path / name)
        assert list(table.columns) == list(TABLE_COLUMNS)
        assert table["saving"].sum() == pytest.approx(sum(row.saving for row in book.rows))
        assert table["saving_then"].sum() == pytest.approx(sum(row.saving for row in book.after))
    with pytest.raises(InputError, match=r"wanted \.csv or \.parquet"):
        write_table(tmp_path / "x.txt", TABLE_COLUMNS, rows)
    with pytest.raises(InputError, match="cannot be written"):
        write_table(tmp_path / "no" / "x.csv", TABLE_COLUMNS, rows)


def test_the_text_tells_table_due_and_calls(book):
    text = book_text(book, TODAY)
    assert "7 jobs, 4 not planned" in text and "Several jobs have one name" in text
    assert "Under tariff Evening peak" in text
    assert shown(book.rows[0], TODAY)[2] == "offered"


def test_invented_jobs_are_the_same_each_time_and_of_no_one():
    one, again = (list(invented_jobs(12, TODAY, seed=5)) for _ in range(2))
    assert one == again and len({name for name, _ in one}) == 12
    assert all("(invented)" in job.customer for _, job in one)
    assert list(invented_jobs(12, TODAY, seed=6)) != one
    spread = [job for _, job in invented_jobs(12, TODAY, seed=5, apart_deg=0.2)]
    moved = [
        (a.site.latitude - b.site.latitude, a.site.longitude - b.site.longitude)
        for a, (_, b) in zip(spread, one, strict=True)
    ]
    assert len({job.site.latitude for job in spread}) == 12
    assert all(0 < abs(north) + abs(east) <= 0.4 for north, east in moved)


def test_the_command_makes_a_book_and_replans_it(tmp_path, capsys, monkeypatch):

    monkeypatch.setattr(replan, "ProcessPoolExecutor", lambda *_, **__: here.make())
    folder = tmp_path / "book"
    assert main(["book", str(folder), "--invent", "3", "--out", str(tmp_path / "b.csv")]) == 0
    assert "3 jobs" in capsys.readouterr().out
    words = ["book", str(folder), "--tariff", str(folder / TARIFF_NAME), "--out", str(tmp_path / "c.parquet")]
    assert main(words) == 0
    assert f"Under tariff {new_tariff().name}" in capsys.readouterr().out
    assert (tmp_path / "c.parquet").stat().st_size > 1000


@pytest.mark.parametrize(
    "words, said",
    [
        (["--tariff", "no such"], "no such"),
        (["--rules", "atlantis"], "wanted one of"),
        (["--prices", "own"], "no price list yet"),
        (["--on-tariff", "Old"], "--tariff beside it"),
        (["--cores", "0"], "wanted 1 to"),
        (["--invent", "0"], "wanted 1 to"),
        (["--out", "x.doc"], "wanted .csv or .parquet"),
        (["--scheduler", "tcp://127.0.0.1:9"], "no scheduler answers"),
    ],
)
def test_words_that_cannot_be_meant_are_told(tmp_path, capsys, monkeypatch, words, said):
    monkeypatch.setattr(replan, "PATIENCE_S", 1)
    assert main(["book", str(tmp_path), *words]) == 1
    assert said in capsys.readouterr().err


def test_a_tariff_and_prices_come_from_own_and_from_files(tmp_path, capsys, monkeypatch):
    from calm_relay.exchange.own_tariffs import keep_tariff

    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "data"))
    keep_tariff(DEAR)
    own_equipment.write_prices(Costs(labour_per_hour=70.0))
    (tmp_path / "jobs").mkdir()
    assert main(["book", str(tmp_path / "jobs"), "--tariff", "evening PEAK", "--prices", "own"]) == 0
    assert "Under tariff Evening peak, price list" in capsys.readouterr().out
    (tmp_path / "bad.json").write_text('{"price": "dear"}')
    assert main(["book", str(tmp_path / "jobs"), "--tariff", str(tmp_path / "bad.json")]) == 1
    assert "bad.json, price" in capsys.readouterr().err


def test_an_invented_folder_is_whole(tmp_path):
    assert write_invented(tmp_path / "new", 2, TODAY) == 2
    assert len(job_files(tmp_path / "new")) == 2
