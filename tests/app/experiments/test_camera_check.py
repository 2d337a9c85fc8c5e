"""The camera check: photos that tell something, and those that are none, huge, rotated or say where they were taken."""

import io
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.experiments import camera_check as camera
from lumenar.app.experiments.camera_check import Photo
from lumenar.app.setups import new_reviews
from lumenar.core.colour import transfer
from lumenar.store import observations

from ...conftest import setup_of

LAPTOP = "wickham-slate-14.json"
ORIENTATION, GPS, MODEL = 0x0112, 0x8825, 0x0110


@pytest.fixture
def laptop(app, units):
    return new_reviews.add_review(app, units[LAPTOP], LAPTOP)


def picture(left=(14.0, 0.3), right=(7.0, 0.5), height=600, seed=1):
    """A photo of two screens: bands over the height and their depth at the left and the right."""
    light = np.full((height, 900), 0.003)
    y = np.linspace(0, 1, height - 80)[:, None]
    for at, (cycles, depth) in ((60, left), (510, right)):
        light[40:-40, at : at + 330] = 0.5 * (1 + depth * np.sin(2 * np.pi * cycles * y))
    light = light + 0.01 * np.sqrt(light) * np.random.default_rng(seed).standard_normal(light.shape)
    return Image.fromarray(np.uint8(np.round(255 * transfer.srgb_inverse(np.clip(light, 0, 1)))), "L").convert("RGB")


def as_file(image, form="JPEG", **more):
    out = io.BytesIO()
    image.save(out, form, **({"quality": 92} if form == "JPEG" else {}), **more)
    return out.getvalue()


def seen(app, review, photo):
    made = camera.check(app, review, None, photo)
    view = camera.views(app, review)[0]
    assert view.id == made
    return view


def test_bands_are_told_with_their_pace_by_the_light_beside(app, laptop):
    view = seen(app, laptop, Photo(as_file(picture()), "left", 120.0, "1/1000 s", " beside a lamp "))
    assert (view.verdict, view.shutter, view.note) == ("bands", "1/1000 s", "beside a lamp")
    assert view.parts[0].hz == pytest.approx(240, abs=4) and view.parts[1].hz == 120.0
    assert view.parts[0].depth_percent == pytest.approx(30, abs=4) and "at about 24" in view.sentence
    assert [c.key for c in view.charts] == ["camera_lines", "camera_spectrum"]
    x, y = view.charts[1].x, view.charts[1].y
    assert (x.low, x.decimals, y.low) == (0, 0, 0) and x.high > x.low and y.high >= 1
    # The display at the other side.
    other = seen(app, laptop, Photo(as_file(picture()), "right"))
    assert other.parts[0].depth_percent == pytest.approx(50, abs=6) and other.parts[0].hz is None


def test_none_is_only_said_where_the_light_beside_shows_some(app, laptop):
    steady = seen(app, laptop, Photo(as_file(picture(left=(0, 0))), "left", None, "1/500 s"))
    assert steady.verdict == "none seen" and "None seen at 1/500 s that are deeper than" in steady.sentence
    blind = seen(app, laptop, Photo(as_file(picture((0, 0), (0, 0)))))
    assert blind.verdict == "nothing told" and "shorter shutter" in blind.sentence
    alone = seen(app, laptop, Photo(as_file(picture((0, 0), (0, 0)).crop((40, 0, 420, 600))), "whole"))
    assert alone.verdict == "none seen" and "says little" in alone.sentence and len(alone.parts) == 1


@pytest.mark.parametrize("turned", [1, 3, 6, 8])
def test_a_rotated_photo_is_turned_and_loses_where_it_was_taken(app, laptop, turned):
    image = picture(left=(14, 0.3), right=(0, 0))
    back = {1: None, 3: Image.Transpose.ROTATE_180, 6: Image.Transpose.ROTATE_90, 8: Image.Transpose.ROTATE_270}[turned]
    exif = Image.Exif()
    exif[ORIENTATION], exif[MODEL] = turned, "Pocket camera 3"
    exif.get_ifd(GPS)[1], exif.get_ifd(GPS)[2] = "N", (51.0, 30.0, 0.0)
    data = as_file(image.transpose(back) if back is not None else image, exif=exif, comment=b"at home")
    assert b"Pocket camera" in data and b"at home" in data
    view = seen(app, laptop, Photo(data, "left"))
    assert view.verdict == "bands" and view.parts[1].cycles is None
    stored = camera.picture(app, view.id)
    shown = Image.open(io.BytesIO(stored))
    assert (
        not dict(shown.getexif())
        and b"Pocket camera" not in stored
        and b"at home" not in stored
        and shown.width > shown.height
    )


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no photo that can be read"),
        (b"MZ this is a program", "no photo that can be read"),
        (as_file(picture())[:3000], "no photo that can be read"),
        (as_file(Image.new("RGB", (300, 300))), "there is no bright screen"),
        (as_file(Image.new("L", (60, 60), 255)), "too small"),
        (b"x" * (camera.MOST_BYTES + 1), "more than 40 MB"),
    ],
)
def test_what_is_no_photo_is_said_and_nothing_is_stored(app, laptop, data, words):
    with pytest.raises(BadInputError, match=words) as e:
        camera.check(app, laptop, None, Photo(data))
    assert e.value.place == "photo" and observations.of_review(app.db.connection(), laptop) == []


