"""A year under each order of battery and controlled loads: bars of import and export, the bill, what a kWh is worth.

Off grid: what the generator gives and what nobody takes, the fuel, and what the loads have.
"""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.planning.common.amounts import worth_text

ROW = 40.0
LOAD_ROW = 17.0
WORDS = 124.0
FIGURES = 112.0


def _each(orders, name) -> str:
    """A figure of every order in kWh a year, with the order."""
    return ", ".join(f"{getattr(order, name):,.0f} kWh ({order.label})" for order in orders)


class OrderPicture(QWidget):
    """Draws `planning.studies.load_order.LoadOrders`."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._result, self._currency = None, ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The year with the battery first, and with the loads first")

    def sizeHint(self) -> QSize:
        """As high as its rows and sentences."""
        if self._result is None:
            return QSize(420, round(LOAD_ROW * 2))
        wraps = (2.0 if self._result.on_grid else 6.0) * LOAD_ROW
        rows = ROW * len(self._result.orders) + LOAD_ROW * (len(self._result.loads) + 1)
        return QSize(420, round(rows + wraps + 16))

    def minimumSizeHint(self) -> QSize:
        """What it needs to be read; narrower, sentences turn."""
        return QSize(260, self.sizeHint().height())

    def show_orders(self, result, currency: str) -> None:
        """Draws a result; None while it is not known."""
        self._result, self._currency = result, currency
        self.setAccessibleDescription("" if result is None else "; ".join(self._lines()))
        self.setToolTip(tip("From: the option's year, run once for each order; bill by the job's tariff"))
        self.updateGeometry()
        self.update()

    @property
    def is_drawn(self) -> bool:
        """Whether there is a result to draw."""
        return self._result is not None

    def _lines(self):
        for order in self._result.orders:
            (first, first_kwh), (second, second_kwh) = self._bars(order)
            yield (
                f"{order.label}: {first} {first_kwh:,.0f} kWh, {second} {second_kwh:,.0f} kWh, {self._bill(order)}"
                f"{self._worth(order)}"
            )

    def _bars(self, order):
        """What is drawn of an order, each with its word [kWh]."""
        if self._result.on_grid:
            return (("import", order.import_kwh), ("export", order.export_kwh))
        return (("generator", order.import_kwh), ("curtailed", order.curtailed_kwh))

    def _bill(self, order) -> str:
        paid = f"{self._currency} {order.bill:,.0f} a year"
        return paid if self._result.on_grid else f"fuel {paid}"

    def _worth(self, order) -> str:
        if order.loads_worth is None:
            return ""
        return (
            f"; {order.loads_kwh:,.0f} kWh on surplus, each worth {self._currency} {worth_text(order.loads_worth)}"
        )

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        look = colours()
        painter.setFont(font(8.6))
        if self._result is None:
            painter.setPen(QColor(look.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignTop, "Running the year once for each order …")
            return
        orders = self._result.orders
        most = max([kwh for order in orders for _, kwh in self._bars(order)] + [1.0])
        across = self.width() - WORDS - FIGURES - 6.0
        for number, order in enumerate(orders):
            top = 2.0 + number * ROW
            painter.setFont(font(8.6, strong=order.is_todays))
            painter.setPen(QColor(look.ink))
            painter.drawText(QRectF(0, top, WORDS - 6, 15), Qt.AlignmentFlag.AlignLeft, order.label)
            painter.setFont(font(8.2))
            painter.setPen(QColor(look.quiet))
            bill = self._bill(order)
            painter.drawText(QRectF(0, top + 15, WORDS - 6, 15), Qt.AlignmentFlag.AlignLeft, bill)
            for at, ((word, kwh), shade) in enumerate(
                zip(self._bars(order), (look.ink, look.alternating), strict=True)
            ):
                y = top + 2 + at * 14
                painter.fillRect(QRectF(WORDS, y, across, 9), QColor(look.field))
                painter.fillRect(QRectF(WORDS, y, across * kwh / most, 9), QColor(shade))
                painter.setPen(QColor(look.ink))
                value = QRectF(WORDS + across + 6, y - 3, FIGURES, 15)
                painter.drawText(value, Qt.AlignmentFlag.AlignVCenter, f"{word} {kwh:,.0f} kWh")
        y = 6.0 + len(orders) * ROW
        for text, strong in self._sentences():
            painter.setFont(font(8.4, strong=strong))
            painter.setPen(QColor(look.ink))
            room = QRectF(0, y, self.width() - 4, 3 * LOAD_ROW)
            flags = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
            painter.drawText(room, flags, text)
            y += painter.boundingRect(room, flags, text).height() + 2

    def _sentences(self):
        """What a kWh is worth in each place, then each load."""
        result = self._result
        worth = [
            f"{self._currency} {worth_text(order.loads_worth)} in the loads ({order.label})"
            for order in result.orders
            if order.loads_worth is not None
        ]
        if result.battery_worth is not None:
            worth.append(f"{self._currency} {worth_text(result.battery_worth)} out of the battery")
        if worth:
            yield "A kWh saves " + ", ".join(worth) + ".", True
        if not result.on_grid:
            yield f"The loads have {_each(result.orders, 'taken_kwh')}.", True
            if max(order.unmet_kwh for order in result.orders) >= 1.0:
                yield f"Asked for and not served: {_each(result.orders, 'unmet_kwh')}.", False
        for load in result.loads:
            short = f", {load.short_kwh:,.0f} short" if load.short_kwh >= 1.0 else ""
            lost = f", {load.lost_kwh:,.0f} lost standing" if load.lost_kwh >= 1.0 else ""
            yield (
                f"{load.name}: {load.taken_kwh:,.0f} kWh a year, {load.surplus_kwh:,.0f} on surplus{lost}{short}",
                False,
            )
