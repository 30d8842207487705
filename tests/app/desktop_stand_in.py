"""A stand-in for the desktop's service of notifications: prints what it is told, one JSON line each, and answers."""

from __future__ import annotations

import json

from jeepney import HeaderFields, message_bus, new_method_return
from jeepney.io.blocking import open_dbus_connection

NAME = "org.freedesktop.Notifications"

with open_dbus_connection(bus="SESSION") as connection:
    connection.send_and_get_reply(message_bus.RequestName(NAME))
    print("ready", flush=True)
    while True:
        message = connection.receive()
        if message.header.fields.get(HeaderFields.member) == "Notify":
            print(json.dumps(message.body[3:5]), flush=True)
            connection.send(new_method_return(message, "u", (7,)))
            break
