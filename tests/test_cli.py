"""The command line, as a stranger would use it: figures from the files alone."""

import json
import os
import subprocess
import sys
from pathlib import Path

import jsonschema
import numpy as np
import pandas as pd
import pytest

from calm_relay.cli import main
from calm_relay.exchange.job_file import write_job
from calm_relay.exchange.own_equipment import library
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import ON_HYBRID, Car
from calm_relay.planning.common.progress import unheard
from tests.plans import plan

DOCS = Path(__file__).parents[1] / "docs"


def assess(job, tmp_path, *more):
    out, series = tmp_path / "plan.json", tmp_path / "series"
    assert main(["assess", str(job), "--json", str(out), "--series", str(series), *more]) == 0
    return json.loads(out.read_text()), series


def table_of(path):
    """An outsider's reading of a year: its stamps, and its columns of numbers."""
    table = pd.read_csv(path)
    stamps, numbers = list(table)[:2], list(table)[2:]
    return {name: table[name].tolist() for name in stamps}, {name: table[name].to_numpy(float) for name in numbers}


def balances(option, t, step_h):
    """Largest error of any balance of any step, from the columns of the table alone."""
    worst = []
    on_bus = t["import_kw"] - t["home_kw"] - t["export_kw"]
    for number in range(1, len(option["inverters"]) + 1):
        c = {
            name.removeprefix(f"{number}_"): series for name, series in t.items() if name.startswith(f"{number}_")
        }
        outward, inward = np.maximum(c["ac_kw"], 0), np.maximum(-c["ac_kw"], 0)
        given = c["pv_dc_kw"] + c["discharge_kw"] + inward - c["rectifier_kw"]
        lost = c["tracker_kw"] + c["clipped_kw"] + c["curtailed_kw"] + c["dc_dc_kw"] + c["inverter_kw"]
        on_dc = c.get("on_dc_kw", 0.0)
        worst.append(np.abs(given - lost - c["charge_kw"] - outward - on_dc).max() * step_h)
        moved = c["charge_kw"] - c["charge_loss_kw"] - c["discharge_kw"] - c["discharge_loss_kw"]
        worst.append(np.abs(np.diff(c["stored_kwh"]) - moved[1:] * step_h).max())
        on_bus = on_bus + c["ac_kw"] - c["standby_kw"] + on_dc
    return max([*worst, np.abs(on_bus).max() * step_h])


@pytest.mark.parametrize("job", ["demo", "greensboro"])
def test_an_outsider_can_close_the_balances(job, request, tmp_path):
    if job != "demo":
        path = tmp_path / "job.relay.json"
        write_job(request.getfixturevalue(job), path)
        job = path
    document, series = assess(job, tmp_path, *(["--plan-only"] if job != "demo" else []))
    jsonschema.validate(document, json.loads((DOCS / "plan.schema.json").read_text()))
    assert [option["key"] for option in document["options"]][:3] == ["as-is", "ac-addon", "hybrid-swap"]
    live = [option for option in document["options"] if not option["refused"]]
    assert len(live) >= 5
    for option in live:
        stamps, table = table_of(series / f"{option['key']}.csv")
        year, step_h = option["year"], document["step_h"]
        assert len(stamps["utc"]) == 35_040
        assert balances(option, table, step_h) < 1e-9
        for key, column in (("home_kwh", "home_kw"), ("import_kwh", "import_kw"), ("export_kwh", "export_kw")):
            assert table[column].sum() * step_h == pytest.approx(year[key], abs=1e-6)
        given = year["pv_dc_kwh"] + year["import_kwh"] + year["initial_stored_kwh"]
        taken = year["home_kwh"] + year["export_kwh"] + sum(year["losses"].values()) + year["final_stored_kwh"]
        assert given == pytest.approx(taken, abs=1e-6)
        if option["bound"]:
            assert option["bound"]["best_bill"] < option["money"]["bill"]
            assert sum(option["bound"]["by_month"]) == pytest.approx(option["bound"]["foresight_gap"], abs=1e-6)
            assert option["fade"]["usable_left"] == sorted(option["fade"]["usable_left"], reverse=True)
    stored = [option for option in live if any(item["battery_usable_kwh"] for item in option["inverters"])]
    assert all(option["wall"] for option in live)
    if job == "demo":
        assert all(option["bound"] and option["fade"] for option in stored)
        addon = next(option for option in stored if option["key"] == "ac-addon")
        assert 0 <= addon["survival"]["worst_h"] <= addon["survival"]["mean_h"] <= addon["survival"]["most_h"]
        assert list(addon["survival"]["lasting"]["winter"]) == ["4 h", "8 h", "24 h", "72 h"]
        _, hours = table_of(series / "ac-addon-foresight.csv")
        gap = next(option["bound"]["foresight_gap"] for option in live if option["key"] == "ac-addon")
        assert hours["dearer"].size == 8760
        assert hours["dearer"].sum() == pytest.approx(gap, abs=1e-6)
        assert document["tips"]
    assert all(tip["sentence"] for tip in document["tips"])
    assert all(option["refused"] for option in document["options"] if option not in live)


