"""Pictures of a tuning: the path of its attempts about the target, and what each cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.core.colour.spaces import XYZ_to_uv, uv_to_xy, xy_to_XYZ
from lumenar.core.measurements.charts import Axis, Chart, Mark, Series, Table, around, joined
from lumenar.core.targets import Target
from lumenar.core.tuning.base import Array, white_error

RINGS = (1.0, 3.0)
"""dE2000 about the target's white that the path is drawn over."""


@dataclass(frozen=True)
class Dot:
    """White at one attempt: its number, u'v', luminance in cd/m2, and dE2000 of its colour."""

    number: int
    u: float
    v: float
    Y: float
    error: float


def dot_of(number: int, XYZ: Array, target: Target) -> Dot | None:
    """White of an attempt as the path shows it; None where it is no number."""
    if not np.isfinite(XYZ).all() or XYZ[1] <= 0:
        return None
    u, v = XYZ_to_uv(XYZ)
    return Dot(number, float(u), float(v), float(XYZ[1]), float(white_error(XYZ, target)))


def charts(
    dots: Sequence[Dot],
    target: Target,
    wanted: float | None,
    others: Sequence[tuple[str, str, Sequence[tuple[int, float]]]] = (),
) -> list[Chart]:
    """The path in u'v', the error and the luminance by attempt; nothing where white was not read. others: what else is aimed at,
    by title, note, and the number of each attempt with its dE2000."""
    if not dots:
        return []
    white = ("White", "dE2000 of white's colour from the target's", [(d.number, d.error) for d in dots])
    every = [*others, white] if len(dots) > 1 or not others else others
    return [_path(dots, target), *(_off_by(*o) for o in every), _luminance(dots, wanted)]


def _off_by(title: str, note: str, seen: Sequence[tuple[int, float]]) -> Chart:
    numbers, errors = (np.array(v, float) for v in zip(*seen, strict=True))
    _, high = around(errors, least=(0, 2))
    name = title.lower()
    return Chart(
        key=f"tuning_{name.split()[-1]}",
        kind="lines",
        title=f"{title}, off by",
        note=note,
        headline=f"{errors[0]:.1f}, last {errors[-1]:.1f}",
        x=Axis("attempt", "", float(numbers[0]) - 0.3, float(max(numbers[-1], numbers[0] + 3)) + 0.3, 0),
        y=Axis(name, "dE", 0, high, 0),
        series=(Series(name, "measured", joined(numbers, errors), marks=True),),
        table=Table(("Attempt", "dE2000"), (0, 2), Table.rows_of(numbers, errors)),
    )


def _path(dots: Sequence[Dot], target: Target) -> Chart:
    at = XYZ_to_uv(target.white_XYZ(1.0))
    points = np.array([[d.u, d.v] for d in dots])
    rings = [_ring(target, e) for e in RINGS]
    every = np.vstack([points, rings[0] if np.ptp(points, axis=0).max() < 0.01 else rings[1]])
    middle, half = (every.max(axis=0) + every.min(axis=0)) / 2, max(0.003, 0.58 * float(np.ptp(every, axis=0).max()))
    aspect = 1.3
    x = middle[0] - aspect * half, middle[0] + aspect * half
    y = middle[1] - half, middle[1] + half
    reach = 0.03 * half
    marks = [
        Mark("area", "faint", joined(r[:, 0], r[:, 1]), small=True, hint=f"dE {e:g} from the target's white")
        for e, r in zip(RINGS, rings, strict=True)
    ]
    for dx, dy in ((reach, 0.0), (0.0, reach)):
        ends = ((float(at[0] - 1.6 * dx), float(at[1] - 1.6 * dy)), (float(at[0] + 1.6 * dx), float(at[1] + 1.6 * dy)))
        marks.append(Mark("line", "ink", ends, hint=f"target: u′ {at[0]:.4f}, v′ {at[1]:.4f}"))
    marks.append(Mark("line", "outline", joined(points[:, 0], points[:, 1]), small=True))
    shown: list[Array] = []
    for d, p in zip(dots, points, strict=True):
        ways = ((reach / 2, 0.0), (0.0, reach / 2), (-reach / 2, 0.0), (0.0, -reach / 2))
        corners = [(float(p[0] + dx), float(p[1] + dy)) for dx, dy in ways]
        hint = f"attempt {d.number}: u′ {d.u:.4f}, v′ {d.v:.4f}, dE {d.error:.2f}, {d.Y:.4g} cd/m²"
        marks.append(Mark("area", "ink", tuple(corners), hint=hint))
        place = np.array([p[0] + 1.6 * reach, p[1] + 1.4 * reach])
        # A number that would stand on another is left to the table.
        if all(np.abs((place - s) / half).max() > 0.09 for s in shown) or d is dots[-1]:
            style = "lamp" if d is dots[-1] else "faint"
            marks.append(Mark("text", style, ((float(place[0]), float(place[1])),), str(d.number), small=True))
            shown.append(place)
    rows = tuple((float(d.number), d.u, d.v, d.error, d.Y) for d in dots)
    return Chart(
        key="tuning_path",
        kind="drawing",
        title="Path of white",
        note="u′v′; rings at dE 1 and 3 about the target",
        headline=f"dE {dots[-1].error:.1f} at attempt {dots[-1].number}",
        x=Axis("u′", "", float(x[0]), float(x[1]), 4),
        y=Axis("v′", "", float(y[0]), float(y[1]), 4),
        series=(),
        table=Table(("Attempt", "u′", "v′", "dE2000", "White, cd/m²"), (0, 4, 4, 2, 1), rows),
        marks=tuple(marks),
        aspect=aspect,
    )


def _ring(target: Target, error: float, points: int = 48) -> Array:
    """u'v' (n, 2) of whites that are so far from the target's."""
    at = XYZ_to_uv(target.white_XYZ(1.0))
    angles = np.linspace(0, 2 * np.pi, points, endpoint=False)
    ways = np.column_stack([np.cos(angles), np.sin(angles)])
    low, high = np.zeros(points), np.full(points, 0.05)
    for _ in range(24):
        middle = (low + high) / 2
        far = white_error(xy_to_XYZ(uv_to_xy(at + ways * middle[:, None]), 1.0), target) > error
        low, high = np.where(far, low, middle), np.where(far, middle, high)
    return np.asarray(at + ways * ((low + high) / 2)[:, None], float)


def _luminance(dots: Sequence[Dot], wanted: float | None) -> Chart:
    numbers, Y = np.array([d.number for d in dots]), np.array([d.Y for d in dots])
    _, high = around(Y if wanted is None else np.append(Y, wanted), least=(0, 10))
    series = [Series("white", "measured", joined(numbers, Y), marks=True)]
    ends = np.array([numbers[0], max(numbers[-1], numbers[0] + 3)], float)
    if wanted is not None:
        series.append(Series(f"{wanted:g} cd/m²", "target", joined(ends, np.full(2, wanted))))
    kept = 100 * Y[-1] / Y[0]
    return Chart(
        key="tuning_luminance",
        kind="lines",
        title="Luminance",
        note="white in cd/m² by attempt, and its share of the first",
        headline=f"{Y[-1]:.3g} cd/m², {kept:.0f} %",
        x=Axis("attempt", "", float(ends[0]) - 0.3, float(ends[1]) + 0.3, 0),
        y=Axis("white", "cd/m²", 0, high, 0),
        series=tuple(series),
        table=Table(("Attempt", "White, cd/m²"), (0, 1), Table.rows_of(numbers, Y)),
    )
