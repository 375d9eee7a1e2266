"""MIME data of drags from the shelf to the score."""

import json

from PyQt6.QtCore import QMimeData

from epiphane.document.ids import FootageId

_FOOTAGE = "application/x-epiphane-footage"
_EFFECT = "application/x-epiphane-effect"
_OVERLAY = "application/x-epiphane-overlay"
_RECIPE = "application/x-epiphane-recipe"


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
    return _carry(_EFFECT, key)


def carried_effect(data: QMimeData | None) -> str:
    """Return the key of the effect being carried, if any."""
    return _carried(_EFFECT, data)


def carry_overlay(name: str) -> QMimeData:
    """Return a shipped overlay, a solid or a shape, to be dropped on the score."""
    return _carry(_OVERLAY, name)


def carried_overlay(data: QMimeData | None) -> str:
    """Return the name of the overlay being carried, if any."""
    return _carried(_OVERLAY, data)


def carry_recipe(path: str) -> QMimeData:
    """Return a recipe, by the path of its file, to be dropped on the score."""
    return _carry(_RECIPE, path)


def carried_recipe(data: QMimeData | None) -> str:
    """Return the path of the recipe being carried, if any."""
    return _carried(_RECIPE, data)


def _carry(kind: str, text: str) -> QMimeData:
    data = QMimeData()
    data.setData(kind, text.encode())
    return data


def _carried(kind: str, data: QMimeData | None) -> str:
    if data is None or not data.hasFormat(kind):
        return ""
    return bytes(data.data(kind).data()).decode()
