"""Text: how it is set, drawn and moved, and that it lands on its hit and stands still there."""

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest
from helpers import a_project, read_lumas, write_sound
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.song import Beat
from epiphane.document.timeline import Item, SolidFill, Transform
from epiphane.document.titles import Alignment, LetterCase, Shadow, TextFill, TextMotion, TextOrder, TextUnit
from epiphane.edits.items.titles import change_title, land_title, put_title, set_arrival
from epiphane.edits.items.tracks import find_item, move_item
from epiphane.edits.picture import set_rate
from epiphane.edits.song.regrid import regrid
from epiphane.errors import EditError, MediaError
from epiphane.exporting.export import export
from epiphane.facts.titles import TitleClock, landing_frame, title_clock
from epiphane.files.project import load_project, named_files, save_project
from epiphane.keying.schedule import schedule
from epiphane.media.faces import keep_face, shipped_faces
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.titles.faces import face_at, face_fault
from epiphane.titles.layout import MOST_LETTERS, Letter, block_of
from epiphane.titles.motions.declare import MOTIONS
from epiphane.titles.moving import MOST_PARTS, part_share, unit_that_moves
from epiphane.titles.picture import text_picture, title_place
from epiphane.titles.raster import letter_sprite
from epiphane.titles.sprites import add_sprite

SIZE = (320, 180)
REST = TitleClock()


def drawn(fill, clock=REST, size=SIZE, **placed):
    return text_picture(fill, Transform(**placed), clock, size)


# Setting


def test_letters_are_set_as_their_scripts_want_it():
    def xs(text, **fields):
        return [letter.x for letter in block_of(TextFill(text, **fields)).letters]

    assert xs("abc") == sorted(xs("abc"))
    assert xs("אבג") == sorted(xs("אבג"), reverse=True)  # written from right to left
    mixed = xs("ab אב")
    assert mixed[0] < mixed[1] < mixed[3] < mixed[2]
    alone, joined = (block_of(TextFill(text)).letters for text in ("ب", "ببب"))
    assert len({letter.glyphs[0].number for letter in joined} | {alone[0].glyphs[0].number}) == 4
    assert len(block_of(TextFill("e\u0302a")).letters) == 2  # a mark is its letter's
    (hand,) = block_of(TextFill("👍🏽")).letters
    assert hand.glyphs[0].face.has_colours
    assert block_of(TextFill("a\U0010fffd")).missing == "\U0010fffd"
    assert [letter.word for letter in block_of(TextFill("on it\ngo")).letters] == [0, 0, 1, 1, 2, 2]
    assert [letter.line for letter in block_of(TextFill("on it\ngo")).letters] == [0, 0, 0, 0, 1, 1]


@pytest.mark.parametrize(
    ("face", "text", "glyphs"),
    [
        ("Anton", "ROLL", ["R", "O", "L", "L"]),
        ("Anton", "e\u0301", ["eacute"]),
        ("DM Serif Display", "ffi", ["f_f", "i"]),
        ("Cairo", "سلام", ["uniFEB3", "uniFEFC", "uni0645"]),  # initial seen, lam with alef, meem alone
        ("Heebo", "שלום", ["uni05E9", "uni05DC", "uni05D5", "memFinalhb"]),
    ],
)
def test_known_strings_give_known_runs_of_glyphs(face, text, glyphs):
    found = [glyph for letter in block_of(TextFill(text, face=face)).letters for glyph in letter.glyphs]
    assert [glyph.face.font.glyph_to_string(glyph.number) for glyph in found] == glyphs


def test_tracking_leading_case_and_alignment_do_what_they_say():
    plain, tracked = block_of(TextFill("ROLL")), block_of(TextFill("ROLL", tracking=0.5))
    assert tracked.width == pytest.approx(plain.width + 3 * 0.5, abs=1e-6)
    two = block_of(TextFill("ROLL\nON", leading=2.0))
    assert two.height == 3.0
    assert block_of(TextFill("roll", case=LetterCase.UPPER)).width == plain.width
    ends = {}
    for side in Alignment:
        letters = block_of(TextFill("ROLLING\nON", align=side)).letters
        ends[side] = letters[-2].x
    assert ends[Alignment.LEFT] < ends[Alignment.CENTRE] < ends[Alignment.RIGHT]
    assert {block_of(TextFill("ROLL", face=name)).width for name in shipped_faces()} > {plain.width}


