"""Songs of every format, rate and channel count come in with their clicks where they were put."""

import av
import numpy as np
import pytest
from helpers import SOUND_RATE, click_track, write_clip, write_sound

from epiphane.audio.listening import usual_sound
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.audio.song_gain import shaped_song
from epiphane.document.song import Song
from epiphane.errors import MediaError

CLICKS = (0.25, 0.9, 1.7)
# A codec that is not exact moves the first sample that passes a threshold by a few at most.
LOSSY_SECONDS = 0.001
GREY = np.full((48, 64, 3), 80, np.uint8)


def attack_times(mono, rate):
    """Return where the sound first passes a third of the peak of each click."""
    times = []
    for click in CLICKS:
        start = round((click - 0.05) * rate)
        level = np.abs(mono[start : start + round(0.1 * rate)])
        times.append((start + int(np.argmax(level > level.max() / 3))) / rate)
    return times


@pytest.mark.parametrize(
    ("suffix", "rate", "tolerance"),
    [
        (".wav", 8_000, 1 / 8_000),
        (".wav", 44_100, 1 / 44_100),
        (".wav", 96_000, 1 / 96_000),
        (".flac", 22_050, 1 / 22_050),
        (".flac", 48_000, 1 / 48_000),
        (".mp3", 44_100, LOSSY_SECONDS),
        (".m4a", 44_100, LOSSY_SECONDS),
        (".ogg", 48_000, LOSSY_SECONDS),
    ],
)
@pytest.mark.parametrize("n_channels", [1, 2])
def test_clicks_come_in_where_they_were_put(tmp_path, suffix, rate, tolerance, n_channels):
    sound = np.tile(click_track(CLICKS, duration=2.0, rate=rate)[:, None], n_channels)
    samples = read_samples(write_sound(tmp_path / f"song{suffix}", sound, rate))
    assert samples.rate == rate
    assert samples.data.shape[1] == n_channels
    assert samples.duration == pytest.approx(2.0, abs=0.06)  # a last block may be filled up
    assert attack_times(samples.mono(), rate) == pytest.approx(CLICKS, abs=tolerance + 1e-9)


def test_six_channels_are_mixed_to_two(tmp_path):
    sound = np.tile(click_track(CLICKS, duration=2.0)[:, None], 6) * 0.2
    samples = read_samples(write_sound(tmp_path / "song.wav", sound))
    assert samples.data.shape == (2 * SOUND_RATE, 2)
    assert attack_times(samples.mono(), SOUND_RATE) == pytest.approx(CLICKS, abs=1e-4)


def test_the_sound_of_a_video_is_a_song(tmp_path):
    path = write_clip(tmp_path / "clip.mp4", [GREY] * 60, sound=click_track(CLICKS, duration=2.0))
    samples = read_samples(path)
    assert attack_times(samples.mono(), samples.rate) == pytest.approx(CLICKS, abs=LOSSY_SECONDS)


