"""The songs to learn from and the songs to check on."""

import pickle
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

from training.kit import Family
from training.sampled import load_kits
from training.song import RenderedSong, Timing, Wish, render_song
from training.studying import Studied, study
from training.styles import DEVELOPMENT, VALIDATION, Style

_DEVELOPMENT_SEED, _VALIDATION_SEED = 140_000, 290_000


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
    """Return songs of all development styles; one in twelve is a whole form."""
    return [
        Order(
            DEVELOPMENT[number % len(DEVELOPMENT)],
            _DEVELOPMENT_SEED + number,
            Family.DEVELOPMENT,
            Wish(has_form=number % 12 == 0),
        )
        for number in range(n_songs)
    ]


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
    """Render and study songs, or remember them; in the order they were asked for."""
    folder.mkdir(parents=True, exist_ok=True)
    if any(not _kept(order, folder).exists() for order in orders):
        for family in {order.family for order in orders}:
            load_kits(family)  # before the processes part, so that each has them
        with get_context("fork").Pool(n_processes) as pool:
            for _ in pool.imap_unordered(_study_and_keep, [(order, folder) for order in orders], chunksize=4):
                pass
    for order in orders:
        with _kept(order, folder).open("rb") as file:
            yield pickle.load(file)


def _study_and_keep(work: tuple[Order, Path]) -> None:
    order, folder = work
    kept = _kept(order, folder)
    if not kept.exists():
        half_written = kept.with_suffix(".part")
        with half_written.open("wb") as file:
            pickle.dump(study(order.render(), order.style.name), file)
        half_written.rename(kept)


def _kept(order: Order, folder: Path) -> Path:
    return folder / f"{order.family.value}-{order.seed}.pickle"
