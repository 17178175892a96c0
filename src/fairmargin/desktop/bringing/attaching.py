"""A photograph or a small file, brought in for a leg, the load, a tyre plate or the study; pictures are made small."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Final

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt, QUrl
from PySide6.QtGui import QDesktopServices, QImage, QImageReader, QImageWriter

from fairmargin.core.study import Study
from fairmargin.core.study.attachments import MOST_BYTES, Attachment, attachment
from fairmargin.core.study.entry import words_of
from fairmargin.desktop.state.session import Session
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput

#: What may be read of a file before it is made small. [bytes]
MOST_READ: Final = 40 << 20
LONGEST_SIDE: Final = (1400, 1000, 700, 500)  # px, tried in turn until a picture is small enough
QUALITIES: Final = (80, 65, 50)
KINDS: Final = "Photographs and small files (*.jpg *.jpeg *.png *.webp *.pdf *.txt *.csv);;All files (*)"


def small_picture(data: bytes) -> bytes | None:
    """A picture as a small JPEG, as it was held; None of what is no picture.

    Parameters
    ----------
    data : bytes

    Returns
    -------
    bytes or None
        As it is where it is small enough; where it was taken is not kept in one that is made smaller.
    """
    buffer = QBuffer()
    buffer.setData(data)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    if not reader.canRead():
        return None
    if len(data) <= MOST_BYTES:
        return data
    image = reader.read()
    if image.isNull():
        return None
    for side in LONGEST_SIDE:
        small = image
        if max(image.width(), image.height()) > side:
            small = image.scaled(
                side, side, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
        for quality in QUALITIES:
            made = _jpeg(small, quality)
            if made and len(made) <= MOST_BYTES:
                return made
    return None


def _jpeg(image: QImage, quality: int) -> bytes:
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QImageWriter(out, QByteArray(b"jpeg"))
    writer.setQuality(quality)
    writer.write(image.convertToFormat(QImage.Format.Format_RGB888))
    return bytes(out.data().data())


def attach(session: Session, path: Path, of: str) -> bool:
    """Attach a file; what cannot be is told and changes nothing."""
    study = session.study
    if study is None:
        return False
    try:
        data = budget.read_bytes(path, MOST_READ, path.name)
        picture = small_picture(data)
        name = path.name if picture is None or picture is data else f"{path.stem}.jpg"
        made = attachment(name, data if picture is None else picture, of, tuple(x.file for x in study.attachments))
        after = study.with_(attachments=(*study.attachments, made))
    except (InvalidInput, OSError, ValueError) as error:
        session.failed.emit(error.faults[0] if isinstance(error, InvalidInput) else f"{path.name}: {words_of(error)}")
        return False
    return session.edit(after, f"attach {made.file}")


def attached_to(study: Study, of: str) -> tuple[Attachment, ...]:
    """What is attached to a thing."""
    return tuple(x for x in study.attachments if x.of == of)


def detach(session: Session, file: str) -> None:
    """Take an attachment away; undo brings it back."""
    study = session.study
    if study is not None:
        kept = tuple(x for x in study.attachments if x.file != file)
        session.edit(study.with_(attachments=kept), f"remove {file}")


def open_attached(session: Session, file: str) -> None:
    """Show an attachment of the open study by its name."""
    item = next((x for x in session.study.attachments if x.file == file), None) if session.study is not None else None
    if item is not None:
        show_attachment(item)


def show_attachment(item: Attachment) -> Path:
    """Show an attachment with what the desktop has for it; a copy, so that nothing done to it comes back.

    Returns
    -------
    Path
        The copy.
    """
    folder = Path(tempfile.mkdtemp(prefix="fairmargin-"))
    copy = folder / item.file
    copy.write_bytes(item.content)
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(copy)))
    return copy
