"""What SDR measures and HDR too: colour volume, sums and parts, near black and uniformity, in light that is absolute."""

import numpy as np
import pytest

from lumenar.core.analysis import analyse
from lumenar.core.colour import spaces, transfer
from lumenar.core.colour import volume as solids
from lumenar.core.measurements import MEASUREMENTS, Context, MissingPatchError
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.targets import TARGETS

WIDE, P3 = TARGETS["bt2020_pq"], TARGETS["p3_d65_pq"]
QUIET = MeterLimits(0.0, 0.0)
USUAL = MeterLimits(0.001, 0.003, 0.0003)


def code_of(peak, bits=10):
    """The code that asks for a peak."""
    return round(float(transfer.pq_inverse(peak)) * (2**bits - 1)) / (2**bits - 1)


def read(key, display, target=WIDE, limits=QUIET, noise=None, **context):
    """The readings of what a measurement asks for on `display`, XYZ (3,) of a patch."""
    patches = MEASUREMENTS[key].patches(Context(target=target, **context))
    XYZ = np.array([display(p) for p in patches])
    if noise is not None:
        XYZ = XYZ * (
            1 + limits.repeatability * np.sqrt(0.5) * (noise.normal(size=(len(XYZ), 1)) + noise.normal(size=XYZ.shape))
        )
    below = XYZ[:, 1] < limits.floor
    return collect(patches, np.where(below[:, None], np.nan, XYZ), below, limits)


def follows(peak, space=WIDE.space, black=0.0, boost=0.0):
    """A display with some primaries that follows PQ up to its peak; boost: what white gets beyond the sum of its parts."""

    def display(patch):
        wanted = np.minimum(transfer.pq(np.array(patch.rgb)), peak)
        linear = np.clip(wanted @ WIDE.space.matrix.T @ space.inverse.T, 0, peak)
        return (linear + boost * linear.min()) @ space.matrix.T + black * WIDE.space.white_XYZ

    return display


def fine_volume(space, peak, steps=60):
    """Volume in CIELAB of a space up to a peak, by its mesh on a fine cube."""
    cube = solids.cube(steps)
    light = transfer.pq(cube.rgb * float(transfer.pq_inverse(peak))) / peak
    return float(solids.mesh_volume(spaces.XYZ_to_Lab(light @ space.matrix.T, WIDE.white_XYZ()), cube))


@pytest.mark.parametrize("peak", [300.0, 1000.0, 4000.0])
def test_a_display_that_can_do_all_of_bt2020_fills_it_at_its_own_peak(peak):
    f = analyse("volume", read("volume", follows(peak), top=code_of(peak)), WIDE).figures
    assert f["volume_percent_of_target"] == pytest.approx(100, abs=0.5)
    assert f["volume_target_cubic_lab"] == pytest.approx(fine_volume(WIDE.space, peak), rel=0.004)
    assert f["peak_cd_m2"] == pytest.approx(peak)


def test_a_p3_display_fills_p3_and_a_part_of_bt2020_that_a_fine_mesh_confirms():
    readings = read("volume", follows(1000.0, P3.space), top=code_of(1000.0))
    f = analyse("volume", readings, WIDE).figures
    share = 100 * fine_volume(P3.space, 1000.0) / fine_volume(WIDE.space, 1000.0)
    assert f["volume_percent_of_target"] == pytest.approx(share, abs=1.0)
    assert analyse("volume", readings, P3).figures["volume_percent_of_target"] == pytest.approx(100, abs=1.0)


def test_tenths_of_any_code_above_the_peak_give_the_same_volume_and_lower_ones_say_so():
    by_top = {}
    for top in (code_of(1000.0), 0.85, 1.0):
        a = analyse("volume", read("volume", follows(1000.0, P3.space), top=top), WIDE)
        by_top[top] = a.figures["volume_percent_of_target"]
        assert "missing" not in MEASUREMENTS["volume"].words({k: v for k, v in a.figures.items() if v.ndim == 0})
    assert np.ptp(list(by_top.values())) < 1.5
    low = analyse("volume", read("volume", follows(1000.0, P3.space), top=code_of(500.0)), WIDE).figures
    assert low["volume_percent_of_target"] < min(by_top.values()) - 20
    near = analyse("volume", read("volume", follows(1000.0, P3.space), top=code_of(900.0)), WIDE).figures
    assert "what is brighter is missing" in MEASUREMENTS["volume"].words({k: v for k, v in near.items() if v.ndim == 0})
    words = MEASUREMENTS["volume"].words({k: v for k, v in low.items() if v.ndim == 0})
    assert "Colours were read up to 499 cd/m² only, of 1000" in words


def test_the_volume_of_pq_is_picked_out_of_everything_that_was_read():
    rng = np.random.default_rng(4)
    top = code_of(800.0)
    context = Context(target=WIDE, top=top)
    patches = list(
        dict.fromkeys(
            p
            for k in ("pq_tracking", "volume", "gamut", "additivity", "near_black")
            for p in MEASUREMENTS[k].patches(context)
        )
    )
    patches = [patches[i] for i in rng.permutation(len(patches))]
    display = follows(800.0, P3.space)
    XYZ = np.array([display(p) for p in patches])
    whole = collect(patches, XYZ, np.zeros(len(XYZ), bool), QUIET)
    alone = analyse("volume", read("volume", display, top=top), WIDE).figures
    assert analyse("volume", whole, WIDE).figures["volume_percent_of_target"] == pytest.approx(
        alone["volume_percent_of_target"], rel=5e-4
    )
    with pytest.raises(MissingPatchError, match="602 points of the colour cube's surface, 1 are missing"):
        lost = next(i for i, p in enumerate(patches) if p.rgb[0] == top and 0 < p.rgb[1] < top and 0 < p.rgb[2] < top)
        analyse("volume", whole.take(np.delete(np.arange(len(patches)), lost)), WIDE)


