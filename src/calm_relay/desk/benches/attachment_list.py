"""Photos and papers that belong to a job: shown small, captioned, sorted by station."""

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImageReader, QPixmap
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.exchange.bounds import MOST_PIXELS, checked_size
from calm_relay.exchange.errors import InputError
from calm_relay.job.survey import Attachment

THUMB = QSize(112, 84)
STATIONS = (
    ("", "no station"),
    *((name, name) for name in ("Site", "Roof", "Strings", "Inverter", "Battery", "Home", "Grid")),
)


class AttachmentList(QWidget):
    """Edits `Job.attachments`; emits `edited` with the new job and the edit's name. Files stay where they are."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._folder = None, Path.cwd()
        self.list = QListWidget()
        self.list.setAccessibleName("Photos and papers of the job")
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setIconSize(THUMB)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setMovement(QListWidget.Movement.Static)
        self.list.setSpacing(6)
        self.list.currentRowChanged.connect(self._on_row)
        self.add, self.drop = QPushButton("Add…"), QPushButton("Remove")
        self.caption = QLineEdit()
        self.caption.setAccessibleName("Caption of the photo in hand")
        self.caption.setPlaceholderText("what it shows")
        self.station = ChoiceField("Station of the photo in hand", STATIONS, width=9)
        self.none = Label("Meter, board, roof and labels: a photo of each saves a second visit.")
        self.none.setObjectName("quiet")
        self.add.clicked.connect(lambda _=False: self.ask())
        self.drop.clicked.connect(lambda _=False: self.remove())
        self.caption.editingFinished.connect(lambda: self._change("caption", self.caption.text().strip()))
        self.station.taken.connect(lambda value: self._change("station", value))
        row = QHBoxLayout()
        row.setSpacing(5)
        for button in (self.add, self.drop):
            button.setObjectName("small")
            row.addWidget(button)
        row.addWidget(self.caption, 1)
        row.addWidget(self.station)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.list, 1)
        column.addWidget(self.none)
        column.addLayout(row)

    def show_job(self, job, folder) -> None:
        """Shows a job's photos; `folder` is where relative paths start."""
        same = self._job is not None and job.attachments == self._job.attachments and self._folder == folder
        self._job, self._folder = job, folder or Path.cwd()
        self.none.setVisible(not job.attachments)
        self.list.setVisible(bool(job.attachments))
        if same:
            return
        chosen = self.list.currentRow()
        self.list.clear()
        for item in job.attachments:
            path = (self._folder / item.path).resolve()
            entry = QListWidgetItem(_thumbnail(path), item.caption or path.name)
            missing = "" if path.exists() else "\nThis file is missing."
            entry.setToolTip(tip(f"{path}{missing}"))
            if missing:
                entry.setText(f"{path.name} (missing)")
            self.list.addItem(entry)
        self.list.setCurrentRow(min(max(chosen, 0), self.list.count() - 1))
        self._on_row(self.list.currentRow())

    def ask(self) -> None:
        """Asks for files and adds them."""
        names, _ = QFileDialog.getOpenFileNames(
            self, "Photos and papers", str(self._folder), "Photos and papers (*.jpg *.jpeg *.png *.webp *.pdf)"
        )
        if names:
            new = tuple(Attachment(path=name) for name in names)
            word = "photo" if len(new) == 1 else "photos"
            self.edited.emit(self._job.with_(attachments=self._job.attachments + new), f"{len(new)} {word} added")

    def remove(self) -> None:
        """Takes the one in hand out of the job; its file stays."""
        row = self.list.currentRow()
        if row >= 0:
            kept = self._job.attachments
            self.edited.emit(
                self._job.with_(attachments=kept[:row] + kept[row + 1 :]), "Photo taken out of the job"
            )

    def _on_row(self, row):
        has = 0 <= row < len(self._job.attachments)
        for part in (self.caption, self.station, self.drop):
            part.setEnabled(has)
        self.caption.setText(self._job.attachments[row].caption if has else "")
        self.station.show_value(self._job.attachments[row].station if has else "")

    def _change(self, name, value):
        row = self.list.currentRow()
        if row < 0 or getattr(self._job.attachments[row], name) == value:
            return
        items = list(self._job.attachments)
        items[row] = items[row].with_(**{name: value})
        self.edited.emit(self._job.with_(attachments=tuple(items)), f"Photo: {name}")


def _thumbnail(path):
    """A small picture read small, so that a large photo does not hold the window up; papers are a blank sheet."""
    try:
        checked_size(path, "picture")
        reader = QImageReader(str(path))
        size = reader.size()
    except InputError:
        size = QSize()
    if size.isValid() and size.width() * size.height() <= MOST_PIXELS:
        reader.setAutoTransform(True)
        reader.setScaledSize(size.scaled(THUMB, Qt.AspectRatioMode.KeepAspectRatio))
        image = reader.read()
        if not image.isNull():
            picture = QPixmap.fromImage(image)
            icon = QIcon(picture)
            # A photo in hand keeps its colours.
            icon.addPixmap(picture, QIcon.Mode.Selected)
            return icon
    blank = QPixmap(THUMB)
    blank.fill(Qt.GlobalColor.lightGray)
    return QIcon(blank)
