"""The own library of equipment on the desk: made, changed, taken out, and read again when another window did so."""

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMessageBox

from calm_relay.desk.widgets.label import tip
from calm_relay.exchange import own_equipment
from calm_relay.exchange.errors import InputError
from calm_relay.job.own_item import ITEMS, OwnItem
from calm_relay.planning.equipment.draft import SINGULAR, key_of

if TYPE_CHECKING:
    from calm_relay.desk.dialogs.item_dialog import ItemDialog
    from calm_relay.desk.dialogs.table_dialog import PricesDialog, TableDialog


class Shelf(QObject):
    """What a window does with the own library; every change reaches the session as another library."""

    def __init__(self, session, notice, parent):
        super().__init__(parent)
        self._session = session
        self._notice = notice
        self._window = parent
        self.own, _ = own_equipment.read_own_equipment()
        self._stamp = own_equipment.stamp()

    def new(self, kind: str, then=None) -> "ItemDialog":
        """Opens a form for a new item; `then` is called with its key when it was kept."""
        return self._ask(kind, None, then)

    def change(self, kind: str, key: str) -> "ItemDialog":
        """Opens the form of an item; one that ships with the application becomes an own copy."""
        own = next((item for item in self.own.of(kind) if item.key == key), None)
        if own is None:
            items = getattr(self._session.library.in_money_of(self._session.job), kind)
            item = next(one for one in items if one.key == key)
            name = f"{item.name}, own"
            own = ITEMS[kind](item=item.with_(name=name, key=key_of(name, self._keys(kind))))
        return self._ask(kind, own, None)

    def _keys(self, kind):
        return {item.key for item in getattr(self._session.library.catalogue, kind)}

    def _ask(self, kind, own, then):
        # The form draws charts, and their library takes long to import: a window starts without it.
        from calm_relay.desk.dialogs.item_dialog import ItemDialog

        catalogue = self._session.library.catalogue
        families = {pack.family for pack in catalogue.packs}
        families |= {family for unit in catalogue.inverters if unit.battery for family in unit.battery.families}
        dialog = ItemDialog(
            kind,
            own,
            others=getattr(catalogue, kind),
            taken=self._keys(kind),
            families=families,
            money=self._session.job.tariff.currency,
            parent=self._window,
        )
        dialog.kept.connect(lambda made: self.put(kind, made, then))
        dialog.open()
        return dialog

    def put(self, kind: str, own: OwnItem, then=None) -> bool:
        """Puts an item into the library; says whether it lies there now."""
        if not self._written(lambda: own_equipment.change(kind, put=[own])):
            return False
        if then is not None:
            then(own.key)
        return True

    def drop(self, kind: str, key: str) -> bool:
        """Takes an own item out, after asking; a job that uses it keeps its copy."""
        own = next((item for item in self.own.of(kind) if item.key == key), None)
        if own is None:
            return False
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Take it out of the library",
            tip(
                f"Take the {SINGULAR[kind]} “{own.item.name}” out of your library? "
                f"Saved jobs that use it keep their copy."
            ),
            buttons.Discard | buttons.Cancel,
            buttons.Cancel,
        )
        if answer != buttons.Discard:
            return False
        # The job on the desk keeps what it names.
        self._session.keep_equipment()
        return self._written(lambda: own_equipment.change(kind, drop=[key]))

    def leave_examples_out(self, on: bool) -> bool:
        """Leaves the invented equipment out of what is proposed, or takes it in again."""
        return self._written(lambda: own_equipment.leave_examples_out(on))

    def export_to(self, path: Path) -> bool:
        """Writes the whole library into one file for a colleague."""
        try:
            count = own_equipment.export_equipment(path)
        except (OSError, InputError) as error:
            return self._refused(error)
        self._notice.ask(f"Written: {count} items, {path}", ())
        return True

    def import_from(self, path: Path) -> bool:
        """Takes a colleague's file into the library."""
        counts = []
        if not self._written(lambda: counts.append(own_equipment.import_equipment(path))):
            return False
        new, replaced = counts[0]
        self._notice.ask(f"Taken from {path.name}: {new} new items, {replaced} in place of others.", ())
        return True

    def take_table(self, kind: str, path: Path) -> "TableDialog":
        """Opens a supplier's spreadsheet; the rows that fit come into the library when it is accepted."""
        from calm_relay.desk.dialogs.table_dialog import TableDialog

        dialog = TableDialog(kind, self._keys(kind), self._window)
        dialog.accepted.connect(lambda: self._take_items(kind, dialog.items, path))
        dialog.open()
        dialog.read_file(path)
        return dialog

    def _take_items(self, kind, items, path):
        """An item of the same article or name as an own one takes its place."""
        known = {own.item.name.casefold(): own.key for own in self.own.of(kind)}
        known |= {own.article.casefold(): own.key for own in self.own.of(kind) if own.article}
        placed = []
        for own in items:
            key = known.get(own.article.casefold()) if own.article else None
            key = key or known.get(own.item.name.casefold())
            placed.append(own.with_(item=own.item.with_(key=key)) if key else own)
        if self._written(lambda: own_equipment.change(kind, put=placed)):
            self._notice.ask(f"Taken from {path.name}: {len(items)} items.", ())

    def take_prices(self, path: Path) -> "PricesDialog":
        """Opens a supplier's price list; the prices ticked come into the library when it is accepted."""
        from calm_relay.desk.dialogs.table_dialog import PricesDialog

        dialog = PricesDialog(self.own.items, self._window)
        dialog.accepted.connect(lambda: self._take_prices(dialog.taken, path))
        dialog.open()
        dialog.read_file(path)
        return dialog

    def _take_prices(self, prices, path):
        today = date.today().isoformat()

        def write():
            for kind in {one.kind for one in prices}:
                changed = [one.changed.with_(priced=today) for one in prices if one.kind == kind]
                own_equipment.change(kind, put=changed)

        if self._written(write):
            self._notice.ask(f"Taken from {path.name}: {len(prices)} prices.", ())

    def _written(self, write) -> bool:
        try:
            write()
        except (OSError, InputError) as error:
            return self._refused(error)
        self.read_again()
        return True

    def keep_costs(self, costs, told) -> None:
        """Keeps a price list as the firm's; `told` is called with whether it is kept now."""
        told(self._written(lambda: own_equipment.write_prices(costs)))

    def keep_figures(self, figures, told) -> None:
        """Keeps figures of wires as the firm's; `told` is called with whether they are kept now."""
        told(self._written(lambda: own_equipment.write_own_figures(figures)))

    def _refused(self, error):
        reason = (
            str(error)
            if isinstance(error, InputError)
            else f"{own_equipment.data_folder()}: {error.strerror or error}"
        )
        QMessageBox.warning(self._window, "The library was not changed", tip(f"{reason}. Nothing in it is lost."))
        return False

    def read_again(self) -> None:
        """Takes the library as it lies on disk, with what is to be told of it."""
        self.own, told = own_equipment.read_own_equipment()
        self._stamp = own_equipment.stamp()
        self._session.take_library(own_equipment.library(self.own))
        if told:
            self._notice.ask(" ".join(told), ())

    def look_at_disk(self) -> None:
        """Reads the library again when another window or program changed it."""
        if own_equipment.stamp() != self._stamp:
            self.read_again()
