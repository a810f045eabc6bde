"""The price list of the firm in the window."""

import pytest

from calm_relay.exchange.own_equipment import read_prices
from tests.desk.driving import LEFT, choose, press, type_into

pytestmark = pytest.mark.usefixtures("own_folder")


@pytest.fixture
def dialog(window, qtbot):
    press(qtbot, window, "Ctrl+Shift+L")
    return window.bench.dialog


def test_every_field_of_the_costs_stands_in_the_dialog(dialog, window):
    from calm_relay.job.tariff import Costs

    assert set(dialog.fields) | {"incentives"} == set(Costs.model_fields)
    assert dialog.fields["labour_per_hour"].text() == f"{window.session.job.costs.labour_per_hour:g}"
    assert dialog.fields["discount_rate"].text() == f"{window.session.job.costs.discount_rate * 100:g}%"


def test_prices_are_typed_and_the_outlay_follows(window, dialog, qtbot, settled):
    before = window.session.plan.option("ac-addon").outcome.money.outlay
    type_into(qtbot, dialog.fields["permit"], "1,250")
    type_into(qtbot, dialog.fields["margin"], "10 %")
    qtbot.mouseClick(dialog.incentives.add, LEFT)
    _, fields = dialog.incentives.rows[0]
    qtbot.keyClicks(fields["name"], "Storage grant")
    type_into(qtbot, fields["amount"], "30")
    choose(fields["per"], "%")
    type_into(qtbot, fields["cap"], "2000")
    dialog.take()
    settled(window)
    money = window.session.plan.option("ac-addon").outcome.money
    assert window.session.job.costs.permit == 1250.0
    assert next(line.amount for line in money.lines if line.label == "Storage grant") == -2000.0
    whole = before + 1250.0
    assert money.outlay == pytest.approx(whole * 1.1 - 2000.0)
    assert window.commands.undo.text() == "Undo: Prices and labour"


def test_what_is_wrong_is_named_and_the_dialog_stays(dialog, qtbot):
    qtbot.mouseClick(dialog.incentives.add, LEFT)
    dialog.take()
    assert dialog.problem.text() == "Incentives 1, name: is empty; wanted at least 1 character."
    type_into(qtbot, dialog.fields["margin"], "250 %")
    assert "wanted" in dialog.problem.text()


def test_the_firms_list_is_kept_and_taken(window, dialog, qtbot, settled):
    assert not dialog.from_firm.isEnabled()
    type_into(qtbot, dialog.fields["labour_per_hour"], "77")
    qtbot.mouseClick(dialog.to_firm, LEFT)
    assert read_prices().labour_per_hour == 77.0
    type_into(qtbot, dialog.fields["labour_per_hour"], "12")
    qtbot.mouseClick(dialog.from_firm, LEFT)
    assert dialog.fields["labour_per_hour"].value == 77.0
    dialog.take()
    settled(window)
    assert window.session.job.costs.labour_per_hour == 77.0
    assert window.session.library.costs.labour_per_hour == 77.0
