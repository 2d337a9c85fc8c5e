"""Columns of a table that hold a spectrum, one for each wavelength."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

from lumenar.app.errors import BadInputError
from lumenar.core.colour.spectra import XYZ_of_spectrum
from lumenar.core.measurements import blue_light
from lumenar.core.menu.text_reading import number

_NANOMETRES = re.compile(r"^(?:spectral_|spec_)?(?:nm)?_?(\d{3,4}(?:[.,]\d+)?)(?: ?nm)?$", re.IGNORECASE)
"""Heads of the columns of a spectrum: 380, 380 nm, nm380, SPECTRAL_NM380."""
LEAST_SAMPLES = 20


def wavelengths_of(heads: Sequence[str], name: str) -> dict[float, int]:
    """By wavelength in nm the places of a spectrum's columns, in their order; empty where there is none."""
    found = {number(m[1]): i for i, h in enumerate(heads) if (m := _NANOMETRES.match(h.strip()))}
    if len(found) < LEAST_SAMPLES:
        return {}
    at = sorted(found)
    step = at[1] - at[0]
    if any(abs(b - a - step) > 1e-6 for a, b in pairwise(at)):
        raise BadInputError(
            "columns", f"{name}: the spectrum's columns, {at[0]:g} to {at[-1]:g} nm, are not evenly spaced"
        )
    return {w: found[w] for w in at}


def _samples(line: int, row: Sequence[str], spectrum: Mapping[float, int], name: str) -> list[float]:
    values = []
    for wavelength, i in spectrum.items():
        try:
            values.append(number(row[i].strip()))
        except (ValueError, IndexError):
            said = f"{row[i]!r} is no number" if i < len(row) else "the line ends before"
            raise BadInputError(
                "readings-file", f"{name}: line {line}, {wavelength:g} nm: {said}", f"line {line}"
            ) from None
    return values


def with_XYZ(
    heads: Sequence[str],
    table: Sequence[tuple[int, Sequence[str]]],
    places: dict[str, int],
    spectrum: Mapping[float, int],
    name: str,
) -> tuple[list[str], list[tuple[int, list[str]]], dict[str, int]]:
    """A table with columns for X, Y and Z that its spectra give."""
    longer = []
    for line, row in table:
        XYZ = XYZ_of_spectrum(list(spectrum), _samples(line, row, spectrum, name))
        longer.append((line, [*row, *[""] * (len(heads) - len(row)), *(repr(float(v)) for v in XYZ)]))
    more = {c: len(heads) + i for i, c in enumerate("XYZ")}
    return [*heads, "X", "Y", "Z"], longer, {**places, **more}


def spectrum_reading(row: Sequence[str], spectrum: Mapping[float, int]) -> dict[str, Any]:
    """The spectrum of white, which measurements of spectra ask for."""
    at = list(spectrum)
    samples = [number(row[i].strip()) for i in spectrum.values()]
    return {
        "rgb": [1.0, 1.0, 1.0],
        "measurement": blue_light.MEASUREMENT.key,
        "XYZ": XYZ_of_spectrum(at, samples).tolist(),
        "spectrum": {"start_nm": at[0], "step_nm": at[1] - at[0], "radiance": samples},
    }
