"""Items of a row are found where they lie, as if all of them were looked at."""

from helpers import some_footage
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.ids import ItemId
from epiphane.document.timeline import footage_item
from epiphane.facts.source_time import item_at, items_between

FOOTAGE = some_footage(1).id
lengths_and_gaps = st.lists(st.tuples(st.integers(1, 9), st.integers(0, 4)), max_size=12)


@given(lengths_and_gaps, st.integers(-5, 90), st.integers(0, 30))
def test_items_are_found_by_their_frames(some, first, n_frames):
    items, at = [], 0
    for number, (length, gap) in enumerate(some):
        items.append(footage_item(ItemId(number), FOOTAGE, at + gap, length))
        at += gap + length
    end = first + n_frames
    assert list(items_between(items, first, end)) == [
        one for one in items if one.end >= first and one.start <= end
    ]
    assert item_at(items, first) == next((one for one in items if one.start <= first < one.end), None)
