"""Recipes: taken, written, read and laid they give the same plan; what is wrong with a file is told."""

import json

import pytest
from helpers import a_project, a_song
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Ease, Envelope, LengthUnit
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.lane import Override, Setting, Trigger
from epiphane.document.pick import Pattern, Pick
from epiphane.document.project import with_lanes
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
    TappedSource,
)
from epiphane.document.recipe import RecipeAnchor
from epiphane.document.song import Hit
from epiphane.document.timeline import SolidFill
from epiphane.document.titles import TextFill, TextMotion, TextUnit
from epiphane.edits.items.titles import put_title
from epiphane.edits.items.tracks import change_track, find_item, put_fill_on_track, put_on_track
from epiphane.edits.keying.lanes import add_lane, change_lane
from epiphane.edits.keying.recipes import recipe_of, use_recipe
from epiphane.effects.declare import EFFECTS
from epiphane.errors import EditError, RecipeError
from epiphane.facts.titles import landing_frame
from epiphane.files.recipes import RECIPE_SUFFIX, RecipeBook, decode_recipe, encode_recipe, load_recipe
from epiphane.keying.schedule import schedule
from epiphane.timing import frame_at

PLAIN = [*(HeardSource(unit) for unit in PulseUnit), BandSource(40.0, 160.0)]
sources = st.sampled_from([*PLAIN, CombinedSource(Combination.WITHOUT, PulseId(50), PulseId(51))])
lanes = st.fixed_dictionaries(
    {
        "effect": st.sampled_from(["flash", "zoom", "shake", "an effect of tomorrow"]),
        "pulse": st.integers(50, 53).map(PulseId),
        "envelope": st.builds(
            Envelope,
            rise=st.integers(0, 4),
            fall=st.integers(0, 20),
            fall_ease=st.sampled_from([Ease.OUT, Ease.BOUNCE]),
            unit=st.sampled_from(LengthUnit),
        ),
        "pick": st.sampled_from([Pick(), Pick(every=2), Pick(pattern=Pattern((1.0, 0.3))), Pick(chance=0.5)]),
        "trigger": st.sampled_from([Trigger.FIRE, Trigger.STEP, Trigger.TOGGLE]),
        "wander": st.sampled_from([0.0, 0.5]),
        "depth": st.floats(0.1, 1),
        "settings": st.sampled_from([(), (Setting("scale", 130.0, then=(90.0,), wander=4.0),)]),
        "seed": st.integers(1, 9),
    }
)


def a_stack(wanted, heard):
    """Return a project with four pulses and a lane for each of the wanted ones."""
    pulses = [Pulse(PulseId(50 + n), f"pulse {n}", source, every=1 + n % 2) for n, source in enumerate(heard)]
    project = with_lanes(a_project(), pulses=tuple(pulses), lanes=(), next_id=60)
    for changes in wanted:
        project = add_lane(project, "flash", changes["pulse"])
        project = change_lane(project, project.lanes[-1].id, **changes)
    return project


def plan_of(project, lanes):
    cues = schedule(project)
    return [
        (
            lane.lane.effect,
            lane.lane.settings,
            [(cue.hit, cue.frame, cue.strength, cue.envelope) for cue in lane.cues],
            lane.levels.tolist(),
        )
        for lane in cues.lanes
        if lane.lane.id in lanes
    ]


@given(
    st.lists(lanes, min_size=1, max_size=4),
    st.tuples(st.sampled_from(PLAIN), st.sampled_from(PLAIN), sources, sources),
)
def test_a_recipe_that_is_written_and_read_gives_the_same_plan(wanted, heard):
    project = a_stack(wanted, heard)
    recipe = recipe_of(project, [lane.id for lane in project.lanes], "Slam", about="On every bar")
    read = decode_recipe(encode_recipe(recipe), where="slam")
    assert read == recipe
    again = use_recipe(project, read)
    assert again.pulses == project.pulses  # the very same are used
    old, new = ({lane.id for lane in part} for part in (project.lanes, again.lanes[len(project.lanes) :]))
    assert plan_of(again, old) == plan_of(again, new) == plan_of(project, old)
    elsewhere = with_lanes(a_project(), lanes=(), pulses=(), song=a_song(tempo=93, start=0.2))
    laid = use_recipe(elsewhere, read)
    same_song = replace(project, song=elsewhere.song)
    assert plan_of(laid, {lane.id for lane in laid.lanes}) == plan_of(same_song, old)
    assert len({pulse.name for pulse in laid.pulses}) == len(laid.pulses)


