"""What the desktop is set to for all applications: larger text, and less motion."""

from PyQt6.QtCore import QObject, pyqtSignal, pyqtSlot
from PyQt6.QtDBus import (
    QDBusConnection,
    QDBusMessage,
    QDBusPendingCallWatcher,
    QDBusPendingReply,
    QDBusVariant,
)

_SERVICE, _PATH = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
_SETTINGS = "org.freedesktop.portal.Settings"
_TEXT = ("org.gnome.desktop.interface", "text-scaling-factor")
_ANIMATIONS = ("org.gnome.desktop.interface", "enable-animations")
_MOTION = ("org.freedesktop.appearance", "reduced-motion")
_WISHES = (_TEXT, _ANIMATIONS, _MOTION)


class DesktopWishes(QObject):
    """Asks the desktop portal for its settings, and hears of changes; without one nothing is told.

    Signals
    -------
    text_size_wished(factor: float)
        By how much text is to be larger.
    less_motion_wished(is_less: bool)
        Nothing is to move that need not.
    """

    text_size_wished = pyqtSignal(float)
    less_motion_wished = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._bus = QDBusConnection.sessionBus()
        self._for_less: set[tuple[str, str]] = set()
        self._waiting: set[QDBusPendingCallWatcher] = set()

    def ask(self) -> None:
        """Ask for all of them; what is answered is told when it comes."""
        if not self._bus.isConnected():
            return
        changed = (_SERVICE, _PATH, _SETTINGS, "SettingChanged")
        self._bus.connect(*changed, self._on_changed)
        for wish in _WISHES:
            message = QDBusMessage.createMethodCall(_SERVICE, _PATH, _SETTINGS, "Read")
            message.setArguments(list(wish))
            watcher = QDBusPendingCallWatcher(self._bus.asyncCall(message))
            self._waiting.add(watcher)
            watcher.finished.connect(lambda done, wish=wish: self._on_answer(wish, done))

    def _on_answer(self, wish: tuple[str, str], watcher: QDBusPendingCallWatcher) -> None:
        self._waiting.discard(watcher)
        reply = QDBusPendingReply(watcher)
        if not reply.isError():
            self._tell(wish, reply.argumentAt(0))

    @pyqtSlot(QDBusMessage)
    def _on_changed(self, message: QDBusMessage) -> None:
        group, name, value = (*message.arguments(), None, None, None)[:3]
        self._tell((str(group), str(name)), value)

    def _tell(self, wish: tuple[str, str], value: object) -> None:
        """Tell what a setting of the desktop wishes; others, and values of another kind, are not for us."""
        while isinstance(value, QDBusVariant):  # portals answer with one in another
            value = value.variant()
        if wish == _TEXT and isinstance(value, float):
            self.text_size_wished.emit(value)
        elif wish in (_ANIMATIONS, _MOTION) and isinstance(value, int):
            wishes_less = not value if wish == _ANIMATIONS else value == 1
            (self._for_less.add if wishes_less else self._for_less.discard)(wish)
            self.less_motion_wished.emit(bool(self._for_less))
