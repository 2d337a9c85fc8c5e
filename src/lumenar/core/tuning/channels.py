"""How gains or offsets of the three channels move a grey: XYZ = K + sum of s_c (P_c - K) with the measured primaries P_c, where
log s_c follows the channel's own control, and where the display is not additive the others' too. Fitted to all attempts by
regularised least squares about a guess from the control's range."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from math import exp, hypot, isfinite

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import spaces
from lumenar.core.menu.controls import Control
from lumenar.core.menu.paths import own_name
from lumenar.core.tuning.base import MODEL_SHARE, Array, steps_of

CHANNELS = ("red", "green", "blue")
GUESS = 1.1
"""Log of the light that a control's whole range moves, where nothing is known: a factor of three."""
GUESS_U, BEND_U, OTHER_U, OTHER_U_WHITE, OTHER_U_MIXED = 0.8, 0.35, 0.01, 0.03, 0.3
"""Prior standard deviations as shares of that guess: of the slope, of its change over the range, of what another channel's
control does to an additive display, to one with white light of its own, and to one that is not additive otherwise or whose gamut
is held in by a matrix before the controls, so that these do not move the primaries that are seen."""
MIXED = 0.01
"""Share of white from which on a display is not additive."""
STANDARD = 0.005
"""Distance in u'v' within which all three primaries are a standard's."""
FAR_SHARE = 0.06
"""Log of light, for each whole range that a reading lies away, by which it says less of here."""
SLOW_SHARE, STOPPED_SHARE = 0.5, 0.4
"""A channel that rises by less than the second share of what its control does elsewhere has no headroom; of one that was not
moved elsewhere the first share of the guess is taken."""
DEAD_SHARE = 0.08
"""A control that moves less than this share of the guess does nothing."""


@dataclass(frozen=True)
class Channel:
    """The control of one channel: 0 red, 1 green, 2 blue."""

    control: Control
    channel: int

    @cached_property
    def grid(self) -> Array:
        """All its values (n,)."""
        return steps_of(self.control)

    @property
    def span(self) -> float:
        """Its whole range."""
        return self.control.maximum - self.control.minimum

    @property
    def name(self) -> str:
        """What it is called where its place in the menu is clear."""
        return own_name(self.control.path)


@dataclass(frozen=True, eq=False)
class Primaries:
    """What the channels add to a grey at the start: rows (3, 3) of XYZ in cd/m2 less black, and black (3,). mixed: the share
    of white by which the display is not additive; clamped: whether the primaries are a standard's, so that the display is likely
    to hold a wider gamut in, before its controls; extra (3,): XYZ that white has beside its primaries, where it is as much
    as the channels have in common, with level (3,), how much there is of each."""

    rows: Array
    black: Array
    mixed: float
    clamped: bool = False
    extra: Array | None = None
    level: Array = field(default_factory=lambda: np.ones(3))

    def shares(self, XYZ: Array) -> Array:
        """Amounts (..., 3) of the channels in XYZ (..., 3), 1 at the start."""
        light = np.asarray(XYZ, float) - self.black
        if self.extra is None:
            return np.asarray(light @ np.linalg.inv(self.rows), float)
        # Whichever channel there is least of makes the extra light: of three solutions the one in which it is least.
        a = self.level / self.level.min()
        found = []
        for j in range(3):
            rows = self.rows.copy()
            rows[j] += a[j] * self.extra
            found.append(light @ np.linalg.inv(rows))
        t = np.stack(found)
        beyond = t * a - np.min(t * a, axis=-1, keepdims=True)
        own = np.stack([beyond[j, ..., j] for j in range(3)])
        return np.asarray(np.take_along_axis(t, np.argmin(own, axis=0)[None, ..., None], axis=0)[0], float)

    def XYZ(self, shares: Array) -> Array:
        """XYZ (..., 3) of amounts (..., 3)."""
        XYZ = self.black + shares @ self.rows
        if self.extra is not None:
            a = self.level / self.level.min()
            XYZ = XYZ + np.min(shares * a, axis=-1, keepdims=True) * self.extra
        return np.asarray(XYZ, float)


def primaries_of(grey: Array, primaries: Array, black: Array) -> Primaries | None:
    """What the channels add to a grey (3,), from the primaries (3, 3) and black (3,) as read in cd/m2; None where they cannot be
    told apart. Of a display that is not additive the rows are scaled so that they make up the grey."""
    K = np.where(np.isfinite(black), black, 0.0)
    P = primaries - K
    if not (np.isfinite(P).all() and np.isfinite(grey).all()) or abs(np.linalg.det(P)) < 1e-9 * np.abs(P).max() ** 3:
        return None
    amounts = (grey - K) @ np.linalg.inv(P)
    if (amounts <= 0).any():
        return None
    total = P.sum(axis=0)[1]
    whole = (grey - K)[1]
    # A dark grey's channels are the primaries in other amounts; only white tells whether they add up.
    return Primaries(amounts[:, None] * P, K, abs(float(whole / total - 1)), _standard(P))


