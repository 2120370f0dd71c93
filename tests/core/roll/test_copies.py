"""When a card may be wiped: by verified copies on drives of their own, and by nothing less."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastcellar.core.roll.copies import (
    CopyOutcome,
    CopyState,
    DestinationOutcome,
    FileOnOne,
    FileOutcome,
    WipeRule,
    not_safe_because,
    verified_copies,
)

GOOD, COPIED = FileOnOne(CopyState.VERIFIED), FileOnOne(CopyState.COPIED)


def outcome(drives, *files, **changes):
    """Return a copy to *drives*; a name that ends in ! counts for nothing."""
    found = tuple(
        DestinationOutcome(
            f"/{each}", tuple(each.rstrip("!").split("+")), "no copy" if each.endswith("!") else ""
        )
        for each in drives
    )
    rows = tuple(
        FileOutcome(f"clip-{number}", 10, "d1", tuple(on)) for number, on in enumerate(files)
    )
    return CopyOutcome("/card", found, rows, **{"card_seen_again_s": 1e9, **changes})


@pytest.mark.parametrize(
    ("drives", "states", "copies"),
    [
        (["a", "b"], [GOOD, GOOD], 2),
        (["a", "a"], [GOOD, GOOD], 1),
        (["a", "b!"], [GOOD, GOOD], 1),
        (["a", "b"], [GOOD, COPIED], 1),
        (["a", "a"], [GOOD, COPIED], 1),
        (["a!", "b!"], [GOOD, GOOD], 0),
        (["a", "b", "b"], [GOOD, COPIED, GOOD], 2),
        (["a+b", "b"], [GOOD, GOOD], 1),
        (["a+b", "b", "a"], [GOOD, GOOD, GOOD], 2),
        (["a+b", "b+c", "c+d"], [GOOD, GOOD, GOOD], 2),
    ],
)
def test_copies_are_counted_by_drive(drives, states, copies):
    """Two on one drive are one; one that doesn't count is none; one not read back is none."""
    assert verified_copies(outcome(drives, states)) == copies


def test_every_file_must_be_verified_on_a_drive_for_it_to_count():
    """One clip of two on the second drive: that is no second copy of the card."""
    assert verified_copies(outcome(["a", "b"], [GOOD, GOOD], [GOOD, COPIED])) == 1
    # But two folders of one drive may hold a card between them.
    assert verified_copies(outcome(["a", "a"], [GOOD, COPIED], [COPIED, GOOD])) == 1


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"is_cancelled": True}, "cancelled"),
        ({"left_out": ("DCIM/link",)}, "DCIM/link is no file"),
        ({"files": ()}, "nothing was on it"),
        ({"card_changes": ("C2 came onto the card",)}, "C2 came onto the card"),
        ({"card_seen_again_s": 0.0}, "whether the card changed while it was copied isn't known"),
    ],
)
def test_two_verified_copies_alone_don_t_make_a_card_safe(changes, says):
    """Cancelled, something left out, or nothing there at all: not safe, and why."""
    good = outcome(["a", "b"], [GOOD, GOOD])
    assert not_safe_because(good, WipeRule()) == ()
    assert says in "; ".join(not_safe_because(replace(good, **changes), WipeRule()))


def test_a_clip_that_couldn_t_be_read_keeps_the_card():
    """Its trouble stands first, whatever its copies say."""
    good = outcome(["a", "b"], [GOOD, GOOD])
    bad = replace(good, files=(replace(good.files[0], trouble="it can't be read"),))
    assert "clip-0 couldn't be read whole" in not_safe_because(bad, WipeRule())[0]


@given(
    st.lists(st.sampled_from(["a", "b", "c", "a!"]), min_size=1, max_size=4),
    st.lists(st.lists(st.sampled_from([GOOD, COPIED]), min_size=4, max_size=4), max_size=5),
    st.integers(1, 3),
)
def test_safe_means_that_many_drives_hold_all_of_it(drives, states, needed):
    """Whatever is drawn: where it is said to be safe, each of so many drives has every file."""
    made = outcome(drives, *[each[: len(drives)] for each in states])
    if not_safe_because(made, WipeRule(needed)):
        return
    holding = {
        one.drives
        for one in made.destinations
        if not one.counts_not_because
        and all(
            any(
                file.on[at].state is CopyState.VERIFIED
                for at, other in enumerate(made.destinations)
                if other.drives == one.drives and not other.counts_not_because
            )
            for file in made.files
        )
    }
    assert len(holding) >= needed and made.files
