"""Who only reads looks for nothing twice; who writes sees what was written."""

import pytest
from sqlalchemy import event
from sqlalchemy.exc import NoResultFound

from obsidian_wren.store.models import DestinationRow, LiveWish, Version
from obsidian_wren.store.reading import every


@pytest.fixture
def asked(app):
    """How often the database was asked."""
    found = []

    def count(_connection, _cursor, statement, *_):
        found.append(statement)

    event.listen(app.sessions.engine, "before_cursor_execute", count)
    yield found
    event.remove(app.sessions.engine, "before_cursor_execute", count)


def test_a_small_table_is_read_once_in_its_order(app, asked):
    with app.sessions() as session:
        first = every(session, DestinationRow, DestinationRow.place)
        count = len(asked)
        first_again = every(session, DestinationRow, DestinationRow.place)
        assert len(asked) == count
        assert first_again == first
        assert [row.place for row in first] == sorted(row.place for row in first)
        # The list is whose who asked.
        first.clear()
        assert every(session, DestinationRow, DestinationRow.place) == first_again


def test_a_row_is_looked_for_once_whether_it_is_there_or_not(app, asked):
    with app.sessions() as session:
        wish = session.get_one(LiveWish, 1)
        assert session.get(Version, 404) is None
        count = len(asked)
        assert session.get_one(LiveWish, 1) is wish
        assert session.get(Version, 404) is None
        assert len(asked) == count
        with pytest.raises(NoResultFound):
            session.get_one(Version, 404)


def keys_of(session):
    return [row.key for row in every(session, DestinationRow, DestinationRow.place)]


def test_who_writes_sees_what_was_written_meanwhile(app):
    with app.sessions() as session:
        before = keys_of(session)
    with pytest.raises(ZeroDivisionError), app.sessions.begin() as session:
        session.delete(every(session, DestinationRow, DestinationRow.place)[0])
        session.flush()
        assert keys_of(session) == before[1:]
        # Taken back again.
        _ = 1 / 0
    with app.sessions() as session:
        assert keys_of(session) == before
