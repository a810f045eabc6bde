"""What is remembered between starts, and what is written beside the job."""

import csv
import io
import os
import subprocess
import sys
import xml.etree.ElementTree as ElementTree

import pytest

from calm_relay.exchange import user_state
from calm_relay.exchange.desktop_entry import install
from calm_relay.exchange.table_file import write_tables
from calm_relay.exchange.user_state import (
    Settings,
    file_mark,
    forget_unsaved,
    keep_unsaved,
    left_behind,
    read_settings,
    write_settings,
)


@pytest.fixture(autouse=True)
def own_folder(tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "state"))
    return tmp_path / "state"


def test_settings_come_back_and_damage_costs_only_them(own_folder):
    assert read_settings() == Settings()
    write_settings(Settings(look="dark", scale=150))
    assert read_settings() == Settings(look="dark", scale=150)
    (own_folder / "settings.json").write_text("{")
    assert read_settings() == Settings()


def test_recent_jobs_are_newest_first_and_at_most_ten(tmp_path):
    settings = Settings()
    for number in (*range(12), 5):
        settings = settings.with_recent(tmp_path / f"{number}.relay.json")
    assert len(settings.recent) == 10
    assert settings.recent[0].endswith("5.relay.json")
    assert len(set(settings.recent)) == 10


def test_a_folder_that_cannot_be_written_costs_only_the_memory(tmp_path, monkeypatch, demo):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "file"))
    write_settings(Settings(look="dark"))
    assert read_settings() == Settings()
    assert left_behind() == ()
    with pytest.raises(OSError):
        keep_unsaved(demo, None, tmp_path)


def test_work_survives_a_kill(demo, tmp_path):
    code = (
        "import os, signal; from pathlib import Path; from calm_relay.exchange.shipped import demo_job; "
        "from calm_relay.exchange.user_state import keep_unsaved; "
        "keep_unsaved(demo_job().with_(name='Half done'), None, Path.cwd()); os.kill(os.getpid(), signal.SIGKILL)"
    )
    done = subprocess.run([sys.executable, "-c", code], env=os.environ, check=False)
    assert done.returncode == -9
    (kept,) = left_behind()
    assert kept.job.name == "Half done"
    forget_unsaved(kept.process)
    assert left_behind() == ()


def test_work_of_a_running_application_is_its_own(demo, own_folder, tmp_path):
    keep_unsaved(demo, tmp_path / "a.relay.json", tmp_path)
    assert left_behind() == ()
    (own_folder / "unsaved" / "123.json").write_text("damaged")
    assert left_behind() == ()
    forget_unsaved()
    assert not user_state._unsaved_path(os.getpid()).exists()


def test_a_number_that_went_to_another_program_does_not_hide_work(demo, own_folder, tmp_path):
    keep_unsaved(demo, None, tmp_path)
    mine = user_state._unsaved_path(os.getpid())
    with subprocess.Popen(["sleep", "30"]) as other:
        text = mine.read_text().replace(f'"process":{os.getpid()}', f'"process":{other.pid}')
        user_state._unsaved_path(other.pid).write_text(text)
        mine.unlink()
        assert [kept.process for kept in left_behind()] == [other.pid]
        other.kill()


def test_a_mark_changes_with_the_content_only(tmp_path):
    path = tmp_path / "a"
    assert file_mark(path) is None
    path.write_text("one")
    first = file_mark(path)
    path.write_text("one")
    assert file_mark(path) == first
    path.write_text("two")
    assert file_mark(path) != first


def test_tables_are_written_as_csv_and_xlsx(tmp_path):
    from openpyxl import load_workbook

    tables = {
        "comparison": [["measure", "A"], ["Bill, yearly", 12.5], ["Payback", None]],
        "findings": [["x"], ["ünder"]],
    }
    written = write_tables(tables, tmp_path / "out")
    assert [path.name for path in written] == ["comparison.csv", "findings.csv", "plan.xlsx"]
    assert list(csv.reader(io.StringIO(written[0].read_text())))[1] == ["Bill, yearly", "12.5"]
    book = load_workbook(written[-1])
    assert book.sheetnames == ["comparison", "findings"]
    assert book["comparison"]["B2"].value == 12.5
    assert book["findings"]["A2"].value == "ünder"


def test_menu_entry_icon_and_description_go_where_a_desktop_looks(tmp_path):
    entry, icon, about = install(tmp_path)
    text = entry.read_text()
    assert entry == tmp_path / "applications" / "calm-relay.desktop"
    assert f"{sys.executable} -m calm_relay open %f" in text
    assert "@" not in text
    assert ElementTree.parse(icon).getroot().tag.endswith("svg")
    root = ElementTree.parse(about).getroot()
    assert root.findtext("project_license") == "Apache-2.0"
    assert root.find("launchable").text == entry.name
