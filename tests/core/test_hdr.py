"""Targets and tracking of PQ and HLG: vectorised, held to standards, and true about displays whose ends are known."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumenar.app.rubric_files import load_rubric
from lumenar.core.analysis import analyse
from lumenar.core.colour import transfer
from lumenar.core.measurements import MEASUREMENTS, Context, MissingPatchError
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.scoring.rubric import RubricError, check_purpose, purpose_from
from lumenar.core.scoring.score import score
from lumenar.core.signals import Metadata, MetadataError, SignalFormat, words_of
from lumenar.core.targets import TARGETS, Anchor

PQ, HLG = TARGETS["bt2020_pq"], TARGETS["bt2020_hlg"]
QUIET, USUAL = MeterLimits(0.0, 0.0), MeterLimits(0.001, 0.003, 0.0003)
REACHED = 0.99
GREY = np.repeat(np.linspace(0, 1, 21)[:, None], 3, axis=1)


def shown(light, target=PQ, limits=QUIET, key="pq_tracking", noise=None):
    """The readings of a display that makes `light` of code values, white as the target's."""
    patches = MEASUREMENTS[key].patches(Context(target=target))
    Y = np.array([light(p.rgb[1]) for p in patches])
    XYZ = Y[:, None] * target.space.white_XYZ
    if noise is not None:
        XYZ = XYZ * (
            1 + limits.repeatability * np.sqrt(0.5) * (noise.normal(size=(len(Y), 1)) + noise.normal(size=(len(Y), 3)))
        )
    below = XYZ[:, 1] < limits.floor
    return collect(patches, np.where(below[:, None], np.nan, XYZ), below, limits)


# -- targets --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("target", [PQ, HLG, TARGETS["p3_d65_pq"]], ids=lambda t: t.key)
def test_a_target_of_many_draws_is_that_of_each(target):
    white, black = np.array([300.0, 820.0, 1500.0]), np.array([0.0, 0.02, 0.3])
    together = target.XYZ(GREY, Anchor(white, black))
    for i in range(3):
        assert together[i] == pytest.approx(target.XYZ(GREY, Anchor(white[i], black[i])))


@given(st.floats(200, 3000), st.floats(0, 0.05), st.floats(400, 4000))
def test_a_roll_off_never_exceeds_the_display_nor_turns_back(white, black, mastered):
    L = np.geomspace(0.001, mastered, 60)
    rolled = transfer.bt2390_rolloff(L, white, black, mastered)
    assert (np.diff(rolled) >= -1e-6).all()
    if white < mastered:
        assert rolled.max() <= white * 1.01


def test_a_roll_off_of_many_displays_is_that_of_each():
    L = np.geomspace(0.01, 4000, 30)
    white, black = np.array([[500.0], [1000.0], [5000.0]]), np.array([[0.0], [0.05], [0.0]])
    many = transfer.bt2390_rolloff(L, white, black, 4000.0)
    for i in range(3):
        assert many[i] == pytest.approx(transfer.bt2390_rolloff(L, white[i, 0], black[i, 0], 4000.0))
    assert many[2] == pytest.approx(L, rel=1e-9), "who reaches the mastering's peak rolls nothing off"


@given(st.floats(150, 4000), st.lists(st.floats(0, 1), min_size=3, max_size=3))
def test_hlg_goes_there_and_back(white, rgb):
    light = transfer.hlg(np.array(rgb), white)
    assert transfer.hlg_inverse(light, white) == pytest.approx(rgb, abs=2e-3)


# -- tracking -------------------------------------------------------------------------------------------------------


def test_a_display_that_follows_pq_has_no_error_and_clips_where_it_does():
    peak = 850.0
    f = analyse("pq_tracking", shown(lambda V: min(transfer.pq(V), peak)), PQ).figures
    assert float(f["code_rms_percent"]) < 1e-9 and float(f["de_itp_mean"]) < 1e-6
    assert float(f["clip_cd_m2"]) == pytest.approx(REACHED * peak, rel=0.003)
    assert float(f["knee_cd_m2"]) == pytest.approx(peak * 1.05, rel=0.05)
    # What lies beyond the peak is clipping, no error.
    counted, asked = f["counted"] > 0, f["asked_cd_m2"]
    assert (asked[counted] <= peak).all() and not counted[asked > peak].any() and not counted[0]


def test_one_that_never_clips_has_neither_end():
    f = analyse("pq_tracking", shown(transfer.pq), PQ).figures
    assert np.isnan(f["knee_cd_m2"]) and float(f["clip_percent"]) > 99 and float(f["code_rms_percent"]) < 1e-9


