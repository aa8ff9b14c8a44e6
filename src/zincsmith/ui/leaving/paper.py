"""A report on paper: the pages of its PDF, drawn on a printer in a thread of their own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from PySide6.QtCore import QMarginsF, QObject, QRectF, Signal
from PySide6.QtGui import QImage, QPageLayout, QPageSize, QPainter
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QDialog, QWidget

from zincsmith.model.errors import ZincsmithError
from zincsmith.ui.beside import Beside

DOTS = 200.0  # an inch: what small text on paper needs


class Paper(QObject):
    """Signal ``said``: what is going on, in words, and at last whether it was handed over."""

    said = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._window, self._beside = parent, Beside(self)

    def ask(self, of: Callable[[], str], name: str) -> None:
        """Ask for a printer, then print what ``of`` gives as HTML; it is called in the thread."""
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(name)
        printer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        if QPrintDialog(printer, self._window).exec() == QDialog.DialogCode.Accepted:
            self.said.emit("Setting the pages…")
            self._beside.start(partial(printed, of, printer), self.said.emit)


def printed(of: Callable[[], str], printer: QPrinter) -> Iterator[str]:
    """In the thread: how it went. The report has margins of its own, so that it covers the sheet."""
    from zincsmith.report.pdf import pages_of

    try:
        pages = pages_of(of(), DOTS)
    except ZincsmithError as error:
        yield f"It was not printed: {error}"
        return
    printer.setPageMargins(QMarginsF(0.0, 0.0, 0.0, 0.0), QPageLayout.Unit.Millimeter)
    first, last = max(1, printer.fromPage()), printer.toPage() or len(pages)
    chosen = pages[first - 1 : last]
    painter = QPainter()
    if not painter.begin(printer):
        yield "It was not printed: the printer does not take it. Save it as PDF instead."
        return
    for n, page in enumerate(chosen):
        if n:
            printer.newPage()
        sheet = printer.pageLayout().fullRectPixels(printer.resolution())
        painter.drawImage(QRectF(0.0, 0.0, sheet.width(), sheet.height()), QImage.fromData(page))
    painter.end()
    yield f"Handed to the printer: {len(chosen)} pages."
