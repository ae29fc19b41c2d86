"""The computer’s sound settings, and what is wrong with them."""

from __future__ import annotations

from sqlalchemy import select

from obsidian_wren.core.derive.audit import AuditFinding, audit
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.ports.system_sound import Surroundings
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.rig.computer_rows import devices_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import (
    KnownDevice,
    Rig,
)


def computer_view(ctx: RigContext) -> views.ComputerView:
    """The devices, and what in the sound settings disagrees with the rig."""
    known = {row.key: row for row in ctx.session.scalars(select(KnownDevice))}
    devices = devices_of(ctx.app, ctx.session)
    system = ctx.app.world.system
    seen = None if system is None else system.seen
    device = next((d for d in devices if d.present and device_key(d) == ctx.rig.device_key), None)
    found: tuple[AuditFinding, ...] = ()
    # Of a computer that is not seen nothing can disagree; a page opens a microphone of its own.
    if seen is None or (seen.missing is None and (device or ctx.rig.source == "system")):
        found = audit(
            devices,
            rig_device_id=device.id if device else None,
            rate_hz=ctx.rig.rate_hz,
            bits=min(ctx.rig.bits, 24),
            direct_monitoring=bool(ctx.rig.interface.direct_monitoring),
            monitors_itself=False,
            raw_listeners=_raw_listeners(seen, device),
        )
    return views.ComputerView(
        simulated=seen is None,
        server=None if seen is None else seen.server,
        missing=None if seen is None or seen.missing is None else seen.missing[1],
        devices=[
            _device(known.get(device_key(d)), d, ctx.rig) for d in devices if d.kind != "feed"
        ],
        findings=list(found),
        login=_login(ctx),
    )


def _login(ctx: RigContext) -> views.LoginView | None:
    login = ctx.app.world.login
    if login is None:
        return None
    return views.LoginView(on=login.is_on, path=str(login.path), why_not=login.why_not)


def _raw_listeners(seen: Surroundings | None, device: SoundDevice | None) -> tuple[str, ...]:
    """The programs that record the rig's microphone itself."""
    if seen is None or device is None:
        return ()
    return tuple(one.program for one in seen.listeners if one.microphone == device.id)


def _device(known: KnownDevice | None, device: SoundDevice, rig: Rig) -> views.DeviceView:
    key = device_key(device)
    known_as = str(known.body["system_name"]) if known is not None else None
    return convert(
        views.DeviceView,
        device,
        key=key,
        of_rig=key == rig.device_key,
        known_as=known_as,
        settable=None if device.settable is None else sorted(device.settable),
    )
