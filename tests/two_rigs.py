"""A second rig at the same desk."""

from sqlalchemy import inspect, select

from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store.models import Derivation, SettingRow, StageRow, Take


def _copied(row, **changes):
    """The same row, with an id of its own where it has one by number."""
    held = {each.key: getattr(row, each.key) for each in inspect(type(row)).column_attrs}
    held.pop("id", None)
    return type(row)(**held | changes)


def add_calibrated_rig(app, *, takes=True):
    """The rig in hand once more, with its takes and its calibration; gives its id."""
    with app.sessions.begin() as session:
        rig = the_rig(app, session)
        second = _copied(rig, name="Deck chair")
        session.add(second)
        session.flush()
        for model in (SettingRow, StageRow, Derivation):
            for row in session.scalars(select(model).where(model.rig_id == rig.id)):
                session.add(_copied(row, rig_id=second.id))
        for row in session.scalars(select(Take).where(Take.rig_id == rig.id)) if takes else ():
            session.add(_copied(row, rig_id=second.id))
        return second.id
