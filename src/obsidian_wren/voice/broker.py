"""Real-time rights for one thread from the desktop's broker, for programs that have none of their
own.

A thread that would then take the processor without end is told by SIGXCPU first, and killed with
its process where it goes on: whoever asks handles the signal with :func:`give_back`.

Source: the D-Bus interfaces ``org.freedesktop.RealtimeKit1`` and
``org.freedesktop.portal.Realtime``.
"""

from __future__ import annotations

import os
import resource
import threading
from typing import Any

_PATIENCE_S = 2.0
# Where the broker does not say.
_PRIORITY, _TIME_US = 10, 200_000
_BROKERS = (
    ("SYSTEM", "org.freedesktop.RealtimeKit1", "/org/freedesktop/RealtimeKit1", ""),
    (
        "SESSION",
        "org.freedesktop.portal.Desktop",
        "/org/freedesktop/portal/desktop",
        "org.freedesktop.portal.Realtime",
    ),
)
_given: list[int] = []


def ask_broker() -> bool:
    """Ask for this thread to run before others; whether that was granted."""
    return any(_asked(*each) for each in _BROKERS)


def give_back(*_: object) -> None:
    """Every thread that was given such rights runs as any other again."""
    while _given:
        try:
            os.sched_setscheduler(_given.pop(), os.SCHED_OTHER, os.sched_param(0))
        except OSError:
            continue


def _asked(bus: str, name: str, path: str, interface: str) -> bool:
    try:
        from jeepney import (  # type: ignore[import-untyped]
            DBusAddress,
            Properties,
            new_method_call,
        )
        from jeepney.io.blocking import open_dbus_connection  # type: ignore[import-untyped]

        with open_dbus_connection(bus=bus) as connection:
            broker = DBusAddress(path, bus_name=name, interface=interface or name)

            def of(message: Any) -> Any:
                reply = connection.send_and_get_reply(message, timeout=_PATIENCE_S)
                if reply.header.message_type.name != "method_return":
                    raise OSError(name)
                return reply.body

            def told(what: str, usual: int) -> int:
                try:
                    return int(of(Properties(broker).get(what))[0][1])
                except (OSError, ValueError, LookupError):
                    return usual

            most_us = told("RTTimeUSecMax", _TIME_US)
            priority = min(_PRIORITY, told("MaxRealtimePriority", _PRIORITY))
            resource.setrlimit(resource.RLIMIT_RTTIME, (most_us // 2, most_us))
            thread = threading.get_native_id()
            asked = (os.getpid(), thread, priority)
            of(new_method_call(broker, "MakeThreadRealtimeWithPID", "ttu", asked))
            _given.append(thread)
            return True
    except Exception:
        # No bus, no broker, no such right: whatever it is, sound goes on without.
        return False
