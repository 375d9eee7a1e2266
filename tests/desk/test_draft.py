"""Pictures that are late are drawn smaller, and sharp again when there is time."""

from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtTest import QTest

from epiphane.desk.engine.draft import DraftChoice


def noted(choice, moments, start=0.0):
    """Note pictures of 30 a second, each (is late, is all ahead there), and return what was chosen."""
    return [
        choice.note(is_late=late, is_ahead=ahead, now=start + n / 30)
        for n, (late, ahead) in enumerate(moments)
    ]


def test_drafts_begin_when_pictures_are_late_and_end_when_all_is_ready_for_long():
    choice = DraftChoice()
    assert noted(choice, [(False, False)] * 90)[-1] is False
    assert noted(choice, [(True, False)] * 3) == [False, False, True]
    calm = noted(choice, [(False, True)] * 60, start=10)
    assert calm[0] and not calm[-1]
    first = calm.index(False)
    assert noted(choice, [(True, False)] * 3, start=20)[-1]
    again = noted(choice, [(False, True)] * 120, start=30)
    assert again.index(False) >= 2 * first - 1  # the second try is put off for twice as long


@given(st.lists(st.tuples(st.booleans(), st.booleans()), max_size=400))
def test_what_is_chosen_never_flickers(moments):
    chosen = noted(DraftChoice(), moments)
    turns = [n for n in range(1, len(chosen)) if chosen[n] != chosen[n - 1]]
    backs = [n for n in turns if not chosen[n]]
    for back in backs:
        assert back - max(n for n in turns if n < back) >= 40  # drafts for longer than a second


def test_a_draft_is_shown_while_playing_and_sharp_once_it_stops(demo, qtbot):
    frames, playback = demo.frames, demo.playback
    seen = []
    playback.shown.connect(lambda picture, _frame: seen.append(picture.shape[1]))
    frames.set_draft(True)
    playback._draft.is_draft = True
    demo.editor.go_to(400)
    frames.want(range(400, 420))
    qtbot.waitUntil(lambda: frames.is_ready(415))
    assert frames.picture(415) is None
    draft = frames.picture(415, may_be_draft=True)
    assert 0.4 < draft.shape[1] / frames.size[0] < 0.6
    playback.play()
    QTest.qWait(300)
    playback.stop()
    here = demo.editor.playhead
    qtbot.waitUntil(lambda: frames.picture(here) is not None, timeout=10_000)
    qtbot.waitUntil(lambda: seen[-1] == frames.size[0], timeout=10_000)
    assert demo.editor.playhead == here