@given(st.text(max_size=30), st.sampled_from(sorted(shipped_faces())), st.floats(-0.2, 0.5))
@settings(max_examples=70)
@example("\U00010f30\U0002ebe1", "Anton", 0.0)  # right to left, and a letter newer than Python's tables
@example("א\u2067b\u2069 \u2068ب\u2069\u202e", "Anton", 0.0)  # isolates, an override left open
def test_any_text_is_drawn_and_stays_by_its_block_at_rest(text, face, tracking):
    fill = TextFill(text, face=face, size=0.02, tracking=tracking)
    block = block_of(fill)
    alpha = drawn(fill, size=(640, 360))[..., 3]
    columns = np.flatnonzero(alpha.any(axis=0))
    assert len(block.letters) <= MOST_LETTERS
    if len(columns):
        em = 0.02 * 360
        reach = block.width / 2 * em + 2.5 * em
        assert columns[0] >= 320 - reach - 1 and columns[-1] <= 320 + reach + 1


# Drawing


@pytest.mark.parametrize("text", ["MARBLE RUN ON THE BEAT", "مرحبا بالعالم"])
def test_letters_at_rest_sum_to_their_block_to_the_pixel(text):
    fill = TextFill(text, size=0.12)
    letters = block_of(fill).letters
    place = title_place(fill.size, Transform(), SIZE)
    apart, whole = np.zeros((180, 320), np.uint8), np.zeros((180, 320), np.uint8)
    for letter in letters:
        sprite = letter_sprite(letter, place[:2], 0.0, 1.0)
        if sprite is not None:
            add_sprite(apart, sprite)
    glyphs = tuple(glyph for letter in letters for glyph in letter.glyphs)
    one = letter_sprite(Letter(glyphs, 0, 0, 0, 0.0, 0.0), place[:2], 0.0, 1.0)
    assert one is not None
    add_sprite(whole, one)
    assert np.abs(apart.astype(int) - whole).max() <= 1  # of which HarfBuzz rounds each for itself
    assert np.array_equal(drawn(fill)[..., 3], apart)


def test_text_moves_between_pixels_and_keeps_its_area():
    fill = TextFill("ROLL", size=0.3)
    places, areas = [], []
    for step in range(17):
        alpha = drawn(fill, x=step / 16 / SIZE[0])[..., 3].astype(float)
        places.append((alpha * np.arange(SIZE[0])).sum() / alpha.sum())
        areas.append(alpha.sum())
    assert np.array(places) - places[0] == pytest.approx(np.arange(17) / 16, abs=0.01)
    assert max(areas) / min(areas) < 1.002


def test_colours_outline_shadow_glow_and_plate_lie_in_their_order():
    fill = TextFill("I", size=0.8, colour="#ff0000", face="Bungee")
    plain = drawn(fill)
    assert plain[90, 160].tolist() == [0, 0, 255, 255]
    assert (plain[..., :3] <= plain[..., 3:]).all()  # premultiplied
    faded = drawn(replace(fill, to="#0000ff"))
    column = np.flatnonzero(faded[:, 160, 3] == 255)
    assert faded[column[0], 160, 2] > 180 and faded[column[-1], 160, 0] > 180
    outlined = drawn(replace(fill, outline=0.05, outline_colour="#00ff00"))
    grown, was = (np.count_nonzero(one[90, :, 3] > 127) for one in (outlined, plain))
    assert grown - was == pytest.approx(2 * 0.05 * 0.8 * 180, abs=2)
    edge = int(np.flatnonzero(outlined[90, :, 3] > 250)[0]) + 2
    assert outlined[90, edge].tolist() == [0, 255, 0, 255]
    shadowed = drawn(replace(fill, shadow=Shadow("#0000ff", 1.0, 0.0, 0.0, 0.5)))
    below = column[-1] + 20
    assert shadowed[below, 160, 0] > 200 and plain[below, 160, 3] == 0
    plated = drawn(replace(fill, plate="#00ff00", plate_edge=0.1))
    assert plated[90, 160].tolist() == [0, 0, 255, 255]
    assert plated[90, int(np.flatnonzero(plated[90, :, 3] == 255)[0]) + 1].tolist() == [0, 255, 0, 255]
    assert np.count_nonzero(drawn(TextFill("😀", size=0.5))[60:120, 130:190, 1] > 100) > 500


