"""A board's papers on A4, as PDF or on screen."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QApplication

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


def write_pdf(html: str, path: Path) -> None:
    """Write the page as PDF. Raises OSError when the file cannot be written; an existing file is replaced whole or
    not at all.
    """
    draft = path.with_name(path.name + ".part")
    with draft.open("wb"):
        pass  # refuses here, in words, where Qt would stay silent
    writer = QPdfWriter(str(draft))
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
    )
    writer.setTitle(path.stem)
    document = paper_document(html)
    painter = QPainter(writer)
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
    painter.end()
    draft.replace(path)


def write_pdf_headless(html: str, path: Path) -> None:
    """`write_pdf` without a window: starts Qt offscreen when it is not running."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    app = QApplication.instance() or QApplication(["fusilex"])
    load_fonts()
    write_pdf(html, path)
    del app