def test_a_lift_is_told_in_code_values_with_its_sign():
    def lifted(V):
        return min(transfer.pq(min(V + (0.02 if 0.16 < V < 0.6 else -0.01), 1.0)), 900.0)

    f = analyse("pq_tracking", shown(lifted), PQ).figures
    middle = (f["levels_percent"] > 17) & (f["levels_percent"] < 59)
    assert f["error_code_percent"][middle] == pytest.approx(2.0)
    assert float(f["shadow_code_percent"]) == pytest.approx(-1.0) == -float(f["shadow_rms_percent"])
    assert "shadows −1.0 %" in MEASUREMENTS["pq_tracking"].words({k: v for k, v in f.items() if v.ndim == 0})


@pytest.mark.parametrize("kind", ["clip", "rolloff"])
def test_knee_and_clip_lie_in_their_intervals(kind):
    """The truth lies in the interval 95 times of 100, with a display and a meter of its own each time."""
    held = {"knee": 0, "clip": 0}
    fine = np.linspace(0, 1, 20001)
    for seed in range(40):
        rng = np.random.default_rng([seed, 2084])
        peak, mastered = float(np.exp(rng.uniform(np.log(300), np.log(2500)))), float(rng.choice([1000, 4000, 10000]))

        def light(V, peak=peak, mastered=mastered):
            asked = transfer.pq(V)
            if kind == "rolloff" and mastered > peak:
                asked = transfer.bt2390_rolloff(np.minimum(asked, mastered), peak, 0.0, mastered)
            return np.minimum(asked, peak)

        true = light(fine)
        off = np.abs(true / np.maximum(transfer.pq(fine), 1e-9) - 1) > 0.05
        knee = fine[len(fine) - np.argmin(off[::-1])] if not off[1:].all() else fine[1]
        clip = fine[np.argmax(true >= 0.99 * true[-1])]
        a = analyse("pq_tracking", shown(lambda V, f=light: float(f(V)), limits=USUAL, noise=rng), PQ)
        for key, truth in (("knee", knee), ("clip", clip)):
            value, u = float(a.figures[f"{key}_percent"]), a.uncertainty[f"{key}_percent"]
            held[key] += bool(u.low <= 100 * truth <= u.high)
            assert abs(value - 100 * truth) < (1.1 if truth < 0.9 else 5.1), (key, seed)
    assert min(held.values()) >= 36, held


def test_an_error_within_what_the_meter_may_be_off_is_no_knee():
    """A meter that repeats to 5 % says nothing of 8 %; a good one does."""

    def light(V):
        return min(transfer.pq(V) * (0.92 if V > 0.5 else 1.0), 3000.0)

    poor, good = (analyse("pq_tracking", shown(light, limits=MeterLimits(r, 0.0)), PQ).figures for r in (0.05, 0.001))
    assert float(poor["knee_percent"]) > 85 and float(good["knee_percent"]) == pytest.approx(50, abs=5)


def test_hlg_is_judged_by_the_white_that_was_read():
    for white in (250.0, 350.0, 1000.0):
        read = shown(lambda V, w=white: transfer.hlg(np.full(3, V), w)[1], HLG, key="hlg_tracking")
        f = analyse("hlg_tracking", read, HLG).figures
        assert float(f["code_rms_percent"]) < 1e-6 and not f["counted"][-1] and f["counted"][1:-1].all()
        assert float(f["system_gamma"]) == pytest.approx(float(transfer.hlg_gamma(white)))
    # One that takes the gamma of 1000 cd/m2 for a white of 350 is too dark in the middle.
    wrong = analyse(
        "hlg_tracking", shown(lambda V: 0.35 * transfer.hlg(np.full(3, V), 1000.0)[1], HLG, key="hlg_tracking"), HLG
    ).figures
    assert float(wrong["middle_code_percent"]) < -0.5


def test_a_ramp_needs_its_top_and_five_levels():
    whole = shown(transfer.pq)
    with pytest.raises(MissingPatchError, match="100 % of code"):
        analyse("pq_tracking", whole.take(np.arange(len(whole) - 1)), PQ)
    with pytest.raises(MissingPatchError, match="at least 5"):
        analyse("pq_tracking", whole.take(np.arange(len(whole) - 3, len(whole))), PQ)


def test_noise_alone_gives_an_error_under_its_floor():
    rng = np.random.default_rng(7)
    a = analyse("pq_tracking", shown(lambda V: min(transfer.pq(V), 700.0), limits=USUAL, noise=rng), PQ)
    assert float(a.figures["code_rms_percent"]) <= a.noise_floor["code_rms_percent"]
    assert float(a.figures["de_itp_mean"]) <= a.noise_floor["de_itp_mean"] * 1.1


