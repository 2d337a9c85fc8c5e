"""Unit files: what is refused, and how it is said."""

import json
from copy import deepcopy

import pytest

from lumenar.app.drivers.simulated import arrivals
from lumenar.app.errors import BadInputError
from lumenar.bench.simulated.unit_file import UnitFileError, parse_unit

from ..conftest import MONITOR


def changed(document, path, value):
    document = deepcopy(document)
    *way, last = path
    place = document
    for step in way:
        place = place[step]
    if value is None:
        del place[last]
    else:
        place[last] = value
    return json.dumps(document)


LADDER = [[0, 0.1], [50, 0.6], [40, 0.7], [100, 1]]
BAD = [
    (("colour",), "red", "colour: unknown field"),
    (("light", "lamps"), 3, "light.lamps: unknown field"),
    (("maker",), None, "maker: required field is missing"),
    (("controls", 1, "default"), 140, "controls[1]: 140 is outside 0..100 of Picture > Light"),
    (("controls", 1, "table"), LADDER, "controls[1]: table is not monotone: input 40 follows 50, inputs must rise"),
    (
        ("controls", 1, "table"),
        [[0, 0.5], [100, 0.2]],
        "controls[1]: table is not monotone: output falls from 0.5 to 0.2",
    ),
    (("controls", 1, "table"), [[10, 0.5], [100, 0.8]], "controls[1]: table must run from input 0 to 100"),
    (("modes", 0, "curve_table"), [[0, 0], [0.5, 0.6], [0.6, 0.4], [1, 1]], "modes[0]: curve_table is not monotone"),
    (("modes", 1, "target"), "vivid", "modes[1].target: unknown target 'vivid'"),
    (("modes", 1, "target"), "bt2020_pq", "modes[1]: target 'bt2020_pq' is for pq, the mode is sdr"),
    (("modes", 1, "defaults"), {"Picture > Light": 101}, "101 is outside 0..100 of Picture > Light"),
    (("modes", 1, "defaults"), {"Picture > Lamp": 1}, "unknown control 'Picture > Lamp'"),
    (("modes", 1, "name"), "Studio", "mode name 'Studio' appears more than once"),
    (("light", "peak_cd_m2"), -5, "light.peak_cd_m2: Input should be greater than or equal to 0.1"),
    (("light", "native_white_xy"), [0.7, 0.2], "light.native_white_xy: the channels' spectra cannot make this white"),
    (("version",), 9, "version: Input should be 1"),
    (("behaviour", "area_limit"), [[0, 1], [0.5, 0.7], [1, 0.8]], "area_limit is not monotone"),
    (("behaviour", "modulation", "depth"), [[0, 0.5], [0, 0.2]], "depth is not monotone"),
    (("controls", 0, "resets"), ["Picture > Glow"], "locks or resets the unknown control 'Picture > Glow'"),
    (("samples", 0, "sample"), "A", "sample 'A' appears more than once"),
    (("samples", 0, "mode_changes"), {"Studio": {"gamma": 99}}, "gamma"),
]


@pytest.mark.parametrize(
    ("path", "value", "said"), BAD, ids=lambda v: "-".join(map(str, v)) if isinstance(v, tuple) else None
)
def test_a_wrong_unit_file_is_refused_in_one_line(units, path, value, said):
    text = changed(json.loads(units[MONITOR]), path, value)
    with pytest.raises(BadInputError) as e:
        arrivals(text, "mine.json")
    assert e.value.detail.startswith("mine.json: ") and said in e.value.detail
    assert "\n" not in e.value.detail


NO_JSON = [("", "the file is empty"), ("{", "not JSON at line 1"), ("[]", "document:"), (b"\xff", "not JSON at line 1")]


@pytest.mark.parametrize(("text", "said"), NO_JSON)
def test_what_is_no_json_is_refused(text, said):
    with pytest.raises(UnitFileError, match=said):
        parse_unit(text, "x.json")


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity", "1e999"])
def test_what_is_no_number_is_refused(units, number):
    text = units["ostrel-fen-32.json"]
    document = json.loads(text)
    peak = json.dumps(document["light"]["peak_cd_m2"])
    assert f'"peak_cd_m2": {peak}' in text
    with pytest.raises(UnitFileError, match=r"light.peak_cd_m2: .*(no numbers|less than or equal)"):
        parse_unit(text.replace(f'"peak_cd_m2": {peak}', f'"peak_cd_m2": {number}'), "x.json")


def test_the_shipped_units_are_good(units):
    for name, text in units.items():
        arrivals(text, name)
        unit = parse_unit(text, name)
        assert unit.modes and unit.luminance_control is not None
        assert len(unit.luminance_levels(unit.modes[0])) == 11
    assert len(units) == 5
    kinds = {arrivals(t, n)[0].kind for n, t in units.items()}
    assert kinds == {"monitor", "television", "projector", "phone", "laptop"}