def in_grey(grey: Array, white: Array, primaries: Array, black: Array) -> Primaries | None:
    """What the channels add to a grey (3,) of a display with that white (3,), all read in cd/m2. Light that white has beside its
    primaries, as from a white sub-pixel, is taken for as much as the three channels have in common: so its share of each tells
    how much of each there is."""
    own, whole = primaries_of(grey, primaries, black), primaries_of(white, primaries, black)
    if own is None or whole is None:
        return None
    plain = replace(own, mixed=whole.mixed, clamped=whole.clamped)
    if whole.mixed <= MIXED:
        return plain
    P = primaries - whole.black
    extra = white - whole.black - P.sum(axis=0)
    e = extra @ np.linalg.inv(P)
    if not (e > MIXED / 2).all():
        return plain
    amounts = replace(whole, rows=P, extra=extra, level=1 / e).shares(grey)
    if not (amounts > 0).all():
        return plain
    common = float((amounts / e).min() / (1 / e).min())
    return replace(plain, rows=amounts[:, None] * P, extra=common * extra, level=amounts / e)


@lru_cache(maxsize=1)
def _standards() -> Array:
    return np.stack([spaces.xy_to_uv(s.primaries) for s in spaces.SPACES.values()])


def _standard(P: Array) -> bool:
    """Whether primaries (3, 3) of XYZ are those of a standard space, nearer than panels come to it by themselves."""
    off = np.hypot(*np.moveaxis(spaces.XYZ_to_uv(P) - _standards(), -1, 0))
    return bool((off.max(axis=1) < STANDARD).any())


@dataclass(frozen=True, eq=False)
class Fitted:
    """Log of the channels' amounts after attempts. mean (3, m) and covariance (3, m, m) of the coefficients: constant, one slope
    for each control, the bend of the own; own: by channel the place of its control, -1 where there is none; top: the amounts
    (3,) above which a channel does not rise, infinite where none was seen; dead: by control, whether it does nothing."""

    mean: Array
    covariance: Array
    own: tuple[int, ...]
    top: Array
    dead: tuple[bool, ...]

    def log_shares(self, x: Array) -> Array:
        """Log of amounts (..., 3) at distances x (..., k) from the start in whole ranges."""
        return np.minimum(self._risen(x), np.log(self.top))

    def beyond(self, x: Array) -> Array:
        """By how much (...) of log amounts the channels' controls stand above where these stop to rise, at the same places: it
        does nothing to the grey and clips what is near it."""
        return np.asarray(np.maximum(self._risen(x) - np.log(self.top), 0).sum(axis=-1), float)

    def _risen(self, x: Array) -> Array:
        """The same as if no channel stopped."""
        return np.asarray(np.stack([_terms(x, k) @ self.mean[c] for c, k in enumerate(self.own)], axis=-1), float)

    def u(self, x: Array) -> Array:
        """Standard deviation (..., 3) of the same."""
        out = []
        for c, k in enumerate(self.own):
            t = _terms(x, k)
            out.append(np.sqrt(np.einsum("...i,ij,...j", t, self.covariance[c], t) + MODEL_SHARE**2))
        return np.asarray(np.stack(out, axis=-1), float)


def _terms(x: Array, own: int) -> Array:
    bend = np.square(x[..., own]) if own >= 0 else np.zeros(x.shape[:-1])
    return np.concatenate([np.ones((*x.shape[:-1], 1)), x, bend[..., None]], axis=-1)


def fit(
    channels: Sequence[Channel],
    x: Array,
    shares: Array,
    u: Array,
    start: Primaries,
    guess: float,
    here: Array,
    stops: bool = True,
) -> Fitted:
    """The model after n attempts: x (n, k) distances from the start in whole ranges, shares (n, 3) with relative standard
    deviations u (n, 3); start: what the channels add to the grey at the start; guess: of the slope; here (k,): where it
    is to hold; stops: whether a channel may stop to rise, as at the bright end."""
    own = tuple(next((i for i, c in enumerate(channels) if c.channel == ch), -1) for ch in range(3))
    other = of_others(start)
    means, covariances, tops = _fitted(
        own=own, x=x, shares=shares, u=u, guess=guess, here=here, stops=stops, other=other
    )
    dead = tuple(_dead(x, means[channels[i].channel, 1 + i], i, guess) for i in range(len(channels)))
    return Fitted(means, covariances, own, tops, dead)


def of_others(start: Primaries) -> float:
    if start.clamped or (start.mixed > MIXED and start.extra is None):
        return OTHER_U_MIXED
    return OTHER_U if start.extra is None else OTHER_U_WHITE


def _fitted(
    own: tuple[int, ...], x: Array, shares: Array, u: Array, guess: float, here: Array, stops: bool, other: float
) -> tuple[Array, Array, Array]:
    """Mean, covariance and top of `Fitted`, where what another channel's control does has a prior standard deviation `other`."""
    k = x.shape[1]
    tops = np.full(3, np.inf)
    means, covariances = np.zeros((3, k + 2)), np.zeros((3, k + 2, k + 2))
    for ch in range(3):
        rows = rows_of(
            own=own[ch], x=x, shares=shares[:, ch], u=u[:, ch], guess=guess, here=here, stops=stops, other=other
        )
        tops[ch] = rows.top
        covariances[ch] = np.linalg.inv(np.diag(1 / rows.sd**2) + rows.T.T @ rows.T)
        means[ch] = covariances[ch] @ (rows.prior / rows.sd**2 + rows.T.T @ rows.seen)
    return means, covariances, tops


