"""Where files lie while they are taken in, and what a disk says that cannot take them: for the
web, which does not know the store."""

from __future__ import annotations

from obsidian_wren.ports.disk import disk_errors
from obsidian_wren.store.parts import UPLOAD_PREFIX

__all__ = ["UPLOAD_PREFIX", "disk_errors"]
