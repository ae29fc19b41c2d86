"""Real-time rights from a broker on a bus: a stand-in for it, on a bus of its own."""

import os
import resource
import shutil
import subprocess
import threading

import pytest
from jeepney import message_bus, new_error, new_method_return
from jeepney.io.blocking import open_dbus_connection

from obsidian_wren.voice import broker
from obsidian_wren.voice.priority import come_first, let_come_first

pytestmark = pytest.mark.skipif(shutil.which("dbus-daemon") is None, reason="needs a bus")


@pytest.fixture
def bus(tmp_path_factory, monkeypatch):
    folder = tmp_path_factory.mktemp("b")
    address = f"unix:path={folder}/bus"
    process = subprocess.Popen(
        ["dbus-daemon", "--session", f"--address={address}", "--nofork", "--print-address"],
        stdout=subprocess.PIPE,
    )
    process.stdout.readline()
    for name in ("DBUS_SYSTEM_BUS_ADDRESS", "DBUS_SESSION_BUS_ADDRESS"):
        monkeypatch.setenv(name, address)
    yield
    process.kill()
    process.wait()
    process.stdout.close()


@pytest.fixture
def brokers(bus):
    """Start a broker under a name; what it was asked is found in the list that this gives."""
    ended, threads = [], []

    def start(name, *, grants=True):
        asked, connection = [], open_dbus_connection(bus="SESSION")
        connection.send_and_get_reply(message_bus.RequestName(name))

        def answer():
            while not ended:
                try:
                    message = connection.receive(timeout=0.1)
                except TimeoutError:
                    continue
                member = message.header.fields.get(3)
                if member == "Get":
                    value = {"RTTimeUSecMax": ("x", 150_000), "MaxRealtimePriority": ("i", 7)}
                    reply = new_method_return(message, "v", (value[message.body[1]],))
                elif member == "MakeThreadRealtimeWithPID" and grants:
                    asked.append(message.body)
                    reply = new_method_return(message)
                else:
                    reply = new_error(message, "org.freedesktop.DBus.Error.AccessDenied")
                connection.send(reply)
            connection.close()

        threads.append(threading.Thread(target=answer, daemon=True))
        threads[-1].start()
        return asked

    yield start
    ended.append(True)
    for thread in threads:
        thread.join()


@pytest.fixture
def limits(monkeypatch):
    """What is asked of the system, which must not hold for the tests after this one."""
    found = []
    monkeypatch.setattr(broker, "_given", [])
    monkeypatch.setattr(resource, "setrlimit", lambda *what: found.append(what))
    monkeypatch.setattr(os, "sched_setscheduler", lambda *_: (_ for _ in ()).throw(PermissionError))
    return found


def test_the_broker_is_asked_for_no_more_than_it_grants(brokers, limits):
    asked = brokers("org.freedesktop.RealtimeKit1")
    assert come_first(brokered=True)
    assert asked == [(os.getpid(), threading.get_native_id(), 7)]
    assert limits == [(resource.RLIMIT_RTTIME, (75_000, 150_000))]


def test_a_thread_of_the_server_is_asked_for_at_no_more_than_its_own_have(brokers, limits):
    asked = brokers("org.freedesktop.RealtimeKit1")
    assert not let_come_first(4000, 4002)
    assert let_come_first(4000, 4002, brokered=True)
    assert asked == [(4000, 4002, 5)]
    # What holds for us is not touched, and there is nothing of ours to give back.
    assert (limits, broker._given) == ([], [])


def test_a_sandbox_has_a_portal_in_its_place(brokers, limits):
    refused = brokers("org.freedesktop.RealtimeKit1", grants=False)
    asked = brokers("org.freedesktop.portal.Desktop")
    assert broker.ask_broker()
    assert refused == []
    assert len(asked) == 1


def test_without_any_sound_goes_on(bus, limits, monkeypatch):
    assert not broker.ask_broker()
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", "unix:path=/nonexistent")
    assert not broker.ask_broker()


def test_who_takes_the_processor_without_end_gives_it_back(brokers, monkeypatch):
    monkeypatch.setattr(resource, "setrlimit", lambda *_: None)
    brokers("org.freedesktop.RealtimeKit1")
    assert broker.ask_broker()
    told = []
    monkeypatch.setattr(os, "sched_setscheduler", lambda *what: told.append(what[:2]))
    broker.give_back()
    assert told[-1] == (threading.get_native_id(), os.SCHED_OTHER)