# -- colours --------------------------------------------------------------------------------------------------------


def colours_of(target, change=lambda XYZ: XYZ, peak=900.0, bits=10, keys=("gamut", "saturation", "swatches")):
    """The readings of a display that shows what a target for PQ asks for, but for `change`."""
    patches = list(dict.fromkeys(p for k in keys for p in MEASUREMENTS[k].patches(Context(target=target, bits=bits))))
    XYZ = change(target.XYZ(np.array([p.rgb for p in patches]), Anchor(np.array(peak), np.array(0.0))))
    return collect(patches, XYZ, np.zeros(len(patches), bool), USUAL)


@pytest.mark.parametrize("bits", [8, 10, 12])
@pytest.mark.parametrize("key", ["bt2020_pq", "p3_d65_pq"])
def test_a_display_that_is_its_target_has_no_colour_error(key, bits):
    target = TARGETS[key]
    read = colours_of(target, bits=bits)
    for m, count in (("gamut", 6), ("saturation", 30), ("swatches", 150)):
        f = analyse(m, read, target).figures
        assert len(f["de_itp"]) >= count and float(f["de_itp_max"]) < 1e-6 and float(f["de2000_max"]) < 1e-6, m
    assert float(analyse("gamut", read, target).figures["coverage_target_uv_percent"]) > 99.5


def test_corners_of_pq_are_those_of_the_space_that_is_compared_with():
    """P3 coded in BT.2020: its corners are P3's, at 92 cd/m2, whatever the readings are judged against."""
    narrow, wide = TARGETS["p3_d65_pq"], TARGETS["bt2020_pq"]
    read = colours_of(narrow, keys=("gamut",))
    own, other = (analyse("gamut", read, t).figures for t in (narrow, wide))
    assert own["primaries_xy"] == pytest.approx(np.array(narrow.space.primaries), abs=0.002)
    assert other["primaries_xy"] == pytest.approx(own["primaries_xy"])
    assert float(other["coverage_target_uv_percent"]) == pytest.approx(float(own["coverage_bt2020_uv_percent"]))
    assert own["luminance_cd_m2"].sum() / 2 == pytest.approx(1.5 * 92.2, rel=0.01)
    assert "white_boost_percent" not in own


def test_errors_in_pq_are_seen_against_reference_white_whatever_the_peak():
    target = TARGETS["p3_d65_pq"]

    def red(XYZ):
        return XYZ * [1.03, 1.0, 1.0]

    dim, bright = (analyse("swatches", colours_of(target, red, peak), target) for peak in (500.0, 3000.0))
    assert float(dim.figures["de2000_mean"]) == pytest.approx(float(bright.figures["de2000_mean"]), rel=0.01)
    assert float(dim.figures["de_itp_mean"]) == pytest.approx(float(bright.figures["de_itp_mean"]), rel=0.01)
    assert 0 < dim.noise_floor["de_itp_mean"] < float(dim.figures["de_itp_mean"])
    # Over 203 cd/m2 there is no dE2000.
    glare = analyse("swatches", colours_of(target, lambda XYZ: XYZ * 3), target).figures
    assert np.isnan(glare["de2000"]).any() and np.isfinite(glare["de_itp"]).all()


def test_saturation_steps_of_pq_are_even_and_as_light_as_their_hue():
    from lumenar.core.colour import spaces
    from lumenar.core.measurements.saturation import codes

    target = TARGETS["p3_d65_pq"]
    XYZ = target.XYZ(codes(target).reshape(-1, 3), Anchor(np.array(2000.0), np.array(0.0))).reshape(6, 5, 3)
    spread = XYZ[..., 1].max(axis=1) / XYZ[..., 1].min(axis=1)
    # Red leaves BT.2020 a little, and is cut off there.
    assert spread[1:] == pytest.approx(np.ones(5), abs=0.01) and spread[0] < 1.05
    uv = spaces.XYZ_to_uv(XYZ) - spaces.XYZ_to_uv(target.white_XYZ())
    length = np.linalg.norm(uv, axis=-1)
    assert (length / length[:, -1:])[1:] == pytest.approx(np.tile([0.2, 0.4, 0.6, 0.8, 1.0], (5, 1)), abs=0.01)


# -- signals and purposes -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"mastering_cd_m2": 0}, "mastering peak is above 0"),
        ({"max_cll": 20_000}, "up to 10,000"),
        ({"max_cll": 400, "max_fall": 500}, "MaxFALL 500 is above MaxCLL 400"),
        ({"mastering_cd_m2": 1000, "mastering_black_cd_m2": 2000}, "below the mastering peak"),
    ],
)
def test_metadata_that_contradict_themselves_are_refused(values, says):
    with pytest.raises(MetadataError, match=says):
        Metadata(**values)


