"""The notched rule of a score."""

from __future__ import annotations


def rule(value: float | None, low: float | None = None, high: float | None = None, width: int = 120) -> str:
    """The notched rule: a score on a line from 0 to 100 with a soft band for its interval; dotted where unmeasured."""
    span = width - 4

    def x(points: float) -> float:
        return 2 + span * points / 100

    if value is None:
        line = f'<line x1="2" x2="{width - 2}" y1="7" y2="7"/>'
        return f'<svg class="rule none" width="{width}" height="14" aria-hidden="true">{line}</svg>'
    a, b = x(low if low is not None else value), x(high if high is not None else value)
    return (
        f'<svg class="rule" width="{width}" height="14" aria-hidden="true"><line x1="2" x2="{width - 2}" y1="7" y2="7"/>'
        f'<rect class="soft" x="{a - 1:.1f}" y="5" width="{b - a + 2:.1f}" height="4"/>'
        f'<rect class="notch" x="{x(value) - 1.25:.1f}" y="1" width="2.5" height="12"/></svg>'
    )
