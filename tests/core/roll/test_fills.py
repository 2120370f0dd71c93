"""Which drive of a copy takes which day."""

from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.roll.fills import days_on_drives


def test_a_day_goes_whole_onto_the_first_drive_that_has_room():
    """30, 30 and 20 onto drives of 50 and 60: first, second, and the 20 left on the first."""
    placed = days_on_drives([30, 30, 20], [50, 60])
    assert [each.drive for each in placed] == [0, 1, 0]
    assert [each.free_bytes for each in placed] == [50, 60, 20]
    assert all(each.fits for each in placed)


def test_a_day_that_fits_nowhere_is_said_and_goes_where_most_room_is():
    """70 fit on neither; what is left for the next day is nothing on that drive."""
    placed = days_on_drives([70, 40], [50, 60])
    assert [(each.drive, each.fits) for each in placed] == [(1, False), (0, True)]


def test_material_that_is_let_go_makes_room_again():
    """Kept for one day, the drive of 50 takes 40 every day."""
    assert all(each.fits for each in days_on_drives([40] * 5, [50], keep_days=1))
    assert [each.fits for each in days_on_drives([40] * 2, [50])] == [True, False]


def test_no_drive_takes_nothing():
    """A copy without units has no days on them."""
    assert days_on_drives([1.0], []) == ()


@given(
    st.lists(st.integers(1, 50), min_size=1, max_size=12),
    st.lists(st.integers(0, 120), min_size=1, max_size=4),
    st.integers(0, 3),
)
def test_no_drive_ever_holds_more_than_its_room(days, rooms, keep):
    """Whatever days and rooms are drawn, what lies on a drive at the end of a day is within it."""
    placed = days_on_drives(days, rooms, keep)
    for number in range(1, len(days) + 1):
        for drive, room in enumerate(rooms):
            held = sum(
                min(each.day_bytes, each.free_bytes)
                for each in placed[:number]
                if each.drive == drive and not (0 < keep <= number - each.day)
            )
            assert held <= room