# Moving


@pytest.mark.parametrize("key", [one.key for one in MOTIONS.all()])
@pytest.mark.parametrize("unit", TextUnit)
def test_every_motion_comes_from_elsewhere_and_ends_at_rest(key, unit):
    rest = drawn(TextFill("ROLL ON\nBEAT", size=0.2))
    fill = TextFill("ROLL ON\nBEAT", size=0.2, arrive=TextMotion(key, 12, unit, 0.5, seed=3))
    shown = [drawn(fill, TitleClock(share, step=1 / 12)) for share in (0.02, 0.3, 0.6)]
    assert all(not np.array_equal(one, rest) for one in shown[:2])
    assert all((one[..., :3] <= one[..., 3:]).all() for one in shown)
    assert np.array_equal(shown[1], drawn(fill, TitleClock(0.3, step=1 / 12)))
    assert np.array_equal(drawn(fill, REST), rest)
    leaving = replace(fill, arrive=None, leave=fill.arrive)
    assert not np.array_equal(drawn(leaving, TitleClock(left=0.7, step=1 / 12)), rest)


@given(st.integers(1, 40), st.floats(0, 1), st.lists(st.floats(0, 1), min_size=2, max_size=6))
def test_parts_go_one_after_the_other_and_all_of_the_time_is_used(n_parts, stagger, shares):
    for rank in range(n_parts):
        ways = [part_share(share, rank, n_parts, stagger) for share in sorted(shares)]
        assert all(a <= b for a, b in pairwise(ways))
        assert part_share(1.0, rank, n_parts, stagger) == pytest.approx(1.0)
    assert part_share(0.0, 0, n_parts, stagger) == 0
    first, last = (part_share(0.5, rank, n_parts, stagger) for rank in (0, n_parts - 1))
    assert first >= last


def test_the_order_of_letters_is_forward_backward_from_the_middle_or_by_chance():
    def seen(order, share):
        fill = TextFill(
            "IIIIIIII", size=0.2, arrive=TextMotion("type-on", 8, TextUnit.LETTER, 1.0, order, seed=2)
        )
        alpha = drawn(fill, TitleClock(share, step=0.1))[90, :, 3]
        return np.flatnonzero(np.diff((alpha > 127).astype(int)) == 1)

    forward, backward = seen(TextOrder.FORWARD, 0.5), seen(TextOrder.BACKWARD, 0.5)
    assert len(forward) == len(backward) == 4
    assert forward.max() < backward.min()
    middle = seen(TextOrder.MIDDLE, 0.5)
    assert backward.max() > middle.max() > backward.min() and middle.min() > forward.min()
    assert len(seen(TextOrder.CHANCE, 0.5)) == 4
    assert len(seen(TextOrder.FORWARD, 1.0)) == 8


# Landing


def with_text(fill, hit=2.0, **fields):
    project, item = put_title(replace(a_project(n_lanes=0), **fields), fill, 0, hit=hit)
    return project, item


SLAM = TextFill("ROLL", size=0.3, arrive=TextMotion("slam", 9, TextUnit.BLOCK), leave=TextMotion("fade", 6))


