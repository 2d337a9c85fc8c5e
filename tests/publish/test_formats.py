"""What docs/formats.md says is so: its example is accepted, and a stranger recomputes a package from it alone."""

import json
import re
from pathlib import Path

import numpy as np
import pytest

DOCS = Path(__file__).parents[2] / "docs" / "formats.md"


def test_the_example_of_the_page_is_accepted(tmp_path, capsys):
    from lumenar.cli import main

    example = re.search(r"```json\n(.*?)```", DOCS.read_text(), re.S)[1]
    (tmp_path / "example.json").write_text(example)
    assert main(["figures", str(tmp_path / "example.json"), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)["setups"][0]
    assert found["figures"]["white_black"]["contrast_ratio"] == pytest.approx(2000)


def test_every_field_is_on_the_page():
    from lumenar.app.exchange import file_meters
    from lumenar.app.exchange import readings_file as f

    text = DOCS.read_text()
    for model in (
        file_meters.FileUnit,
        file_meters.FileMeter,
        f.FileSetup,
        f.FileReading,
        file_meters.FileSeries,
        f.FileCondition,
        f.FileMetadata,
    ):
        for name in model.model_fields:
            assert f"`{name}`" in text or f".{name}`" in text, (model.__name__, name)
    from lumenar.core.targets import TARGETS

    assert all(f"`{t}`" in text for t in TARGETS)


# From here on numpy and the documentation alone.

D65 = np.array([0.3127 / 0.3290, 1.0, (1 - 0.3127 - 0.3290) / 0.3290])
BT709 = np.array([[0.64, 0.33], [0.30, 0.60], [0.15, 0.06]])


def matrix(primaries):
    P = np.array([[x / y, 1, (1 - x - y) / y] for x, y in primaries]).T
    return P * np.linalg.solve(P, D65)


def lab(XYZ, white):
    t = XYZ / white
    f = np.where(t > 216 / 24389, np.cbrt(t), (24389 / 27 * t + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def ciede2000(one, two):
    (L1, a1, b1), (L2, a2, b2) = one, two
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    G = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    a1, a2 = a1 * (1 + G), a2 * (1 + G)
    C1, C2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    dh = h2 - h1
    dh = 0 if C1 * C2 == 0 else dh - 360 if dh > 180 else dh + 360 if dh < -180 else dh
    dH = 2 * np.sqrt(C1 * C2) * np.sin(np.radians(dh) / 2)
    L, C = (L1 + L2) / 2, (C1 + C2) / 2
    h = (
        h1 + h2
        if C1 * C2 == 0
        else (h1 + h2) / 2
        if abs(h1 - h2) <= 180
        else (h1 + h2 + (360 if h1 + h2 < 360 else -360)) / 2
    )
    T = (
        1
        - 0.17 * np.cos(np.radians(h - 30))
        + 0.24 * np.cos(np.radians(2 * h))
        + 0.32 * np.cos(np.radians(3 * h + 6))
        - 0.20 * np.cos(np.radians(4 * h - 63))
    )
    S_L = 1 + 0.015 * (L - 50) ** 2 / np.sqrt(20 + (L - 50) ** 2)
    S_C, S_H = 1 + 0.045 * C, 1 + 0.015 * C * T
    R_T = -2 * np.sqrt(C**7 / (C**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((h - 275) / 25) ** 2))))
    light, c, hh = (L2 - L1) / S_L, (C2 - C1) / S_C, dH / S_H
    return np.sqrt(light * light + c * c + hh * hh + R_T * c * hh)


def area(polygon):
    x, y = polygon.T
    return 0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))


def clipped(polygon, by):
    """Sutherland and Hodgman's clipping of a polygon by a triangle."""
    if np.linalg.det(np.column_stack([by, np.ones(3)])) < 0:
        by = by[::-1]
    for a, b in zip(by, np.roll(by, -1, axis=0), strict=True):
        out = []
        side = [(b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]) for p in polygon]
        for i in range(len(polygon)):
            p, q, s, t = polygon[i - 1], polygon[i], side[i - 1], side[i]
            if (s < 0) != (t < 0):
                out.append(p + (q - p) * s / (s - t))
            if t >= 0:
                out.append(q)
        polygon = np.array(out)
    return polygon