@pytest.mark.parametrize("name", ["pottery", "hut"])
def test_so_they_can_with_a_car_on_a_dc_charger(name, tmp_path):
    job = demo_job(name)
    unit = plan(job).option("hybrid-swap").design.leader.inverter.with_(dc_charger_kw=6.0)
    car = Car(
        name="Car", kwh_per_day=8.0, charger_kw=7.0, start="10:00", end="22:00", control="on surplus",
        charger=ON_HYBRID,
    )  # fmt: skip
    job = job.with_(
        demand=job.demand.with_(cars=(car,)),
        own_equipment=job.own_equipment.with_(inverters=(unit,)),
        battery=job.battery.with_(hybrid=unit.key),
    )
    path = tmp_path / "job.relay.json"
    write_job(job, path)
    document, series = assess(path, tmp_path, "--plan-only")
    option = next(item for item in document["options"] if item["key"] == "hybrid-swap")
    _, table = table_of(series / "hybrid-swap.csv")
    assert sum(table[key].sum() for key in table if key.endswith("_on_dc_kw")) == pytest.approx(
        table["Car_kw"].sum()
    )
    assert table["Car_kw"].sum() > 0.0
    assert balances(option, table, document["step_h"]) < 1e-9


def test_a_house_without_a_grid_closes_for_an_outsider_too(tmp_path, capsys):
    document, series = assess("demo:hut", tmp_path, "--plan-only")
    jsonschema.validate(document, json.loads((DOCS / "plan.schema.json").read_text()))
    assert main(["assess", "demo:hut"]) == 0
    summary = capsys.readouterr().out
    shares = {
        f"unserved {option['off_grid']['unmet_share']:.1%}"
        for option in document["options"]
        if not option["refused"]
    }
    assert "fuel € " in summary and " import " not in summary
    assert any(share in summary for share in shares)
    for option in (option for option in document["options"] if not option["refused"]):
        _, table = table_of(series / f"{option['key']}.csv")
        assert balances(option, table, document["step_h"]) < 1e-9
        assert table["export_kw"].max() == 0.0
        asked, off_grid = table["home_kw"].sum() * document["step_h"], option["off_grid"]
        assert asked == pytest.approx(option["year"]["home_kwh"], abs=1e-6)
        unmet = option["year"]["unmet_kwh"]
        assert unmet == pytest.approx(off_grid["unmet_share"] * (asked + unmet), abs=1e-6)
        assert off_grid["generator_kwh"] == pytest.approx(table["import_kw"].sum() * document["step_h"], abs=1e-6)


def test_the_search_says_its_edge_and_writes_every_plant(tmp_path, capsys, monkeypatch):
    monkeypatch.setattr("calm_relay.planning.studies.search.search.__defaults__", (unheard, 60))
    assert main(["search", "demo", "--by", "score", "--csv", str(tmp_path / "plants.csv")]) == 0
    summary = capsys.readouterr().out
    assert "can be built" in summary
    assert "Mossgate" in summary
    rows = (tmp_path / "plants.csv").read_text().splitlines()
    assert len(rows) == 61
    assert rows[0].startswith("number,option,battery")
    assert main(["search", "demo", "--by", "beauty"]) == 1
    assert "wanted one of saving" in capsys.readouterr().err


def test_stamps_tell_utc_and_the_local_clock(tmp_path):
    _, series = assess("demo", tmp_path, "--plan-only")
    stamps, _ = table_of(series / "as-is.csv")
    assert (stamps["utc"][0], stamps["local"][0]) == ("2025-12-31T12:00:00Z", "2026-01-01T01:00:00+13:00")
    assert stamps["local"][20_000].endswith("+12:00")


def test_a_relative_weather_file_is_sought_beside_the_job(greensboro, pvlib_data, tmp_path, monkeypatch):
    (tmp_path / "job").mkdir()
    (tmp_path / "job" / "station.csv").write_bytes((pvlib_data / "723170TYA.CSV").read_bytes())
    job = greensboro.with_(site=greensboro.site.with_(weather={"kind": "file", "path": "station.csv"}))
    write_job(job, tmp_path / "job" / "j.relay.json")
    monkeypatch.chdir(tmp_path)
    document, _ = assess("job/j.relay.json", tmp_path, "--plan-only")
    assert document["weather"] == "weather file station.csv"
    assert document["assumed_climate"] is False


def test_without_a_file_the_plan_is_shown_in_words(capsys):
    assert main(["assess", "demo"]) == 0
    summary = capsys.readouterr().out
    assert "AC-coupled add-on: bill NZ$" in summary
    assert "(assumed climate)" in summary
    assert main(["assess", "demo", "--json", "-", "--plan-only"]) == 0
    assert json.loads(capsys.readouterr().out)["format"] == "calm-relay-plan"


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("{", "bad.relay.json, line 1, column 2: the file is damaged"), ("{}", "this is not a job file")],
)
def test_a_bad_job_ends_with_one_sentence(tmp_path, capsys, text, wanted):
    path = tmp_path / "bad.relay.json"
    path.write_text(text)
    assert main(["assess", str(path)]) == 1
    summary = capsys.readouterr().err
    assert wanted in summary
    assert "Traceback" not in summary