def test_a_hole_in_a_transport_stream_becomes_silence(tmp_path):
    """What is missing must not pull what follows forward."""
    path = write_clip(tmp_path / "whole.ts", [GREY] * 60, sound=click_track(CLICKS, duration=2.0))
    content, packet = path.read_bytes(), 188
    n_packets = len(content) // packet
    holed = tmp_path / "holed.ts"
    holed.write_bytes(content[: n_packets * 4 // 10 * packet] + content[n_packets * 6 // 10 * packet :])
    kept, samples = read_samples(path), read_samples(holed)
    assert samples.duration == pytest.approx(kept.duration, abs=0.05)
    last = attack_times(kept.mono(), kept.rate)[2]
    assert attack_times(samples.mono(), samples.rate)[2] == pytest.approx(last, abs=0.03)


def test_a_file_cut_short_is_used_and_said(tmp_path):
    path = write_sound(tmp_path / "song.wav", click_track(CLICKS, duration=4.2))
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    samples = read_samples(path)
    assert samples.duration == pytest.approx(2.1, abs=0.05)
    assert "breaks off after 0:02 though it says 0:04" in samples.remark


def test_a_whole_mp3_that_does_not_say_its_length_is_not_said_to_break_off(tmp_path):
    rate, chance = 44_100, np.random.default_rng(1)
    sound = np.concatenate([np.zeros(3 * rate), chance.uniform(-0.5, 0.5, 5 * rate)]).astype(np.float32)
    path = tmp_path / "song.mp3"
    with av.open(str(path), "w", options={"write_xing": "0"}) as container:
        stream = container.add_stream("libmp3lame", rate=rate, options={"q": "0"})
        stream.codec_context.qscale = True
        stream.codec_context.layout = "mono"
        frame = av.AudioFrame.from_ndarray(sound[None], format="fltp", layout="mono")
        frame.sample_rate = rate
        for block in [*av.AudioResampler("fltp", "mono", rate, 1152).resample(frame), None]:
            container.mux(stream.encode(block))
    with av.open(str(path)) as container:
        assert container.duration / av.time_base > 9  # as guessed from its quiet beginning
    samples = read_samples(path)
    assert samples.duration == pytest.approx(8.0, abs=0.1)
    assert samples.remark == ""


def test_a_long_sound_leaves_memory_and_is_the_same(tmp_path, monkeypatch):
    chance = np.random.default_rng(2)
    path = write_sound(tmp_path / "song.wav", chance.uniform(-0.5, 0.5, (3_000_000, 2)), 44_100)
    song = Song(str(path), "0" * 32, 50.0, start=2.0, gain=-3.0, fade_in=1.5, fade_out=30.0)

    def taken():
        samples = read_samples(path)
        shaped = shaped_song(samples.data, samples.rate, song)
        return (
            samples.data,
            samples.mono(),
            resampled_stereo(samples, 48_000),
            shaped,
            usual_sound(samples)[0],
        )

    short = taken()
    monkeypatch.setattr("epiphane.audio.mapped_array.MOST_IN_MEMORY", 1 << 20)
    long = taken()
    assert all(not array.flags.writeable for array in long)  # none of them is in memory
    for one, other in zip(short, long, strict=True):
        assert np.array_equal(one, other)


def test_values_that_are_no_numbers_become_silence(tmp_path):
    sound = click_track(CLICKS, duration=2.0)
    sound[100:200] = np.nan
    sound[300:400] = np.inf
    samples = read_samples(write_sound(tmp_path / "song.wav", sound, codec="pcm_f32le"))
    assert np.isfinite(samples.data).all()
    assert np.abs(samples.data[100:200]).max() == 0


def test_resampling_keeps_time(tmp_path):
    sound = click_track(CLICKS, duration=2.0, rate=44_100)
    stereo = resampled_stereo(read_samples(write_sound(tmp_path / "song.wav", sound, 44_100)), 48_000)
    assert stereo.shape == (96_000, 2)
    assert attack_times(stereo[:, 0], 48_000) == pytest.approx(CLICKS, abs=0.0005)


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"", "is empty"), (b"marbles" * 400, "damaged or no sound file"), (None, "not there any more")],
)
def test_what_is_no_song_is_refused_in_a_sentence(tmp_path, content, words):
    path = tmp_path / "song.wav"
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(MediaError, match=rf"song\.wav.*{words}"):
        read_samples(path)


def test_a_film_without_sound_is_no_song(tmp_path):
    path = write_clip(tmp_path / "clip.mp4", [GREY] * 5)
    with pytest.raises(MediaError, match="no sound in it"):
        read_samples(path)


def test_four_hours_are_refused_before_they_are_read(tmp_path):
    path = write_sound(tmp_path / "night.wav", np.zeros(8000, np.float32), 8000)
    # The header alone says how long it is; the file has holes, so it takes no room.
    content = bytearray(path.read_bytes())
    at = content.index(b"data")
    n_bytes = 4 * 3600 * 8000 * 2
    content[at + 4 : at + 8] = n_bytes.to_bytes(4, "little")
    content[4:8] = (n_bytes + at).to_bytes(4, "little")
    with path.open("wb") as file:
        file.write(content[: at + 8])
        file.truncate(at + 8 + n_bytes)
    with pytest.raises(MediaError, match=r"4:00:00 long.*3:00:00 at most. Cut out the part"):
        read_samples(path)
