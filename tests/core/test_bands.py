"""Bands in photos: found where light pulses, not made up of noise, shading, edges or pixels."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenar.core.bands import NoScreenError, bands, screen

H, W = 700, 500


def photo(cycles=0.0, depth=0.0, noise=0.01, seed=1, phase=0.4, shading=0.15):
    y, x = np.mgrid[0 : 1 : H * 1j, 0 : 1 : W * 1j]
    light = (
        0.5
        * (1 + depth * np.sin(2 * np.pi * cycles * y + phase))
        * (1 - shading * ((2 * y - 1) ** 2 + (2 * x - 1) ** 2))
    )
    picture = np.full((H + 100, W + 100), 0.003)
    picture[50:-50, 50:-50] = light
    rng = np.random.default_rng(seed)
    return picture + noise * np.sqrt(picture) * rng.standard_normal(picture.shape)


@given(st.floats(4.0, 60.0), st.floats(0.005, 0.8), st.floats(0, 6.2), st.integers(0, 1000))
@settings(max_examples=40, deadline=None)
def test_bands_are_counted_and_their_depth_is_told(cycles, depth, phase, seed):
    found = bands(photo(cycles, depth, phase=phase, seed=seed))
    # The rim that is cut off takes its share of them.
    share = found.height / H
    assert found.lines == 0 and found.cycles == pytest.approx(cycles * share, abs=0.12)
    assert found.depth == pytest.approx(depth, rel=0.2)


@given(st.integers(0, 10_000), st.floats(0.002, 0.03), st.floats(0, 0.3))
@settings(max_examples=60, deadline=None)
def test_a_steady_light_has_none(seed, noise, shading):
    found = bands(photo(noise=noise, shading=shading, seed=seed))
    assert found.cycles is None and found.least >= 0.001


def test_what_would_have_been_seen_is_seen():
    steady = bands(photo(noise=0.02))
    assert steady.least < 0.02
    for seed in range(10):
        assert bands(photo(17, 1.5 * steady.least, noise=0.02, seed=seed)).cycles is not None


def test_a_photo_taken_upright_has_its_bands_along_its_columns():
    found = bands(photo(12, 0.2).T)
    assert found.lines == 1 and found.cycles == pytest.approx(12 * found.height / H, abs=0.1)


def test_dirt_an_edge_and_fine_pixels_are_no_bands():
    picture = photo()
    picture[300:306, 50:-50] *= 0.9
    picture[50:-50, 200:210] *= 0.7
    picture[50:-50:2] *= 0.95
    assert bands(picture).cycles is None


@pytest.mark.parametrize("picture", [np.zeros((400, 400)), np.full((400, 400), 0.001), np.eye(300)])
def test_where_there_is_no_screen(picture):
    with pytest.raises(NoScreenError):
        bands(picture)


def test_the_screen_is_what_is_bright():
    rows, columns = screen(photo(noise=0.0))
    assert 50 < rows.start < rows.stop < H + 50 and 50 < columns.start < columns.stop < W + 50
