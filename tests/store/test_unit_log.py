"""Stories of units in the cellar: kept whole, taken back whole, told by edits themselves."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from vastcellar.core.cellar.story import EventKind, UnitEvent, stories
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.parts.units import Unit
from vastcellar.store.cellar import Cellar
from vastcellar.store.unit_log import add_event, events_mark, remove_event, unit_events

UNIT = Unit("K-11", "kelmarsh-flat-1", "drumlin-flat", written_bytes=1e12)
AT = datetime(2026, 11, 3, 14, 30, tzinfo=UTC)


def event(kind, tag="K-11", days=0, **data):
    """Return what happened so many days later."""
    return UnitEvent(tag, AT + timedelta(days=days), EventKind(kind), data)


@pytest.fixture
def cellar(tmp_path):
    opened = Cellar(tmp_path / "cellar.db")
    opened.save_units((UNIT,))
    yield opened
    opened.close()


def state(cellar):
    return cellar.units()[0].state


def test_lending_it_takes_it_off_the_shelf_until_it_is_back(cellar):
    """The state follows from the story; what can't be is refused in a sentence."""
    with pytest.raises(BadValueError, match="not away"):
        add_event(cellar, event("returned"))
    add_event(cellar, event("lent", to="harbour office", due_on="2026-11-20"))
    assert state(cellar) == "on loan"
    with pytest.raises(BadValueError, match="it is on loan"):
        add_event(cellar, event("lent", to="another"))
    add_event(cellar, event("returned", days=9))
    assert state(cellar) == "ready"
    assert len(unit_events(cellar)) == 2


def test_an_event_taken_back_brings_the_state_back(cellar):
    """In doubt, lent, and the loan taken back: in doubt again; not where it was changed since."""
    cellar.change_unit(UNIT, replace(UNIT, state="in doubt"))
    number = add_event(cellar, event("lent", to="office"))
    taken = remove_event(cellar, number)
    assert state(cellar) == "in doubt" and taken.text("to") == "office"
    number = add_event(cellar, event("lent", to="office"))
    add_event(cellar, event("returned"))
    remove_event(cellar, number)
    assert state(cellar) == "ready"
    with pytest.raises(UnknownPartError, match="no event"):
        remove_event(cellar, number)


def test_an_edit_tells_of_moves_tags_and_states_by_itself(cellar):
    """Another case and tag: two events; a note is none. The story goes with the unit."""
    moved = replace(UNIT, enclosure_key="drumlin-fin", note="x", tag="K-99")
    cellar.change_unit(UNIT, moved)
    told = {each.kind: dict(each.data) for each in unit_events(cellar)}
    assert told == {
        EventKind.CASE: {"was": "drumlin-flat", "now": "drumlin-fin"},
        EventKind.TAG: {"was": "K-11", "now": "K-99"},
    }
    story = stories(unit_events(cellar))["K-99"]
    assert [e.name for e in story.stays(EventKind.CASE, "drumlin-fin")] == [
        "drumlin-flat",
        "drumlin-fin",
    ]


def test_what_another_window_changed_meanwhile_is_not_overwritten(cellar):
    """The same field: refused with what it is now. Another field: both edits stand."""
    other = Cellar(cellar.path)
    other.change_unit(UNIT, replace(UNIT, note="theirs"))
    with pytest.raises(BadValueError, match="note was changed meanwhile, to 'theirs'"):
        cellar.change_unit(UNIT, replace(UNIT, note="mine", used_bytes=5.0))
    assert cellar.units()[0].used_bytes == 0
    cellar.change_unit(UNIT, replace(UNIT, used_bytes=5.0))
    cellar.change_unit(UNIT, replace(UNIT, note="theirs"))  # the same edit twice is one
    assert (cellar.units()[0].note, cellar.units()[0].used_bytes) == ("theirs", 5.0)
    other.close()


def test_events_are_there_after_a_restart_and_read_from_a_mark_on(cellar):
    """Count and newest number tell that there is something new; only that is read."""
    assert events_mark(cellar) == (0, 0)
    first = add_event(cellar, event("incident", what="dropped"))
    second = add_event(cellar, event("label", days=1))
    assert events_mark(cellar) == (2, second)
    again = Cellar(cellar.path)
    (kept,) = unit_events(again, after_id=first)
    assert (kept.kind, kept.at, kept.event_id) == (EventKind.LABEL, AT + timedelta(days=1), second)
    again.close()


def test_a_damaged_event_costs_no_other(cellar):
    """One row of a kind that nobody knows is left out and named."""
    add_event(cellar, event("label"))
    number = add_event(cellar, event("label", days=1))
    with cellar.session() as session:
        session.execute(text("UPDATE unit_events SET kind = 'eaten' WHERE id = :n"), {"n": number})
    assert len(unit_events(cellar)) == 1 and cellar.unreadable == {f"unit event {number}"}


def test_an_event_of_no_unit_changes_nothing(cellar):
    """Refused, and nothing is kept."""
    with pytest.raises(UnknownPartError):
        add_event(cellar, event("label", tag="K-00"))
    assert events_mark(cellar) == (0, 0)
