"""Real-time rights for one thread from the desktop's broker, for programs that have none of their
own: for the thread that asks, or for one of another process of the same person.

A thread that would then take the processor without end gets SIGXCPU first, and is killed with
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


def ask_broker(
    process: int | None = None, thread: int | None = None, most: int = _PRIORITY
) -> bool:
    """Ask for a thread of a process to run before others, for this one where none is named, at no
    more than a priority; whether that was granted."""
    own = process is None or thread is None
    asked = (os.getpid(), threading.get_native_id()) if own else (process, thread)
    return any(_asked(*each, asked, own=own, most=most) for each in _BROKERS)


def give_back(*_: object) -> None:
    """Every thread that was given such rights runs as any other again."""
    while _given:
        try:
            os.sched_setscheduler(_given.pop(), os.SCHED_OTHER, os.sched_param(0))
        except OSError:
            continue


def _asked(
    bus: str,
    name: str,
    path: str,
    interface: str,
    asked: tuple[int | None, int | None],
    *,
    own: bool,
    most: int,
) -> bool:
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

            priority = min(most, told("MaxRealtimePriority", most))
            if own:
                most_us = told("RTTimeUSecMax", _TIME_US)
                resource.setrlimit(resource.RLIMIT_RTTIME, (most_us // 2, most_us))
            of(new_method_call(broker, "MakeThreadRealtimeWithPID", "ttu", (*asked, priority)))
            if own:
                _given.append(threading.get_native_id())
            return True
    except Exception:
        # No bus, no broker, no such right: whatever it is, sound goes on without.
        return False