def test_a_job_that_cannot_be_planned_names_its_field(demo, tmp_path, capsys):
    path = tmp_path / "job.relay.json"
    write_job(demo.with_(battery=demo.battery.with_(pack="nothing-such")), path)
    assert main(["assess", str(path)]) == 1
    assert "battery.pack: no battery pack has the key 'nothing-such'" in capsys.readouterr().err
    assert main(["assess", str(tmp_path / "missing.relay.json")]) == 1
    assert "there is no such file" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("schemas", "file"), "file: is a file; wanted a folder"),
        (("papers", "demo:pottery", "file"), "file: is a file; wanted a folder"),
        (("report", "demo:pottery", "folder"), "folder: is a folder; wanted the name of a file"),
        (
            ("assess", "demo:pottery", "--json", "nowhere/plan.json"),
            "nowhere/plan.json: there is no folder nowhere",
        ),
        (("assess", "."), ".: is a folder; wanted a file"),
    ],
)
def test_what_cannot_be_written_or_read_is_named_with_what_would_be_right(
    tmp_path, capsys, monkeypatch, words, said
):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "file").write_text("kept")
    (tmp_path / "folder").mkdir()
    assert main(list(words)) == 1
    assert f"calm-relay: {said}" in capsys.readouterr().err
    assert (tmp_path / "file").read_text() == "kept" and len(list(tmp_path.iterdir())) == 2


def test_schemas_are_written(tmp_path):
    assert main(["schemas", str(tmp_path)]) == 0
    kinds = "inverters", "microinverters", "modules", "optimisers", "packs"
    names = ("job", *(f"own-{kind}" for kind in kinds), "plan")
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"{name}.schema.json" for name in names]


def test_planning_needs_no_window_libraries():
    code = (
        "import sys; from calm_relay.cli import main; assert main(['assess', 'demo']) == 0; "
        "assert not [name for name in sys.modules if 'PySide' in name]"
    )
    subprocess.run([sys.executable, "-c", code], check=True, capture_output=True)


def test_report_export_and_install_need_no_screen(tmp_path):
    def run(*words):
        command = [sys.executable, "-m", "calm_relay", *map(str, words)]
        environment = {
            key: value for key, value in os.environ.items() if key not in {"DISPLAY", "QT_QPA_PLATFORM"}
        }
        return subprocess.run(command, check=True, capture_output=True, text=True, env=environment).stdout

    assert "pages" in run("report", "demo", tmp_path / "summary.pdf")
    assert "plan.xlsx" in run("export", "demo", tmp_path / "out")
    assert "calm-relay.desktop" in run("install", "--data", tmp_path / "share")


@pytest.mark.parametrize("words", [["report", "plan.pdf"], ["export", "papers"]])
def test_a_job_that_is_only_begun_is_not_put_on_paper(tmp_path, capsys, words):
    from calm_relay.planning.site.new_job import begun_job

    write_job(begun_job("Begun", library()), tmp_path / "begun.relay.json")
    command, out = words
    assert main([command, str(tmp_path / "begun.relay.json"), str(tmp_path / out)]) == 1
    assert "still wanted: where it stands; what the home uses" in capsys.readouterr().err
    assert not (tmp_path / out).exists()
    assert main(["assess", str(tmp_path / "begun.relay.json")]) == 0
    assert "No verdict yet" in capsys.readouterr().out


def test_the_planned_plant_is_served_and_read_from_another_process(tmp_path):
    """Two terminals: the simulated site in one, a client in the other."""
    import re

    from calm_relay.fieldbus.address import address_of
    from calm_relay.fieldbus.poller import read_once

    command = [sys.executable, "-m", "calm_relay", "site", "demo:two-homes", "--port", "0", "--for", "60"]
    command += ["--fault", "dead-string:2", "--speed", "1"]
    site = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        lines = []
        while "Played from" not in (lines[-1] if lines else ""):
            lines.append(site.stdout.readline())
            assert lines[-1], "it ended early"
        port = int(re.search(r"127\.0\.0\.1:(\d+)", lines[0])[1])
        # What was built, though another option fits better by now.
        assert "DC-coupled hybrid swap, served at" in lines[0]
        assert "dead-string" in "".join(lines)
        reading = read_once(address_of(f"127.0.0.1:{port}"))
        assert reading.inverter is not None and reading.battery is not None
        assert read_once(address_of(f"127.0.0.1:{port}", 3)).meter is not None
    finally:
        site.terminate()
        site.communicate()


@pytest.mark.parametrize(
    "words, said",
    [
        (["--fault", "nonsense"], "wanted one of"),
        (["--fault", "dead-string:99"], "wanted 1 to"),
        (["--speed", "0"], "--speed"),
        (["--port", "70000"], "--port"),
        (["--day", "02-30"], "wanted such as"),
        (["--option", "none"], "--option"),
        (["--line", "/dev/none-such"], "/dev/none-such: cannot be opened as a serial line"),
    ],
)
def test_a_site_that_cannot_be_played_is_told(words, said, capsys):
    assert main(["site", "demo:two-homes", *words]) == 1
    assert said in capsys.readouterr().err