def test_the_interval_of_a_volume_in_pq_holds_it():
    display, top = follows(700.0, P3.space), code_of(700.0)
    true = float(analyse("volume", read("volume", display, top=top), WIDE).figures["volume_percent_of_target"])
    held = 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        a = analyse("volume", read("volume", display, top=top, limits=USUAL, noise=rng), WIDE)
        u = a.uncertainty["volume_percent_of_target"]
        held += u.low <= true <= u.high
    assert held >= 17


@pytest.mark.parametrize("levels", [1, 4, 8])
def test_sums_in_pq_at_a_chosen_number_of_levels(levels):
    top = code_of(900.0)
    plain = analyse("additivity", read("additivity", follows(900.0), top=top, sum_levels=levels), WIDE)
    assert plain.figures["additive"] == 1
    assert plain.figures["levels_percent"] == pytest.approx(100 * top * np.arange(1, levels + 1) / levels, abs=0.06)
    boosted = analyse("additivity", read("additivity", follows(900.0, boost=0.4), top=top, sum_levels=levels), WIDE)
    assert boosted.figures["additive"] == 0
    assert boosted.figures["white_boost_percent"] == pytest.approx(40, abs=0.1)
    assert boosted.figures["sum_de_itp"][:, 0].min() > 5 > 1e-6 > boosted.figures["sum_de_itp"][:, 1:].max()
    assert "dE ITP" in MEASUREMENTS["additivity"].words({k: v for k, v in boosted.figures.items() if v.ndim == 0})


def test_sums_in_pq_are_of_the_space_that_is_compared_with():
    """A display of P3 cuts BT.2020's primaries off, which says nothing of whether its colours add up."""
    top, display = code_of(900.0), follows(900.0, P3.space)
    own = analyse("additivity", read("additivity", display, P3, top=top), P3).figures
    assert own["additive"] == 1 and own["sum_error_max_percent"] < 1
    assert analyse("additivity", read("additivity", display, WIDE, top=top), WIDE).figures["additive"] == 0
    # The same readings say the same of any target.
    again = analyse("additivity", read("additivity", display, P3, top=top), WIDE).figures
    assert again["additive"] == 1 and len(again["levels_percent"]) == 4
    for levels in range(1, 11):
        f = analyse("additivity", read("additivity", display, P3, top=top, sum_levels=levels), P3).figures
        assert len(f["levels_percent"]) == levels


def test_sums_of_both_spaces_are_judged_by_the_one_that_is_compared_with():
    top, display = code_of(900.0), follows(900.0, P3.space)
    patches = {p: None for t in (WIDE, P3) for p in MEASUREMENTS["additivity"].patches(Context(target=t, top=top))}
    XYZ = np.array([display(p) for p in patches])
    both = collect(list(patches), XYZ, XYZ[:, 1] < 0, QUIET)
    assert analyse("additivity", both, P3).figures["additive"] == 1
    assert analyse("additivity", both, WIDE).figures["additive"] == 0


def test_sums_that_the_panel_cuts_off_are_not_held_against_it():
    def limited(patch):
        XYZ = follows(5000.0)(patch)
        return XYZ * min(1.0, 600.0 / max(XYZ[1], 1e-9))

    f = analyse("additivity", read("additivity", limited, top=1.0), WIDE).figures
    assert f["levels_percent"] == pytest.approx([25.0, 50.0], abs=0.1)
    assert f["additive"] == 1


def test_near_black_in_pq_is_told_in_codes_and_by_the_steps_that_black_hides():
    lifted = analyse("near_black", read("near_black", lambda p: follows(800.0)(p) * 1.2), WIDE).figures
    codes = (
        transfer.pq_inverse(1.2 * transfer.pq(lifted["levels_percent"][1:] / 100)) * 100 - lifted["levels_percent"][1:]
    )
    assert lifted["error_code_percent"][1:] == pytest.approx(codes)
    assert lifted["shadow_lift_code_percent"] == pytest.approx(codes.mean())
    assert "error_rms_lstar" not in lifted

    def lcd(patch):
        return np.maximum(follows(800.0)(patch), 0.06 * WIDE.space.white_XYZ)

    a = analyse("near_black", read("near_black", lcd, limits=USUAL), WIDE)
    hidden = (transfer.pq(a.figures["levels_percent"] / 100) < 0.06)[1:].sum()
    assert a.figures["under_black_steps"] == hidden > 3
    assert a.figures["crushed_steps"] == 0
    words = MEASUREMENTS["near_black"].words({k: v for k, v in a.figures.items() if v.ndim == 0})
    assert f"{hidden} are darker than its black" in words and "% of code" in words


@pytest.mark.parametrize("key", ["bt2020_pq", "bt2020_hlg"])
def test_uniformity_in_hdr_is_read_at_reference_white_and_below(key):
    target = TARGETS[key]

    def display(patch):
        return (0.8 if patch.zone[:2] == (0, 0) else 1.0) * np.full(3, 200.0) * patch.rgb[1] ** 2

    readings = read("uniformity", display, target, grid=(3, 3))
    a = analyse("uniformity", readings, target)
    assert readings.rgb.max() < 0.8
    assert a.figures["uniformity_falloff_percent"] == pytest.approx(20)
    assert {f"uniformity{k}_falloff_percent" for k in ("_grey", "_dark", "_near_black")} <= set(a.figures)
    assert a.figures["uniformity_worst_zone"] == pytest.approx([0, 0])
