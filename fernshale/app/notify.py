"""Notifications of the desktop, sent over the session bus (org.freedesktop.Notifications, version 1.2)."""

from __future__ import annotations

import os
from threading import Thread

from jeepney import DBusAddress, MessageType, new_method_call
from jeepney.io.blocking import open_dbus_connection

_NOTIFICATIONS = DBusAddress(
    "/org/freedesktop/Notifications", "org.freedesktop.Notifications", "org.freedesktop.Notifications"
)
# For as long as the desktop thinks fit, and how long to wait for it; milliseconds, seconds.
_USUAL_MS = -1
_WAIT_S = 3.0


def notify(title: str, text: str) -> None:
    """Show a notification, where there is a desktop that has them. Nobody waits for it."""
    if os.environ.get("DBUS_SESSION_BUS_ADDRESS"):
        Thread(target=send, args=(title, text), daemon=True).start()


def send(title: str, text: str) -> bool:
    """Show a notification; False if the desktop has none, or does not answer."""
    arguments: tuple[object, ...] = ("Fernshale", 0, "fernshale", title, text, [], {}, _USUAL_MS)
    message = new_method_call(_NOTIFICATIONS, "Notify", "susssasa{sv}i", arguments)
    try:
        with open_dbus_connection(bus="SESSION") as connection:
            answer = connection.send_and_get_reply(message, timeout=_WAIT_S)
            return bool(answer.header.message_type is MessageType.method_return)
    except (OSError, EOFError, KeyError, ValueError):
        return False
