"""The computer’s sound settings, and what is wrong with them."""

from __future__ import annotations

from sqlalchemy.orm import Session

from obsidian_wren.core.derive.audit import audit
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
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
    devices = devices_of(ctx.ws, ctx.session)
    device = next((d for d in devices if d.present and device_key(d) == ctx.rig.device_key), None)
    found = audit(
        devices,
        rig_device_id=device.id if device else None,
        rate_hz=ctx.rig.rate_hz,
        bits=min(ctx.rig.bits, 24),
        direct_monitoring=bool(ctx.rig.interface.direct_monitoring),
        monitors_itself=False,
    )
    findings = [convert(views.AuditView, finding) for finding in found]
    return views.ComputerView(
        devices=[_device(ctx.session, d, ctx.rig) for d in devices], findings=findings
    )


def _device(session: Session, device: SoundDevice, rig: Rig) -> views.DeviceView:
    key = device_key(device)
    known = session.get(KnownDevice, key)
    known_as = str(known.body["system_name"]) if known is not None else None
    return convert(
        views.DeviceView, device, key=key, of_rig=key == rig.device_key, known_as=known_as
    )