@dataclass(frozen=True, eq=False)
class Rows:
    """What is known of one channel before (prior and sd, (m,)), and what its readings say: T (r, m) and seen (r,) in standard
    deviations; read (r,): of which attempt each is, -1 where it is of none; noise (r,): standard deviation of each; top: the
    amount above which it does not rise."""

    prior: Array
    sd: Array
    T: Array
    seen: Array
    read: NDArray[np.intp]
    noise: Array
    top: float


def rows_of(
    own: int,
    x: Array,
    shares: Array,
    u: Array,
    guess: float,
    here: Array,
    stops: bool,
    other: float,
    doubted: NDArray[np.bool_] | None = None,
) -> Rows:
    """doubted (n,): attempts that are no sign of where the channel stops to rise."""
    k, top = x.shape[1], np.inf
    with np.errstate(invalid="ignore"):
        logs = np.log(np.maximum(shares, 1e-6))
    prior = np.zeros(k + 2)
    sd = np.full(k + 2, other * guess)
    sd[0] = 0.01
    sd[-1] = BEND_U * guess if own >= 0 else 1e-6
    if own >= 0:
        prior[1 + own], sd[1 + own] = guess, GUESS_U * guess
    use = np.isfinite(logs)
    if own >= 0 and stops:
        # What others do to this channel, as far as that is known, is no sign of its own top.
        reach = float(np.abs(np.delete(x, own, 1)).max(initial=0.0))
        least = 0.015 if other <= OTHER_U else 0.015 + other / 2 * guess * reach
        sure = np.ones(len(x), bool) if doubted is None else ~doubted
        capped = np.zeros(len(x), bool)
        capped[sure], top = _capped(x[sure, own], logs[sure], u[sure], guess, least)
        if capped.any():
            capped |= ~sure & (x[:, own] >= x[capped, own].min())
        use &= np.logical_not(capped)
    noise = np.sqrt(u**2 + MODEL_SHARE**2 + (FAR_SHARE * guess * np.abs(x - here).sum(axis=1)) ** 2)[use]
    T, seen, read = _terms(x, own)[use] / noise[:, None], logs[use] / noise, np.flatnonzero(use)
    if own >= 0 and use.any() and (stopped := np.isfinite(logs) & ~use).any():
        # It stops somewhere between the last reading below and the first above.
        low = x[use, own].max()
        above = np.where(stopped, x[:, own], np.inf)
        if above[j := int(above.argmin())] > low:
            between = x[j].copy()
            between[own] = (low + above[j]) / 2
            width = guess * (above[j] - low) / np.sqrt(12)
            T = np.vstack([T, _terms(between, own) / width])
            seen, read, noise = np.append(seen, np.log(top) / width), np.append(read, -1), np.append(noise, width)
    return Rows(prior=prior, sd=sd, T=T, seen=seen, read=read, noise=noise, top=top)


def _dead(x: Array, slope: float, i: int, guess: float) -> bool:
    """Whether a control was moved down far enough and the light did not follow."""
    return bool(x[:, i].min() < -0.03 and abs(slope) < DEAD_SHARE * guess)


def _capped(x: Array, logs: Array, u: Array, guess: float, least: float) -> tuple[NDArray[np.bool_], float]:
    """Which readings (n,) lie above where a channel stops to rise, and the amount it stops at."""
    capped, top = np.zeros(len(x), bool), np.inf
    run = x[:, None] - x[None, :]
    with np.errstate(divide="ignore", invalid="ignore"):
        slopes = np.where(run > 0.02, (logs[:, None] - logs[None, :]) / run, -np.inf)
    slopes = slopes[np.isfinite(slopes)]
    usual = float(slopes.max()) if len(slopes) else guess
    # Numbers one by one are dear to ask an array for.
    at, log, noise = x.tolist(), logs.tolist(), u.tolist()
    order = [j for j in np.argsort(x).tolist() if isfinite(log[j])]
    for j in order:
        lower = [i for i in order if at[j] - at[i] > 1e-9]
        if not lower:
            continue
        i = max(lower, key=at.__getitem__)
        wanted = max(usual, SLOW_SHARE * guess) * (at[j] - at[i])
        u_both = hypot(noise[i], noise[j])
        if wanted > max(5 * u_both, least) and log[j] - log[i] < STOPPED_SHARE * wanted:
            capped[j] = True
            # Where it rose a little it stopped on the way; where it did not, both readings say where it stands.
            stands = log[j] if log[j] - log[i] > 3 * u_both else (log[i] + log[j]) / 2
            top = min(top, exp(stands))
    if capped.any():
        # The lowest of those that stopped has none below it to tell it by.
        lowest = x[capped].min()
        near = (x < lowest) & (x > x.min()) & (np.abs(logs - np.log(top)) < 3 * np.hypot(u, u[capped].max()))
        capped |= near
    return capped, top
