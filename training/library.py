"""The songs to learn from and the songs to check on."""

import pickle
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from itertools import repeat
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from training.coding import chance_coding
from training.invention import invent_style
from training.kit import Family
from training.sampled import load_kits
from training.song import RenderedSong, Timing, Wish, render_song
from training.studying import Studied, study
from training.styles import DEVELOPMENT, VALIDATION, Style

_DEVELOPMENT_SEED, _VALIDATION_SEED = 530_000, 750_000
_CODED_SHARE, _FIRST_FRESH = 0.4, 5000


@dataclass(frozen=True)
class Order:
    """A song to render."""

    style: Style
    seed: int
    family: Family
    wish: Wish = field(default_factory=Wish)

    def render(self) -> RenderedSong:
        """Return the song, on sampled sounds."""
        return render_song(self.style, self.seed, family=self.family, wish=self.wish, is_sampled=True)


def development_orders(n_songs: int) -> list[Order]:
    """Return songs of styles made up for one song each and, every third, of the development styles.

    One in twelve is a whole form; two in five have been through a codec or have lost their top end.
    """
    orders = []
    for number in range(n_songs):
        seed = _DEVELOPMENT_SEED + number
        rng = np.random.default_rng(seed)
        style = invent_style(rng, f"invented {number}")
        if number % 3 == 0:
            style = DEVELOPMENT[number // 3 % len(DEVELOPMENT)]
        coding = chance_coding(rng) if rng.random() < _CODED_SHARE else None
        orders.append(Order(style, seed, Family.DEVELOPMENT, Wish(has_form=number % 12 == 1, coding=coding)))
    return orders


def fresh_orders(n_songs: int) -> list[Order]:
    """Return songs of the development kits that nothing was learned from, through no codec."""
    orders = development_orders(_FIRST_FRESH + n_songs)[_FIRST_FRESH:]
    return [replace(order, wish=replace(order.wish, coding=None)) for order in orders]


def validation_orders() -> list[Order]:
    """Return the songs that nobody learns from: every validation style, and what else goes wrong."""
    styles = {style.name: style for style in VALIDATION}
    orders = [
        Order(style, _VALIDATION_SEED + 10 * number + take, Family.VALIDATION)
        for number, style in enumerate(VALIDATION)
        for take in range(2)
    ]
    wishes = (
        Wish(timing=Timing.JITTER),
        Wish(timing=Timing.RAMP),
        Wish(timing=Timing.JUMP),
        Wish(is_silent_first=True),
        Wish(has_breakdown=True),
        Wish(is_dense=True),
        Wish(has_loud_lead=True),
        Wish(has_form=True),
        Wish(has_form=True),
    )
    names = (
        "rock with fills",
        "breakbeat",
        "floor",
        "driving",
        "three",
        "slow half",
        "off-beat bass",
        "dense",
    )
    seed = _VALIDATION_SEED + 1000
    for number, wish in enumerate(wishes):
        for take in range(3 if not wish.has_form else 6):
            seed += 1
            orders.append(
                Order(styles[names[(3 * number + take) % len(names)]], seed, Family.VALIDATION, wish)
            )
    return orders


def studied(orders: Sequence[Order], folder: Path, *, n_processes: int = 2) -> Iterator[Studied]:
    """Render and study songs, or remember them; in the order they were asked for.

    Songs and studies are kept apart: after a change of listening only the studies are to be removed.
    """
    for part in ("songs", "studies"):
        (folder / part).mkdir(parents=True, exist_ok=True)
    if any(not _kept(order, folder / "songs").exists() for order in orders):
        for family in {order.family for order in orders}:
            load_kits(family)  # before the processes part, so that each has them
    with ProcessPoolExecutor(n_processes, mp_context=get_context("fork")) as pool:
        for order, _ in zip(orders, pool.map(_study_and_keep, orders, repeat(folder)), strict=True):
            with _kept(order, folder / "studies").open("rb") as file:
                yield pickle.load(file)


def rendered(order: Order, folder: Path) -> RenderedSong:
    """Render a song, or remember it."""
    kept = _kept(order, folder / "songs")
    if not kept.exists():
        song = order.render()
        _keep(replace(song, sound=song.sound.astype(np.float16)), kept)
    with kept.open("rb") as file:
        found: RenderedSong = pickle.load(file)
    return replace(found, sound=found.sound.astype(np.float32))


def _study_and_keep(order: Order, folder: Path) -> None:
    kept = _kept(order, folder / "studies")
    if not kept.exists():
        _keep(study(rendered(order, folder), order.style.name), kept)


def _keep(value: object, path: Path) -> None:
    half_written = path.with_suffix(".part")
    with half_written.open("wb") as file:
        pickle.dump(value, file)
    half_written.rename(path)


def _kept(order: Order, folder: Path) -> Path:
    return folder / f"{order.family.value}-{order.seed}.pickle"
