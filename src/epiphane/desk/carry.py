"""What is carried by the mouse from the shelf to the score."""

import json

from PyQt6.QtCore import QMimeData

from epiphane.document.ids import FootageId

_FOOTAGE = "application/x-epiphane-footage"
_EFFECT = "application/x-epiphane-effect"


def carry_footage(ids: list[FootageId]) -> QMimeData:
    """Return clips of the project, to be dropped on the score."""
    data = QMimeData()
    data.setData(_FOOTAGE, json.dumps(ids).encode())
    return data


def carried_footage(data: QMimeData | None) -> list[FootageId]:
    """Return the clips being carried, if any."""
    if data is None or not data.hasFormat(_FOOTAGE):
        return []
    return [FootageId(number) for number in json.loads(bytes(data.data(_FOOTAGE).data()))]


def carry_effect(key: str) -> QMimeData:
    """Return an effect, to be dropped on the score."""
    data = QMimeData()
    data.setData(_EFFECT, key.encode())
    return data


def carried_effect(data: QMimeData | None) -> str:
    """Return the key of the effect being carried, if any."""
    if data is None or not data.hasFormat(_EFFECT):
        return ""
    return bytes(data.data(_EFFECT).data()).decode()