def test_what_belongs_to_one_song_stays_behind():
    project = with_lanes(a_project(), lanes=a_project().lanes[:1])
    taps = Pulse(PulseId(70), "my taps", TappedSource((Hit(1.0),)))
    band = Pulse(PulseId(71), "thumps", BandSource(40.0, 90.0, hits=(Hit(1.0),)))
    project = replace(project, pulses=(*project.pulses, taps, band), next_id=80)
    project = add_lane(add_lane(project, "zoom", taps.id), "shake", band.id)
    flash, zoom, shake = (lane.id for lane in project.lanes)
    pick = Pick(sections=("A",), start=1.0, end=3.0, every=2, without=zoom)
    changes = {"overrides": (Override(1.0, off=True),), "shots": (3,), "is_solo": True}
    project = change_lane(project, shake, pick=pick, **changes)
    recipe = recipe_of(project, [zoom, shake], " Taps ")
    assert recipe.name == "Taps"
    taken = recipe.lanes[1]
    assert taken.pick == Pick(every=2, without=recipe.lanes[0].id)
    assert (taken.overrides, taken.shots, taken.is_solo) == ((), (), False)
    assert [pulse.source for pulse in recipe.pulses] == [HeardSource(PulseUnit.BEAT), BandSource(40.0, 90.0)]
    alone = recipe_of(project, [shake], "Alone")
    assert alone.lanes[0].pick.without is None
    laid = use_recipe(project, recipe)
    assert laid.lanes[-1].pick.without == laid.lanes[-2].id
    assert [lane.pulse for lane in laid.lanes[-2:]] == [project.pulses[0].id, band.id]
    foreign = replace(recipe, lanes=(replace(taken, shots=(1,), overrides=(Override(1.0, off=True),)),))
    of_file = use_recipe(project, foreign).lanes[-1]  # what of another song is in its file is left out
    assert (of_file.shots, of_file.overrides) == ((), ())
    on_band = use_recipe(project, recipe, band.id)
    assert {lane.pulse for lane in on_band.lanes[-2:]} == {band.id}
    for wrong in (lambda: recipe_of(project, [], "x"), lambda: recipe_of(project, [flash], "  ")):
        with pytest.raises(EditError):
            wrong()
    with pytest.raises(EditError, match="pulse 999"):
        use_recipe(project, recipe, PulseId(999))


def broken(recipe, **changes):
    return json.dumps(json.loads(encode_recipe(recipe)) | changes).encode()


def test_a_broken_recipe_is_told_and_the_others_are_there(tmp_path):
    project = a_project()
    recipe = recipe_of(project, [project.lanes[0].id], "Flash on beats")
    book = RecipeBook(tmp_path / "recipes")
    kept = book.keep(recipe)
    with pytest.raises(RecipeError, match="another name"):
        book.keep(recipe)
    texts = {
        "cut": encode_recipe(recipe)[:-40],
        "song": b'{"version": 1}',
        "newer": broken(recipe, version=9),
        "orphan": broken(recipe, pulses=[json.loads(encode_recipe(recipe))["pulses"][0] | {"id": 77}]),
        "twice": broken(recipe, lanes=2 * json.loads(encode_recipe(recipe))["lanes"]),
        "wrong": broken(recipe, lanes=[json.loads(encode_recipe(recipe))["lanes"][0] | {"depth": 7}]),
        "noise": bytes(range(256)),
    }
    for name, text in texts.items():
        (book.folder / f"{name}{RECIPE_SUFFIX}").write_bytes(text)
        with pytest.raises(RecipeError, match=f"^{name}.epiphane-recipe"):
            load_recipe(book.folder / f"{name}{RECIPE_SUFFIX}")
    found, faults = book.read()
    assert [one.recipe for one in found if not one.is_shipped] == [recipe]
    assert len(faults) == len(texts)
    assert book.find("flash ON beats") == recipe
    with pytest.raises(RecipeError, match="there are: Flash on beats"):
        book.find("nothing")
    book.remove(kept)
    assert not any(one.recipe == recipe for one in book.read()[0])
    with pytest.raises(RecipeError, match="not there any more"):
        load_recipe(kept.path)
    (tmp_path / "file").write_text("")
    with pytest.raises(RecipeError, match="cannot be written"):
        RecipeBook(tmp_path / "file").keep(recipe)


