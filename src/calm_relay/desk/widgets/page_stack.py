"""Pages of which one is seen, as large as that one asks for."""

from PySide6.QtWidgets import QStackedWidget


class PageStack(QStackedWidget):
    """Asks for the room of the bench that is open, not of the largest there is."""

    def sizeHint(self):
        """That of the page that is seen."""
        return self.currentWidget().sizeHint() if self.currentWidget() else super().sizeHint()

    def minimumSizeHint(self):
        """That of the page that is seen."""
        return self.currentWidget().minimumSizeHint() if self.currentWidget() else super().minimumSizeHint()

    def hasHeightForWidth(self):
        """Words that wrap do not make it higher."""
        return False

    def heightForWidth(self, width):
        """That of the page that is seen: what scrolls asks for it although none is had."""
        return self.currentWidget().heightForWidth(width) if self.currentWidget() else -1
