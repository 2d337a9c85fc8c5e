"""Checksums of what is stored, so that a damaged file is noticed rather than read as other numbers."""

from __future__ import annotations

import sqlite3
import struct
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

_PRIME, _MASK = 0x9E3779B97F4A7C15, (1 << 64) - 1
_NOTHING = struct.unpack("<Q", struct.pack("<d", float("nan")))[0]


def reading_sum(patch_id: int, X: float | None, Y: float | None, Z: float | None, at_s: float) -> int:
    """The checksum of a reading: whose it is, its XYZ (None where there is no number) and its bench time."""
    h = patch_id & _MASK
    for value in (X, Y, Z, at_s):
        word = _NOTHING if value is None else struct.unpack("<Q", struct.pack("<d", value))[0]
        h = ((h ^ word) * _PRIME) & _MASK
        h ^= h >> 29
    return h >> 1


def reading_sums(table: NDArray[np.float64]) -> NDArray[np.int64]:
    """`reading_sum` of rows (n, 5): patch, X, Y, Z and bench time, NaN where there is no number."""
    words = np.ascontiguousarray(table[:, 1:5]).view(np.uint64)
    words = np.where(np.isnan(table[:, 1:5]), np.uint64(_NOTHING), words)
    h = table[:, 0].astype(np.uint64)
    for k in range(4):
        h = (h ^ words[:, k]) * np.uint64(_PRIME)
        h ^= h >> np.uint64(29)
    return (h >> np.uint64(1)).astype(np.int64)


def bytes_sum(data: bytes) -> int:
    """The checksum of a trace's samples or of a kept analysis."""
    return crc32(data)


def install(connection: sqlite3.Connection) -> None:
    """Make the checksums known to SQL; migrations need them."""
    connection.create_function("reading_sum", 5, reading_sum, deterministic=True)
    connection.create_function("bytes_sum", 1, bytes_sum, deterministic=True)
