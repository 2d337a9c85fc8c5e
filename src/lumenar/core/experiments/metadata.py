"""What an HDR mode makes of metadata: the same ramp is read while different mastering peaks and MaxCLL are sent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.colour.transfer import pq
from lumenar.core.experiments.base import Act, Array, Conclusion, Stage, StageRead
from lumenar.core.measurements.charts import Axis, Chart, Series, Table, joined
from lumenar.core.measurements.pq_tracking import clip_percent
from lumenar.core.numbers import significant
from lumenar.core.readings import Patch
from lumenar.core.signals import Metadata, Signal
from lumenar.core.tuning.base import Noise
from lumenar.core.uncertainty import holm

CODES = (0.3, 0.4, 0.5, 0.55, 0.58, 0.61, 0.64, 0.67, 0.7, 0.73, 0.76, 0.79, 0.82, 0.86, 0.9, 0.95, 1.0)
SENT: dict[str, tuple[float, float] | None] = {
    "nothing": None, "4000/4000": (4000, 4000), "4000/1000": (4000, 1000), "1000/1000": (1000, 1000), "1000/400": (1000, 400),
}  # fmt: skip
"""Mastering peak and MaxCLL in cd/m2: a pair in which only MaxCLL differs, one in which only the peak does, and both."""
LEAST = 0.01
"""A share of light by which two responses have to differ."""


def sent_as(value: str) -> Metadata | None:
    """What is sent by its name in SENT."""
    pair = SENT[value]
    return None if pair is None else Metadata(mastering_cd_m2=pair[0], max_cll=pair[1])


def words_of(name: str) -> str:
    """What is sent, in words."""
    pair = SENT[name]
    return "no metadata" if pair is None else f"mastering peak {pair[0]:,.0f}, MaxCLL {pair[1]:,.0f} cd/m²"


@dataclass(frozen=True)
class MetadataResponse:
    """A ramp under each set of metadata, there and back, so that drift is no response."""

    mode: str
    signal: Signal
    noise: Noise

    @property
    def order(self) -> tuple[str, ...]:
        """What is sent, one after the other."""
        return (*SENT, *reversed(SENT))

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Each set of metadata twice."""
        patches = tuple(Patch((v, v, v)) for v in CODES)
        return tuple(
            Stage(f"{words_of(name)}, {'again' if i >= len(SENT) else 'first'}", self._acts(name), patches)
            for i, name in enumerate(self.order)
        )

    def _acts(self, name: str) -> tuple[Act, ...]:
        return Act("metadata", words_of(name), name), Act("mode", "", self.mode)

    @property
    def back(self) -> tuple[Act, ...]:
        """No metadata."""
        return self._acts("nothing")

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Which of mastering peak and MaxCLL matters, and where the light ends under each."""
        Y = {
            n: np.stack([np.nan_to_num(r.XYZ[:, 1]) for m, r in zip(self.order, reads, strict=True) if m == n])
            for n in SENT
        }
        log = {n: np.log(np.maximum(y, 1e-6)) for n, y in Y.items()}
        nu = sum(len(v) - 1 for v in log.values()) * len(CODES)
        s2 = sum(float(((v - v.mean(axis=0)) ** 2).sum()) for v in log.values()) / nu
        # Typed with few digits, both may be the same.
        s = float(np.sqrt(max(s2, (self.noise.repeatability / 2) ** 2)))
        pairs = [
            ("4000/4000", "4000/1000"),
            ("1000/1000", "1000/400"),
            ("4000/1000", "1000/1000"),
            ("nothing", "4000/4000"),
        ]
        pairs += [("nothing", "1000/1000")]
        differ = self._differ([log[b].mean(axis=0) - log[a].mean(axis=0) for a, b in pairs], s, nu)
        by_cll, by_peak = differ[0] or differ[1], differ[2]
        if by_cll and by_peak:
            said = "goes by the mastering peak and by MaxCLL"
        elif by_cll:
            said = "goes by MaxCLL and not by the mastering peak"
        elif by_peak:
            said = "goes by the mastering peak and not by MaxCLL"
        elif differ[3] or differ[4]:
            said = "does not go by the values of metadata, only by whether any are sent"
        else:
            said = "ignores metadata"
        rows = tuple((words_of(n), round(float(y[:, -1].mean()), 1), _ends(y.mean(axis=0))) for n, y in Y.items())
        ends = [_ends(y.mean(axis=0)) for y in Y.values()]
        low, high = min(ends), max(ends)
        most = f"Nothing more comes from {significant(low, 3)} to {significant(high, 3)} cd/m² on, by what is sent."
        if not any(differ) or high < 1.05 * low:
            most = f"Nothing more comes from {significant(float(np.median(ends)), 3)} cd/m² on."
        heads = ("Sent", "Peak, cd/m²", "Nothing more from, cd/m² asked")
        return Conclusion(f"{self.mode} {said}. {most}", heads, rows, charts=(_chart(Y),))

    def _differ(self, d: Sequence[Array], s: float, nu: int) -> list[bool]:
        """Which differences of logarithms (n,) stand: each is of two means of two, Holm over all codes of all."""
        from scipy.stats import t as student

        every = np.stack(d)
        p = 2 * student.sf(np.abs(every) / s, nu)
        stands = holm(p.ravel()).reshape(every.shape) & (np.abs(every) > LEAST)
        return [bool(np.any(row)) for row in stands]


def _ends(Y: Array) -> float:
    """Luminance that is asked for from where nothing more comes of the light (n,)."""
    return round(float(pq(clip_percent(np.array(CODES), Y, np.asarray(Y[-1])) / 100)), 1)


def _chart(Y: dict[str, Array]) -> Chart:
    """The responses over one another on logarithmic axes, from where they may part."""
    asked = pq(np.array(CODES))
    x = np.log10(asked)
    seen = x >= 2
    series = tuple(
        Series(_short(n), "measured", joined(x[seen], np.log10(np.maximum(y.mean(axis=0), 1e-3))[seen]), setup=i % 3, marks=i > 2)
        for i, (n, y) in enumerate(Y.items())
    )  # fmt: skip
    top = float(np.ceil(max(float(np.log10(y.max())) for y in Y.values()) * 4) / 4)
    low = min(2.0, *(float(np.log10(max(y.mean(axis=0)[seen].min(), 1.0))) for y in Y.values()))
    target = Series("target", "target", joined(np.array([2.0, top]), np.array([2.0, top])))
    heads = ("cd/m² asked", *(words_of(n) for n in Y))
    rows = Table.rows_of(asked, *(y.mean(axis=0) for y in Y.values()))
    return Chart(
        "metadata", "lines", "Responses to metadata", "Luminance over what is asked for; peak and MaxCLL that are sent.", "",
        Axis("asked", "cd/m²", 2.0, 4.0, 0, log=True), Axis("shown", "cd/m²", low, top, 0, log=True),
        (target, *series), Table(heads, (1, *(1 for _ in Y)), rows),
    )  # fmt: skip


def _short(name: str) -> str:
    pair = SENT[name]
    return "none sent" if pair is None else f"{pair[0]:,.0f} / {pair[1]:,.0f}"
