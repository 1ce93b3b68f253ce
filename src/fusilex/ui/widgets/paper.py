"""A board's papers on A4, as PDF or on screen."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QApplication

from fusilex.formats.written.whole import write_whole
from fusilex.ui.theme import load_fonts

PAGE_PT = (595.0, 842.0)
MARGIN_PT = 42.0


def paper_document(html: str) -> QTextDocument:
    """The page laid out for A4 in points."""
    document = QTextDocument()
    document.setDocumentMargin(MARGIN_PT)
    document.setHtml(html)
    document.setPageSize(QSizeF(*PAGE_PT))
    return document


def pdf_of(html: str, title: str) -> bytes:
    """The page as PDF. Raises OSError when it cannot be painted."""
    document = paper_document(html)
    with painted_pdf(title) as (writer, painter, out):
        scale = writer.width() / PAGE_PT[0]
        pages = max(1, document.pageCount())
        for page in range(pages):
            painter.save()
            painter.scale(scale, scale)
            painter.translate(0, -page * PAGE_PT[1])
            document.drawContents(painter, QRectF(0, page * PAGE_PT[1], *PAGE_PT))
            painter.restore()
            if page + 1 < pages:
                writer.newPage()
    return bytes(out.data())


@contextmanager
def painted_pdf(title: str, dpi: int | None = None) -> Iterator[tuple[QPdfWriter, QPainter, QByteArray]]:
    """Pages of A4 without margins, painted into memory: a full disk is met when the file is written, and said there."""
    data, buffer = QByteArray(), QBuffer()
    buffer.setBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    if dpi:
        writer.setResolution(dpi)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
    )
    writer.setTitle(title)
    painter = QPainter()
    if not painter.begin(writer):
        raise OSError(5, "the pages cannot be painted")
    try:
        yield writer, painter, data
    finally:
        ended = painter.end()
        buffer.close()
    if not ended or not data.startsWith(b"%PDF"):
        raise OSError(5, "the pages cannot be painted")


def write_pdf_headless(html: str, path: Path) -> None:
    """The page as a PDF file, without a window: starts Qt offscreen when it is not running. Raises OSError."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    app = QApplication.instance() or QApplication(["fusilex"])
    load_fonts()
    write_whole({path: pdf_of(html, path.stem)})
    del app