def test_shipped_recipes_are_whole_and_fire(tmp_path):
    found, faults = RecipeBook(tmp_path).read()
    assert faults == ()
    assert len(found) >= 10
    for kept in found:
        assert kept.is_shipped
        assert kept.recipe.about
        laid = use_recipe(with_lanes(a_project(), lanes=()), kept.recipe)
        for lane in schedule(laid).lanes:
            effect = EFFECTS.find(lane.lane.effect)
            assert {setting.name for setting in lane.lane.settings} <= {p.name for p in effect.parameters}
            for parameter in effect.parameters:
                for setting in lane.lane.settings:
                    if setting.name == parameter.name and isinstance(setting.peak, float):
                        assert parameter.low <= setting.peak <= parameter.high
            source = next(p.source for p in laid.pulses if p.id == lane.lane.pulse)
            if lane.lane.trigger is not Trigger.FOLLOW and not isinstance(source, BandSource):
                assert lane.levels.max() > 0.2, (kept.recipe.name, lane.lane.effect)
    with pytest.raises(RecipeError, match="comes with Epiphane"):
        RecipeBook(tmp_path).remove(found[0])


def test_numbers_of_a_recipe_never_meet_those_of_the_project():
    project = a_project()
    recipe = recipe_of(project, [lane.id for lane in project.lanes], "Both")
    for _ in range(3):
        project = use_recipe(project, recipe)
    ids = [one.id for part in (project.lanes, project.pulses, project.shots) for one in part]
    assert len(set(ids)) == len(ids)
    assert max(ids) < project.next_id


def test_items_go_along_and_land_on_the_same_hits_of_another_song():
    project = a_project(n_lanes=1)
    roll = TextFill("ROLL", size=0.3, footage=FootageId(1), arrive=TextMotion("slam", 9, TextUnit.BLOCK))
    project, number = put_title(project, roll, 0, hit=project.song.drops[0] + 1.0)  # two beats after it
    project = change_track(project, project.tracks[-1].id, is_behind=True)
    project, _ = put_fill_on_track(project, SolidFill("#203040"), 0, seconds=16.0)
    project, _ = put_on_track(project, FootageId(1), 100, None)
    recipe = recipe_of(project, [project.lanes[0].id], "Sign", has_items=True)
    recipe = decode_recipe(encode_recipe(recipe), where="it")
    assert [item.anchor for item in recipe.items] == [RecipeAnchor.DROP, RecipeAnchor.WHOLE]
    assert recipe.items[0].content == replace(roll, footage=None) and recipe.items[0].beats == 2
    assert recipe_of(project, [project.lanes[0].id], "Sign").items == ()
    other = replace(a_project(n_lanes=0), song=a_song(tempo=100, n_beats=40))
    used = use_recipe(other, recipe)
    text, solid = (track.items[0] for track in used.tracks)
    beats = [beat.time for beat in other.song.beats]
    wanted = beats[beats.index(other.song.drops[0]) + 2]
    assert landing_frame(text, used.rate) == frame_at(wanted, used.rate)
    assert text.n_frames == find_item(project, number)[1].n_frames and used.tracks[0].is_behind
    assert (solid.start, solid.end) == (0, used.n_frames)
    assert use_recipe(replace(other, song=None, shots=()), recipe).lanes  # nowhere to put items: no fault
