"""A photo of the screen beside a light that is known to pulse: whether a camera sees bands on it."""

from __future__ import annotations

import base64
import binascii
import io
import math
import threading
import warnings
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.drivers.simulated import REFERENCE_HZ, simulated_of
from lumenar.app.errors import BadInputError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.runs.planning import settings_of
from lumenar.core import bands as core
from lumenar.core.bands import Bands, NoScreenError
from lumenar.core.colour import transfer
from lumenar.core.measurements.charts import Axis, Chart, Series, Table, around, joined
from lumenar.store import observations, reviews
from lumenar.store.observations import ObservationRow

Side = Literal["left", "right", "whole"]
MOST_BYTES, MOST_PIXELS = 40_000_000, 80_000_000
USED_PIXELS, STRIP = 20_000_000, 256
"""A photo with more pixels is made smaller before it is looked at, and its luminance is made so many rows at a time."""
ONE_AT_A_TIME = threading.Lock()
"""Held while a photo is looked at: several large ones at once would fill the memory."""
KEPT_PIXELS = 1400
"""The longer side of the picture that is kept."""
FORMATS = ("JPEG", "PNG", "WEBP", "TIFF")
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])


@dataclass(frozen=True)
class PartView:
    """The screen, or the light beside it: bands over the height, how deep in %,
    (bright - dark) / (bright + dark), what would have been seen, and at how many Hz they are where the other's are known."""

    what: str
    cycles: float | None
    depth_percent: float
    least_percent: float
    hz: float | None


@dataclass(frozen=True, kw_only=True)
class CameraView:
    """One camera check. verdict: bands, none or nothing told; sentence: what it means."""

    id: int
    setup: int | None
    setup_name: str
    shutter: str
    note: str
    verdict: str
    sentence: str
    parts: list[PartView]
    charts: list[Chart]
    made_at: str


@dataclass(frozen=True)
class Photo:
    """A photo as it came. side: where in it the display is, the light that is known to pulse being on the other; reference_hz: of
    that light; shutter: as the camera said it."""

    data: bytes
    side: Side = "left"
    reference_hz: float | None = None
    shutter: str = ""
    note: str = ""