def test_a_text_begins_before_its_hit_lands_on_it_and_leaves_before_its_end():
    project, number = with_text(SLAM, shots=())
    _, item = find_item(project, number)
    assert (item.start, landing_frame(item, project.rate)) == (51, 60)
    clocks = {frame: title_clock(item, SLAM, frame, project.rate) for frame in range(item.start, item.end)}
    assert clocks[51].arrived == 0 and clocks[59].arrived == pytest.approx(8 / 9, abs=1e-5)
    assert all(clocks[frame] == REST for frame in range(60, item.end - 6))
    lefts = [clocks[frame].left for frame in range(item.end - 6, item.end)]
    assert lefts == sorted(lefts) and lefts[0] > 0 and lefts[-1] < 1
    pictures = [draw(plan_frame(project, schedule(project), frame), None, SIZE) for frame in (60, 61, 100)]
    assert np.array_equal(pictures[0], pictures[1]) and np.array_equal(pictures[0], pictures[2])


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30_000, 1001), Fraction(60)])
def test_in_the_exported_film_it_stands_still_from_the_frame_of_its_hit(tmp_path, rate):
    shot = Item(ItemId(5), 0, round(4 * rate), SolidFill("#203040"))
    project = Project(width=320, height=180, rate=rate, shots=(shot,), next_id=10)
    hit = 1.2347
    project, _ = put_title(project, replace(SLAM, leave=None), 0, hit=hit)
    export(project, tmp_path / "film.mp4", frames=range(round(2.5 * rate)))
    lumas = [luma.astype(float) for luma in read_lumas(tmp_path / "film.mp4")[0]]
    moves = [np.abs(b - a).mean() for a, b in pairwise(lumas)]
    frame = int(hit * rate + Fraction(1, 1000))
    assert moves[frame - 1] > 2  # into the frame of the hit it still moves
    assert max(moves[frame : frame + 20]) < 0.3
    assert min(moves[frame - 6 : frame]) > 1


def test_it_stays_on_its_hit_through_other_beats_another_rate_and_a_longer_flight():
    project, number = with_text(SLAM)

    def landing(now):
        return landing_frame(find_item(now, number)[1], now.rate)

    beats = tuple(Beat(beat.time * 1.1, beat.place, 1.0) for beat in project.song.beats)
    later = regrid(project, beats, matched=[(b.time, 1.1 * b.time) for b in project.song.beats])
    assert landing(later) == 66
    assert landing(set_rate(project, Fraction(60))) == 120
    longer = set_arrival(project, number, TextMotion("rise", 30))
    assert (landing(longer), find_item(longer, number)[1].start) == (60, 30)
    moved = move_item(project, number, 200)
    assert (find_item(moved, number)[1].pin, landing(moved)) == (None, 209)
    free = set_arrival(moved, number, TextMotion("rise", 20))
    assert (landing(free), find_item(free, number)[1].start) == (209, 189)
    assert landing(land_title(free, number, 8.0)) == 240
    assert landing(change_title(project, number, text="OTHER", size=0.5)) == 60
    with pytest.raises(EditError, match="size"):
        change_title(project, number, size=9.0)
    with pytest.raises(EditError, match="no title"):
        change_title(
            replace(
                project,
                stack=(
                    replace(
                        project.tracks[0],
                        items=(
                            replace(find_item(project, number)[1], content=SolidFill("#000000"), pin=None),
                        ),
                    ),
                ),
            ),
            number,
            size=0.1,
        )


@pytest.mark.parametrize("size", [(320, 180), (180, 320), (180, 180)])
@pytest.mark.parametrize("text", ["A LONG LINE OF WORDS", "FOUR\nLINES\nOF\nTEXT"])
def test_a_text_that_fits_stays_within_the_safe_area_of_any_shape(text, size):
    own = TextFill(text, size=0.3, colour="#ffffff")
    fitted = drawn(replace(own, fits=True), size=size)[..., 3]
    rows, columns = np.nonzero(fitted > 20)
    margins = [size[0] * 0.05 - 2, size[1] * 0.05 - 2]
    assert columns.min() >= margins[0] and columns.max() < size[0] - margins[0]
    assert rows.min() >= margins[1] and rows.max() < size[1] - margins[1]
    short = replace(own, text="GO", size=0.1)
    assert np.array_equal(drawn(short, size=size), drawn(replace(short, fits=True), size=size))


