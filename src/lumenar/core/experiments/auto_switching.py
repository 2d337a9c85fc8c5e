"""Does a display change its mode by itself? A mode is chosen, then a signal comes that says what its content is, or other
metadata; the menu is looked at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenar.core.experiments.base import Act, Conclusion, Stage, StageRead
from lumenar.core.experiments.metadata import SENT, words_of
from lumenar.core.menu.controls import Value
from lumenar.core.numbers import listed
from lumenar.core.signals import CONTENTS, Signal


@dataclass(frozen=True)
class ByItself:
    """A mode, chosen anew before each signal. mode_path: where the menu says which mode stands."""

    mode: str
    mode_path: str
    signal: Signal

    @property
    def signals(self) -> tuple[tuple[str, Act], ...]:
        """What is sent, in words."""
        contents = [(f"content flagged as {c}", Act("content", f"content flagged as {c}", c)) for c in CONTENTS]
        if self.signal != "pq":
            return tuple(contents)
        sets = [(words_of(n), Act("metadata", words_of(n), n)) for n, pair in SENT.items() if pair is not None]
        return (*contents, *sets)

    @property
    def plain(self) -> tuple[Act, ...]:
        """Nothing that is said of the content, and the mode."""
        said = (Act("metadata", words_of("nothing"), "nothing"),) if self.signal == "pq" else ()
        return (Act("content", "content without a flag", ""), *said, Act("mode", "", self.mode))

    @property
    def stages(self) -> tuple[Stage, ...]:
        """The mode chosen, then each signal, the mode being chosen again in between."""
        look = (self.mode_path,)
        first = Stage(f"{self.mode}, nothing flagged", self.plain, (), look)
        return (first, *(Stage(words.capitalize(), (*self.plain, act), (), look) for words, act in self.signals))

    @property
    def back(self) -> tuple[Act, ...]:
        """Nothing flagged, and the mode."""
        return self.plain

    def conclude(self, reads: Sequence[StageRead]) -> Conclusion:
        """Which signals made the display leave the mode, and for which."""
        seen: list[Value] = [r.stands.get(self.mode_path, self.mode) for r in reads]
        rows = tuple(
            (words, str(mode) if mode != self.mode else "it stays")
            for words, mode in zip(("nothing flagged", *(w for w, _ in self.signals)), seen, strict=True)
        )
        gone: dict[str, list[str]] = {}
        for (words, _), mode in zip(self.signals, seen[1:], strict=True):
            if mode != self.mode:
                gone.setdefault(str(mode), []).append(words)
        heads = ("Sent", "Mode that stands then")
        if seen[0] != self.mode:
            return Conclusion(f"{self.mode} does not stand even with nothing flagged: {seen[0]} does.", heads, rows)
        if not gone:
            return Conclusion(f"The display stays in {self.mode}, whatever is said of the content.", heads, rows)
        said = "; ".join(f"with {listed(words)} it goes to {mode}" for mode, words in gone.items())
        sentence = f"The display leaves {self.mode} by itself: {said}."
        doing = f"See that {self.mode} still stands once something plays: {said} by itself."
        return Conclusion(sentence, heads, rows, workaround=doing)