def test_a_huge_photo_is_refused_before_it_is_read(app, laptop, monkeypatch):
    monkeypatch.setattr(camera, "MOST_PIXELS", 10_000)
    with pytest.raises(BadInputError, match="900 × 600 pixels"):
        camera.check(app, laptop, None, Photo(as_file(picture())))
    # A small file that unpacks to very much.
    bomb = as_file(Image.new("1", (40_000, 40_000)), "PNG")
    monkeypatch.setattr(camera, "MOST_PIXELS", 80_000_000)
    with pytest.raises(BadInputError):
        camera.check(app, laptop, None, Photo(bomb))


def test_what_did_not_arrive_whole_and_what_is_not_there(app, laptop):
    with pytest.raises(BadInputError, match="did not arrive whole"):
        camera.decoded("not base64!")
    with pytest.raises(NotFoundError):
        camera.check(app, laptop + 9, None, Photo(as_file(picture())))
    with pytest.raises(NotFoundError):
        camera.picture(app, 77)
    with pytest.raises(NotFoundError):
        camera.forget(app, 77)
    made = camera.check(app, laptop, None, Photo(as_file(picture())))
    camera.forget(app, made)
    assert camera.views(app, laptop) == []


def test_the_stand_ins_camera_sees_what_the_photodiode_knows(app, laptop):
    """The laptop pulses at 220 Hz at low keys; the shutter decides whether a camera sees it."""
    setup = setup_of(app, laptop, "Plain").id
    camera.photograph(app, laptop, setup, 1 / 1000)
    view = camera.views(app, laptop)[0]
    assert view.verdict == "bands" and view.parts[0].hz == pytest.approx(220, rel=0.03)
    assert view.setup_name == "Plain" and view.shutter == "1/1000 s"
    camera.photograph(app, laptop, setup, 1 / 10)
    assert camera.views(app, laptop)[0].parts[0].depth_percent < view.parts[0].depth_percent / 5
    for shutter_s in (1 / 10_000, 1.0):
        camera.photograph(app, laptop, setup, shutter_s)
    taken = len(camera.views(app, laptop))
    for shutter_s in (1 / 10_001, 1.001):
        with pytest.raises(BadInputError, match="1/10,000 s to 1 s"):
            camera.photograph(app, laptop, setup, shutter_s)
    assert len(camera.views(app, laptop)) == taken


@pytest.mark.parametrize("size", [(1, 4000), (4000, 1), (63, 63), (1, 1)])
def test_a_picture_of_hardly_any_width_is_no_screen(app, laptop, size):
    out = io.BytesIO()
    Image.new("RGB", size, "white").save(out, "PNG")
    with pytest.raises(BadInputError, match=r"too small|no bright screen"):
        camera.check(app, laptop, None, Photo(out.getvalue(), "left"))


def test_a_large_photo_is_looked_at_within_bounded_memory():
    """Of 80 million pixels: in a process of its own, since what was used before counts too."""
    code = (
        "import io, resource, sys\n"
        "from PIL import Image\n"
        "from lumenar.app.experiments import camera_check as c\n"
        "data = sys.stdin.buffer.read()\n"
        "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "image = c.opened(data)\n"
        "c._parts(image, 'left'); c.kept(image)\n"
        "print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)\n"
    )
    for format, most in (("JPEG", 700), ("PNG", 900)):
        out = io.BytesIO()
        Image.new("RGB", (10_000, 8_000), "white").save(out, format)
        run = subprocess.run([sys.executable, "-c", code], input=out.getvalue(), capture_output=True, check=True)
        assert int(run.stdout) < most, (format, run.stdout)