def test_a_format_says_its_metadata():
    sent = Metadata(1000, 0.005, 800, 300)
    assert SignalFormat("pq", bits=10, metadata=sent).words.endswith(
        "peak 1,000, black 0.005, MaxCLL 800, MaxFALL 300 cd/m²"
    )


def test_a_content_flag_is_said_of_a_format_and_of_its_document():
    assert SignalFormat("pq", content="game").words.endswith("flagged as game")
    assert words_of({"transfer": "pq", "bits": 10, "content": "film"}) == "PQ, 10 bits, flagged as film"


def test_sdr_of_the_same_source_says_nothing_of_hdr():
    hdr = SignalFormat("pq", "limited", 10, "4:2:2", 60.0, Metadata(1000), flagged=False, content="film")
    assert hdr.as_sdr == SignalFormat("sdr", "limited", 10, "4:2:2", 60.0)


def test_a_purpose_scores_setups_of_its_signal_alone():
    rubric = load_rubric()
    quiet = analyse("pq_tracking", shown(lambda V: min(transfer.pq(V), 1000.0)), PQ)
    film = score(rubric, "hdr_film", {"pq_tracking": quiet})
    assert film.value is not None or "only" in film.reason
    assert score(rubric, "colour_work", {}, "pq").reason == "for SDR alone"
    assert score(rubric, "hdr_film", {"pq_tracking": quiet}, "sdr").reason == "for PQ alone"
    wrong = {"key": "x", "title": "X", "weights": {"modulation.svm": 1}, "core": [], "signal": "film"}
    with pytest.raises(RubricError, match="no signal film"):
        check_purpose(purpose_from(wrong), rubric.rules)


# -- by bisection -----------------------------------------------------------------------------------------------------


def bisected(light, limits=QUIET, noise=None, bits=10):
    """A ramp read of `light`, with all that is asked for besides; the readings and how many more there were."""
    patches = MEASUREMENTS["pq_tracking"].patches(Context(target=PQ, bits=bits))
    extra = 0
    while True:
        Y = np.array([light(p.rgb[1]) for p in patches])
        XYZ = Y[:, None] * PQ.space.white_XYZ
        if noise is not None:
            rng = np.random.default_rng(noise)
            scale = limits.repeatability * np.sqrt(0.5)
            XYZ = XYZ * (1 + scale * (rng.normal(size=(len(Y), 1)) + rng.normal(size=(len(Y), 3))))
        readings = collect(patches, XYZ, XYZ[:, 1] < limits.floor, limits)
        more = MEASUREMENTS["pq_tracking"].further(readings, PQ, bits)
        if not more:
            return readings, extra
        extra += len(more)
        assert extra < 25 and not {p.rgb for p in more} & {p.rgb for p in patches}
        patches = [*patches, *more]


@pytest.mark.parametrize("peak", [90.0, 240.0, 640.0, 1000.0, 3500.0])
@pytest.mark.parametrize("rolled", [False, True])
def test_knee_and_clip_are_bisected_to_half_a_per_cent_of_code(peak, rolled):
    def light(V):
        asked = transfer.pq(V)
        if rolled:
            asked = transfer.bt2390_rolloff(np.minimum(asked, 4000.0), peak, 0.0, 4000.0)
        return float(np.minimum(asked, peak))

    readings, extra = bisected(light)
    assert 1 <= extra <= 10
    fine = np.linspace(0.01, 1, 4001)
    true = np.array([light(v) for v in fine])
    ends = {"clip": fine[np.argmax(true >= REACHED * true[-1])]}
    off = np.abs(true / transfer.pq(fine) - 1) > 0.05
    ends["knee"] = fine[len(fine) - np.argmin(off[::-1])]
    f = analyse("pq_tracking", readings, PQ)
    for key, truth in ends.items():
        assert f.figures[f"{key}_percent"] == pytest.approx(100 * truth, abs=0.3), key
        u = f.uncertainty[f"{key}_percent"]
        assert u.low <= 100 * truth <= u.high and u.high - u.low < 1.0, key


def test_what_follows_to_the_end_asks_for_little_more():
    readings, extra = bisected(transfer.pq)
    assert extra <= 5 and readings.rgb.max() == 1


@pytest.mark.parametrize("bits", [8, 10, 12])
def test_bisection_ends_in_noise_and_with_codes_that_are_few(bits):
    for seed in range(12):
        _, extra = bisected(lambda V: float(min(transfer.pq(V), 700.0)), USUAL, seed, bits)
        assert extra <= 12
