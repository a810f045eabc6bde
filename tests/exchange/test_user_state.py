"""What is remembered between starts, and what is written beside the job."""

import csv
import io
import os
import sys
import xml.etree.ElementTree as ElementTree

import pytest

from calm_relay.exchange.desktop_entry import install
from calm_relay.exchange.table_file import write_tables
from calm_relay.exchange.user_state import Settings, change_settings, read_settings, write_settings


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


def test_a_folder_that_cannot_be_written_costs_only_the_memory(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "file"))
    write_settings(Settings(look="dark"))
    assert read_settings() == Settings()


@pytest.mark.parametrize("text", ["{}", "[]", "1", "null", '"x"', "[" * 5000, '{"scale": 1e999}', "\x00"])
def test_settings_of_any_other_shape_are_those_of_a_first_start(own_folder, text):
    own_folder.mkdir()
    (own_folder / "settings.json").write_text(text)
    assert read_settings() == Settings()


def test_a_job_whose_name_is_no_utf8_is_remembered(own_folder, tmp_path):
    path = tmp_path / os.fsdecode(b"caf\xe9.relay.json")
    write_settings(Settings().with_recent(tmp_path / "plain.relay.json").with_recent(path))
    assert read_settings().recent_paths == (path, tmp_path / "plain.relay.json")


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
    assert f"{sys.executable} -P -m calm_relay open %f" in text
    assert "@" not in text
    assert ElementTree.parse(icon).getroot().tag.endswith("svg")
    root = ElementTree.parse(about).getroot()
    assert root.findtext("project_license") == "Apache-2.0"
    assert root.find("launchable").text == entry.name


def test_two_windows_do_not_take_one_anothers_settings_back(own_folder, tmp_path):
    import threading

    def opened(number):
        change_settings(lambda settings: settings.with_recent(tmp_path / f"{number}.relay.json"))

    threads = [threading.Thread(target=opened, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(read_settings().recent) == 8