def test_a_title_that_would_stand_on_another_one_stands_beside_it():
    project, first = put_title(replace(a_project(n_lanes=0), footage=()), TextFill("ONE", size=0.18), 30)
    project, second = put_title(project, TextFill("TWO", size=0.18), 40)
    project, later = put_title(project, TextFill("SIX", size=0.18), 300)
    places = [find_item(project, one)[1].transform.y for one in (first, second, later)]
    assert places == [0.0, 0.22, 0.0]


# What goes wrong


def test_nothing_to_read_too_much_and_faces_that_are_gone(tmp_path):
    assert not drawn(TextFill("")).any()
    assert not drawn(TextFill(" \n ")).any()
    many = TextFill("roll on " * 1250, size=0.02)
    assert len(block_of(many).letters) <= MOST_LETTERS
    assert drawn(many).any()
    gone = TextFill("ROLL", face="gone", file=str(tmp_path / "gone.ttf"), size=0.4)
    assert np.count_nonzero(drawn(gone)[..., 3]) > 500  # in a shipped one
    letters = block_of(TextFill("roll on " * 150)).letters
    assert len(letters) > MOST_PARTS
    assert [unit_that_moves(letters, unit) for unit in TextUnit] == [
        *(TextUnit.BLOCK, TextUnit.LINE, TextUnit.WORD, TextUnit.WORD)
    ]
    assert unit_that_moves(letters[:MOST_PARTS], TextUnit.LETTER) is TextUnit.LETTER
    project, _ = put_title(replace(a_project(n_lanes=0, n_shots=0), footage=()), gone, 0)
    remarks = export(
        replace(project, song=None, shots=(Item(ItemId(900), 0, 10, SolidFill()),)),
        tmp_path / "film.mp4",
        size=(64, 36),
        frames=range(2),
    )
    assert any("gone.ttf" in remark and "other faces" in remark for remark in remarks)
    (tmp_path / "song.ttf").write_bytes(b"RIFF")
    with pytest.raises(MediaError, match=r"song\.ttf is no face of letters"):
        face_at(tmp_path / "song.ttf")
    anton = shipped_faces()["Anton"].read_bytes()
    (tmp_path / "half.ttf").write_bytes(anton[:3000])
    with pytest.raises(MediaError, match=r"half\.ttf (is damaged|has no letters)"):
        face_at(tmp_path / "half.ttf")


def test_a_face_whose_file_is_gone_is_shown_from_the_copy_that_was_kept(tmp_path):
    file = tmp_path / "own.ttf"
    file.write_bytes(shipped_faces()["Bungee"].read_bytes())
    fill = TextFill("ROLL", face="own", file=str(file), fingerprint=keep_face(file))
    bungee = block_of(TextFill("ROLL", face="Bungee")).width
    file.unlink()
    assert face_fault(fill) == "" and block_of(fill).width == bungee
    stranger = replace(fill, fingerprint="0" * 32)
    assert "own.ttf is not there" in face_fault(stranger) and block_of(stranger).width != bungee


def test_a_face_of_the_users_is_named_from_the_projects_folder(tmp_path):
    face = tmp_path / "faces" / "own.ttf"
    face.parent.mkdir()
    face.write_bytes(shipped_faces()["Bungee"].read_bytes())
    write_sound(tmp_path / "song.wav", np.zeros(100, np.float32))
    project, number = with_text(TextFill("ROLL", face="own", file=str(face)))
    project = replace(project, song=None, footage=(), shots=())
    assert face in named_files(project)
    save_project(project, tmp_path / "edit.epiphane")
    assert "faces/own.ttf" in (tmp_path / "edit.epiphane").read_text()
    read = load_project(tmp_path / "edit.epiphane")
    assert find_item(read, number)[1].content.file == str(face)
    assert (
        block_of(find_item(read, number)[1].content).width == block_of(TextFill("ROLL", face="Bungee")).width
    )