def read(setup, meters, measurement):
    """Corrected XYZ by signal of one measurement: the median of a patch's readings, None under the floor."""
    values: dict = {}
    floor = 0.0
    for r in setup["readings"]:
        if r["measurement"] != measurement:
            continue
        meter = meters[r["meter"]]
        floor = max(meter["floor_cd_m2"], 2 * meter["absolute_cd_m2"])
        if r["XYZ"] is not None:
            XYZ = np.array(meter.get("correction", np.eye(3))) @ np.array(r["XYZ"])
            values.setdefault(tuple(np.round(r["rgb"], 4)), []).append((r["rgb"], XYZ))
        else:
            values.setdefault(tuple(np.round(r["rgb"], 4)), [])
    merged = {}
    for key, all_ in values.items():
        median = np.median([x for _, x in all_], axis=0) if all_ else None
        merged[key] = None if median is None or median[1] < floor else (np.array(all_[0][0]), median)
    return merged


def srgb(v):
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def points(rule, value):
    x, y = np.array(rule["knots"], float).T
    if rule.get("scale") == "log":
        return float(np.interp(np.log10(value), np.log10(x), y))
    return float(np.interp(value, x, y))


def test_a_stranger_recomputes_grey_coverage_and_score(whole, tmp_path):
    from lumenar.publish.edition import publish

    made = publish(whole, 1)
    data = whole.folder / "editions" / made.address.removeprefix("/published/") / "data"
    readings, figures, scores, rubric = (
        json.loads((data / f"{name}.json").read_text()) for name in ("readings", "figures", "scores", "rubric")
    )
    meters = {m["id"]: m for m in readings["meters"]}
    setup = next(s for s in readings["setups"] if s["target"] == "srgb")
    key = f"{setup['unit']}: {setup['name']}"
    said = next(s for s in figures["setups"] if s["key"] == key)

    grey = read(setup, meters, "grey_ramp")
    Yw = grey[(1.0, 1.0, 1.0)][1][1]
    K = 0.0 if grey[(0.0, 0.0, 0.0)] is None else max(grey[(0.0, 0.0, 0.0)][1][1], 0)
    M = matrix(BT709)
    errors = []
    for known in grey.values():
        if known is None or known[0].max() == 0:
            continue
        rgb, XYZ = known
        target = M @ (K + (Yw - K) * srgb(rgb))
        errors.append(ciede2000(lab(target, D65 * Yw), lab(XYZ, D65 * Yw)))
    assert np.mean(errors) == pytest.approx(said["figures"]["grey_ramp"]["de2000_mean"], rel=1e-9)

    corners = read(setup, meters, "gamut")
    uv = []
    for rgb in np.eye(3):
        X, Y, Z = corners[tuple(rgb)][1]
        uv.append([4 * X / (X + 15 * Y + 3 * Z), 9 * Y / (X + 15 * Y + 3 * Z)])
    wanted = np.array([[4 * x / (-2 * x + 12 * y + 3), 9 * y / (-2 * x + 12 * y + 3)] for x, y in BT709])
    share = 100 * area(clipped(np.array(uv), wanted)) / area(wanted)
    assert share == pytest.approx(said["figures"]["gamut"]["coverage_srgb_uv_percent"], rel=1e-9)

    for purpose in rubric["purposes"]:
        rules = {r["figure"]: r for r in rubric["rules"]}
        got = weight_got = 0.0
        for figure, weight in purpose["weights"].items():
            for name in filter(None, (figure, rules[figure].get("instead"))):
                measurement, k = name.split(".")
                value = said["figures"].get(measurement, {}).get(k)
                if value is not None:
                    got += weight * points(rules[figure], value)
                    weight_got += weight
                    break
        told = scores["purposes"][purpose["key"]][key]
        if purpose.get("signal", "sdr") != "sdr":
            assert told["value"] is None and told["reason"] == "for PQ alone"
            continue
        assert got / weight_got == pytest.approx(told["value"], rel=1e-9)
        assert weight_got / sum(purpose["weights"].values()) == pytest.approx(told["coverage"], rel=1e-9)