def opened(data: bytes) -> Image.Image:
    """A picture the right way up. BadInputError where it is none, or too large."""
    if len(data) > MOST_BYTES:
        raise BadInputError("photo", f"The file has more than {MOST_BYTES // 1_000_000} MB.", "photo")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=FORMATS)
        if image.width * image.height > MOST_PIXELS:
            size = f"{image.width} × {image.height} pixels"
            raise BadInputError(
                "photo", f"The photo has {size}; at most {MOST_PIXELS // 1_000_000} million are read.", "photo"
            )
        # JPEG is read at a half, a quarter or an eighth of its size, so that a large photo never stands in memory whole.
        shrink = _shrink(image.width, image.height)
        image.draft("RGB", (-(-image.width // shrink), -(-image.height // shrink)))
        image.load()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as e:
        if isinstance(e, BadInputError):
            raise
        said = "This is no photo that can be read; JPEG, PNG, WebP and TIFF can, straight from the camera."
        raise BadInputError("photo", said, "photo") from e
    shrink = _shrink(image.width, image.height)
    # Turned by what the file says first: a copy that is made smaller does not say it any more.
    whole: Image.Image = ImageOps.exif_transpose(image).convert("RGB")
    return whole.reduce(shrink) if shrink > 1 else whole


def _shrink(width: int, height: int) -> int:
    """By how much a picture is made smaller each way, so that it has `USED_PIXELS` at most."""
    return max(1, math.ceil(math.sqrt(width * height / USED_PIXELS)))


def kept(image: Image.Image) -> bytes:
    """The picture as it is kept: smaller, and with nothing in it of where, when and by what it was taken."""
    small = Image.fromarray(np.asarray(image))
    small.thumbnail((KEPT_PIXELS, KEPT_PIXELS))
    out = io.BytesIO()
    small.save(out, "JPEG", quality=85)
    return out.getvalue()


def _luma(image: Image.Image) -> np.ndarray:
    """Linear luminance (h, w), 0..1, made strip by strip: the whole picture in three channels of floats would be large."""
    weighted = [(w * transfer.srgb(np.arange(256) / 255)).astype(np.float32) for w in WEIGHTS]
    pixels = np.asarray(image)
    luma = np.zeros(pixels.shape[:2], np.float32)
    for row in range(0, len(luma), STRIP):
        part = pixels[row : row + STRIP]
        luma[row : row + STRIP] = sum(table[part[..., c]] for c, table in enumerate(weighted))
    return luma


def _parts(image: Image.Image, side: Side) -> tuple[Bands, Bands | None]:
    luma = _luma(image)
    if side == "whole":
        return _bands(luma, "the photo"), None
    middle = luma.shape[1] // 2
    left, right = luma[:, :middle], luma[:, middle:]
    own, other = (left, right) if side == "left" else (right, left)
    return _bands(own, f"the {side} half"), _bands(other, f"the {'right' if side == 'left' else 'left'} half")


def _bands(luma: np.ndarray, where: str) -> Bands:
    try:
        return core.bands(luma)
    except NoScreenError as e:
        said = f"In {where} {str(e).replace(' in it', '')}. Fill each half with one screen that shows white."
        raise BadInputError("photo", said, "photo") from e


def decoded(text: str) -> bytes:
    """A photo from base64. BadInputError where it is none."""
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as e:
        raise BadInputError("photo", "The photo did not arrive whole; choose it again.", "photo") from e


def check(app: Application, review_id: int, setup_id: int | None, photo: Photo) -> int:
    """Look at a photo and keep what was seen. BadInputError says what is wrong with it; nothing is stored then."""
    if setup_id is not None:
        cells.setup_of(app, review_id, setup_id)
    elif reviews.unit_of(app.db.connection(), review_id) is None:
        raise NotFoundError("review", f"There is no review {review_id}.")
    with ONE_AT_A_TIME:
        image = opened(photo.data)
        own, other = _parts(image, photo.side)
        picture = kept(image)
        del image
    document: dict[str, Any] = {
        "shutter": photo.shutter.strip(),
        "note": photo.note.strip(),
        "reference_hz": photo.reference_hz,
        "parts": [_document(own), *([] if other is None else [_document(other)])],
    }
    row = ObservationRow(0, review_id, setup_id, "camera", document, now())
    with app.db.transaction(of=review_id) as db:
        return observations.add(db, row, picture)


def photograph(app: Application, review_id: int, setup_id: int, shutter_s: float) -> int:
    """The bench's camera takes the photo. BadInputError where there is none."""
    setup = cells.setup_of(app, review_id, setup_id)
    shown, simulated = display(app, setup.unit_id), simulated_of(app, setup.unit_id)
    if simulated is None:
        raise BadInputError(
            "photo", f"No camera stands before {shown.row.name}: take the photo, then choose it.", "setup"
        )
    if not 1 / 10_000 <= shutter_s <= 1:
        raise BadInputError("photo", "The camera's shutter stands open for 1/10,000 s to 1 s.", "shutter")
    state = settings_of(shown.menu, setup)
    seed = len(observations.of_review(app.db.connection(), review_id)) + simulated.seed
    pixels = simulated.photograph(setup.mode, state, shutter_s, seed)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    shutter = f"1/{1 / shutter_s:.0f} s" if shutter_s < 0.5 else f"{shutter_s:g} s"
    note = "Photographed by the simulated camera, beside a lamp that flickers at 400 Hz."
    return check(app, review_id, setup_id, Photo(out.getvalue(), "left", REFERENCE_HZ, shutter, note))


def _document(b: Bands) -> dict[str, Any]:
    return {
        "cycles": b.cycles,
        "depth": b.depth,
        "least": b.least,
        "profile": np.round(b.profile, 5).tolist(),
        "spectrum": np.round(b.spectrum, 6).tolist(),
        "height": b.height,
    }


# -- what it means --------------------------------------------------------------------------------------------------


def views(app: Application, review_id: int) -> list[CameraView]:
    """The camera checks of a review, the newest first."""
    names = {s.id: s.name for s in reviews.setups_of(app.db.connection(), review_id)}
    rows = observations.of_review(app.db.connection(), review_id)
    return [_view(r, names.get(r.setup_id or 0, "")) for r in rows]


def _view(r: ObservationRow, name: str) -> CameraView:
    d = r.document
    own, *others = d["parts"]
    other = others[0] if others else None
    hz = None
    if own["cycles"] and other and other["cycles"] and d["reference_hz"]:
        # Both were read at the same pace.
        hz = d["reference_hz"] * (own["cycles"] / own["height"]) / (other["cycles"] / other["height"])
    parts = [_part("display", own, hz)]
    parts += [] if other is None else [_part("light beside it", other, d["reference_hz"])]
    verdict, sentence = _said(own, other, hz, d["shutter"])
    charts = [_profile(own, other), _spectrum(own, other)]
    return CameraView(
        id=r.id,
        setup=r.setup_id,
        setup_name=name,
        shutter=d["shutter"],
        note=d["note"],
        verdict=verdict,
        sentence=sentence,
        parts=parts,
        charts=charts,
        made_at=r.made_at,
    )


def _part(what: str, d: dict[str, Any], hz: float | None) -> PartView:
    return PartView(what, d["cycles"], 100 * d["depth"], 100 * d["least"], hz)


def _said(own: dict[str, Any], other: dict[str, Any] | None, hz: float | None, shutter: str) -> tuple[str, str]:
    at = f"at {shutter}" if shutter else "at this shutter"
    if own["cycles"] is not None:
        words = f"{own['cycles']:.1f} bands over its height, {100 * own['depth']:.{0 if own['depth'] >= 0.1 else 1}f} % deep"
        about = f", at about {hz:.0f} Hz" if hz else ""
        return "bands", f"The display shows {words}{about}: its light pulses."
    least = f"{100 * own['least']:.1f} %"
    if other is None:
        return (
            "none seen",
            f"None seen {at} that are deeper than {least}; without a light beside it that pulses, that says little.",
        )
    if other["cycles"] is None:
        return (
            "nothing told",
            f"The light beside it shows none either {at}, so the photo tells nothing: try a shorter shutter.",
        )
    deep = f"{100 * other['depth']:.0f} % deep"
    return "none seen", f"None seen {at} that are deeper than {least}, while the light beside it shows bands {deep}."


def _lines(own: dict[str, Any], other: dict[str, Any] | None, what: str) -> list[tuple[str, list[Any]]]:
    return [("display", own[what]), *([] if other is None else [("light beside it", other[what])])]


def _profile(own: dict[str, Any], other: dict[str, Any] | None) -> Chart:
    curves = [(n, 100 * np.array(v)) for n, v in _lines(own, other, "profile")]
    series = tuple(
        Series(n, "measured", joined(np.linspace(0, 100, len(v)), v), setup=i) for i, (n, v) in enumerate(curves)
    )
    low, high = around(np.concatenate([v for _, v in curves]), (95.0, 105.0))
    return Chart(
        key="camera_lines",
        kind="lines",
        title="Light of each line",
        note="Mean of each line of the photo, % of their mean.",
        headline="",
        x=Axis("line", "% of height", 0, 100, 0),
        y=Axis("light", "%", low, high, 0),
        series=series,
        table=Table((), (), ()),
    )


def _spectrum(own: dict[str, Any], other: dict[str, Any] | None) -> Chart:
    curves = [(n, np.array(v).reshape(-1, 2)) for n, v in _lines(own, other, "spectrum")]
    most = 60.0
    series = tuple(
        Series(n, "measured", joined(v[v[:, 0] <= most, 0], 100 * v[v[:, 0] <= most, 1]), setup=i)
        for i, (n, v) in enumerate(curves)
    )
    top = max((100 * float(v[:, 1].max()) for _, v in curves if len(v)), default=1.0)
    return Chart(
        key="camera_spectrum",
        kind="lines",
        title="Bands",
        note="How deep bands of each number over the height are.",
        headline="",
        x=Axis("bands over the height", "", 0, most, 0),
        y=Axis("depth", "%", 0, max(1.0, 1.1 * top), 0 if top > 10 else 1),
        series=series,
        table=Table((), (), ()),
    )


def picture(app: Application, observation_id: int) -> bytes:
    """The picture that was kept. NotFoundError where there is none."""
    found = observations.picture(app.db.connection(), observation_id)
    if found is None:
        raise NotFoundError("observation", f"There is no observation {observation_id}.")
    return found


def forget(app: Application, observation_id: int) -> None:
    """Forget a camera check with its picture. NotFoundError where there is none."""
    review = observations.review_of(app.db.connection(), observation_id)
    if review is None:
        raise NotFoundError("observation", f"There is no observation {observation_id}.")
    with app.db.transaction(of=review) as db:
        observations.delete(db, observation_id)
