"""What the page shows of an app, by its fields: only the parts that hold them are read."""

import json

from obsidian_wren.service.context import FolderFinding
from obsidian_wren.service.page.overview import PARTS, overview_json
from obsidian_wren.service.page.views import Overview

PART_OF = {
    field: (name, view) for name, (_, view, _) in PARTS.items() for field in view.model_fields
}


class Shown:
    """Fields of the state; asking for one that was not read is an error."""

    def __init__(self, **fields):
        self.__dict__.update(fields)


def overview(app, *fields):
    """The state now: the fields that are named, or everything."""
    if not fields:
        return Overview.model_validate_json(overview_json(app))
    views = dict(PART_OF[field] for field in fields)
    body = json.loads(overview_json(app, wanted=tuple(views)))
    shown = {}
    for view in views.values():
        part = view.model_validate({name: body[name] for name in view.model_fields})
        shown.update({name: getattr(part, name) for name in view.model_fields})
    findings = [FolderFinding(**found) for found in body["findings"]]
    return Shown(revision=body["revision"], have=body["have"], findings=findings, **shown)


def shows(app, field):
    """One field of the state now."""
    return getattr(overview(app, field), field)
