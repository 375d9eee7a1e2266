"""Fit the networks: what comes out is what `epiphane.audio.network` runs."""

import warnings
from collections.abc import Sequence

import numpy as np
import scipy.optimize
from sklearn.exceptions import ConvergenceWarning
from sklearn.linear_model import LogisticRegression
from sklearn.neural_network import MLPClassifier

from epiphane.audio.network import Network, Ranker, Standard
from epiphane.audio.strokes import N_BANDS
from epiphane.types import BoolArray, FloatArray

_LEAST_DEVIATION = 1e-3


def fit_network(inputs: np.ndarray, truth: BoolArray, *, n_hidden: int, n_epochs: int, seed: int) -> Network:
    """Return a network with one hidden layer; `truth` is of shape (n, n_outputs)."""
    standard = _standard(inputs)
    model = MLPClassifier(
        (n_hidden,),
        alpha=3e-3,
        batch_size=256,
        learning_rate_init=2e-3,
        max_iter=n_epochs,
        random_state=seed,
    )
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ConvergenceWarning)
        model.fit(standard.of(inputs).astype(np.float32), truth.astype(int))
    return Network(
        standard,
        tuple(np.asarray(weight, np.float64) for weight in model.coefs_),
        tuple(np.asarray(bias, np.float64) for bias in model.intercepts_),
    )


def fit_linear(inputs: np.ndarray, truth: BoolArray, *, strength: float = 0.1) -> Network:
    """Return a logistic regression for each column of `truth`, as a network of one layer."""
    standard = _standard(inputs)
    values = standard.of(inputs)
    models = [LogisticRegression(C=strength, max_iter=300).fit(values, column) for column in truth.T]
    weight = np.stack([model.coef_[0] for model in models], axis=1)
    return Network(standard, (weight,), (np.array([model.intercept_[0] for model in models]),))


def coloured_strokes(rng: np.random.Generator, features: np.ndarray) -> np.ndarray:
    """Return strokes as other records would have them: bands louder or softer, and everything less sure."""
    n_strokes = len(features)
    n_runs = n_strokes // 300 + 1
    tilt = rng.normal(0, 0.35, (n_runs, N_BANDS))
    tilt = (tilt + np.roll(tilt, 1, axis=1) + np.roll(tilt, -1, axis=1)) / 1.7
    tilt = np.repeat(tilt, 300, axis=0)[:n_strokes]
    coloured = features.copy()
    coloured[:, :N_BANDS] += tilt
    coloured[:, 5 * N_BANDS : 6 * N_BANDS] += tilt
    coloured[:, -N_BANDS - 1 : -1] += 0.5 * tilt
    return np.asarray(coloured + rng.normal(0, 0.5, coloured.shape) * np.nanstd(features, axis=0))


def fit_ranker(
    songs: Sequence[tuple[FloatArray, BoolArray]], *, n_hidden: int, penalty: float, seed: int = 0
) -> Ranker:
    """Return a ranker that gives most of the belief to the right readings of each song.

    Conditional logit (McFadden, 1974) with a layer of tanh units: the log share of the right readings
    among all readings of a song is made as great as it can be, less a penalty on squared weights.

    Parameters
    ----------
    songs : of inputs, shape (n_readings, n_inputs), and which readings are right, shape (n_readings,)
    """
    inputs = np.concatenate([song[0] for song in songs])
    right = np.concatenate([song[1] for song in songs]).astype(float)
    sizes = np.array([len(song[0]) for song in songs])
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    song_of = np.repeat(np.arange(len(songs)), sizes)
    standard = _standard(inputs)
    values = standard.of(inputs)
    n_inputs = values.shape[1]

    def parts(theta: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
        hidden = theta[: n_inputs * n_hidden].reshape(n_inputs, n_hidden)
        rest = theta[n_inputs * n_hidden :]
        return hidden, rest[:n_hidden], rest[n_hidden : 2 * n_hidden], rest[2 * n_hidden :]

    def loss(theta: FloatArray) -> tuple[float, FloatArray]:
        hidden, bias, outer, linear = parts(theta)
        active = np.tanh(values @ hidden + bias)
        scores = active @ outer + values @ linear
        odds = np.exp(scores - np.maximum.reduceat(scores, starts)[song_of])
        total = np.add.reduceat(odds, starts)
        total_right = np.add.reduceat(odds * right, starts) + 1e-9
        slope = odds / total[song_of] - odds * right / total_right[song_of]
        inner = slope[:, None] * outer * (1 - active**2)
        gradient = [(values.T @ inner).ravel(), inner.sum(axis=0), active.T @ slope, values.T @ slope]
        cost = float((np.log(total) - np.log(total_right)).sum() + penalty * (theta**2).sum())
        return cost, np.concatenate(gradient) + 2 * penalty * theta

    start = np.random.default_rng(seed).normal(0, 0.1, n_inputs * n_hidden + 2 * n_hidden + n_inputs)
    found = scipy.optimize.minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 300})
    return Ranker(standard, *parts(found.x))


def mean_ranker(rankers: Sequence[Ranker]) -> Ranker:
    """Return the ranker whose scores are the mean of these, which were fitted to the same songs."""
    n_rankers = len(rankers)
    return Ranker(
        rankers[0].standard,
        np.concatenate([ranker.hidden for ranker in rankers], axis=1),
        np.concatenate([ranker.hidden_bias for ranker in rankers]),
        np.concatenate([ranker.outer for ranker in rankers]) / n_rankers,
        np.mean([ranker.linear for ranker in rankers], axis=0),
    )


def _standard(inputs: np.ndarray) -> Standard:
    mean = np.asarray(np.nanmean(inputs, axis=0, dtype=np.float64))
    return Standard(mean, np.asarray(np.nanstd(inputs, axis=0, dtype=np.float64) + _LEAST_DEVIATION))
