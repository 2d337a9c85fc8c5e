"""Paths through a menu, "Picture > Colour > Hue": whole, and shortened as far as they stay unambiguous."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection

BETWEEN = " > "
"""What stands between the parts of a path in the store and in files."""


def own_name(path: str) -> str:
    """The control's own name, for where no other control is near."""
    return path.rpartition(BETWEEN)[2]


def written(path: str) -> str:
    """A path as people read it."""
    return path.replace(BETWEEN, " › ")


def endings(paths: Collection[str]) -> dict[str, str]:
    """For each of some paths the shortest end of it that no other of them has, as people read it.

    >>> endings(["Colour > Red > Hue", "Colour > Green > Hue", "Light"])
    {'Colour > Red > Hue': 'Red › Hue', 'Colour > Green > Hue': 'Green › Hue', 'Light': 'Light'}
    """
    split = {p: p.split(BETWEEN) for p in dict.fromkeys(paths)}
    shared = Counter(tuple(parts[-n:]) for parts in split.values() for n in range(1, len(parts) + 1))
    return {
        p: " › ".join(next((parts[-n:] for n in range(1, len(parts)) if shared[tuple(parts[-n:])] == 1), parts))
        for p, parts in split.items()
    }
