"""What rounding hides of readings in a file is the same in the file's figures and on the Board."""

import json

from lumenar.app.exchange.file_figures import analyse_file
from lumenar.app.exchange.importing import import_readings
from lumenar.app.exchange.readings_file import parse_readings
from lumenar.app.figures import cells
from lumenar.store import reviews

from .exchange.test_importing import TERN, file
from .exchange.test_readings_file import document


def rounded(text, places):
    """A file whose luminances have so many places."""
    d = json.loads(text)
    for r in d["setups"][0]["readings"]:
        r["XYZ"] = [round(v, places) for v in r["XYZ"]]
    return d


def both(app, document_):
    """Uncertainty of every figure of a file's one setup, by the file and by the Board."""
    text = json.dumps(document_)
    review = import_readings(app, text, "mine.json", TERN)
    setup = reviews.setups_of(app.db.connection(), review)[0]
    by_file = analyse_file(parse_readings(text))[0].analyses
    by_board = cells.analyses_of(app, setup, cells.newest(app, review))
    assert by_file.keys() == by_board.keys()
    kept = [
        {(m, k): (u.low, u.high) for m, a in s.items() for k, u in a.uncertainty.items()} for s in (by_file, by_board)
    ]
    assert kept[0] == kept[1]
    low, high = kept[0]["white_black", "contrast_ratio"]
    return (high - low) / by_file["white_black"].figures["contrast_ratio"]


def test_what_rounding_hides_is_the_same_in_file_and_board(app):
    fine = both(app, rounded(file(), 6))
    coarse = rounded(file(), 2)
    assert both(app, coarse) > 2 * fine, "0.10 may be 0.105"
    # A reading that is no number tells nothing of how many places there are.
    flagged = rounded(file(), 2)
    flagged["setups"][0]["readings"].append({"rgb": [0.3, 0.3, 0.3], "XYZ": [1 / 3] * 3, "flag": "saturated"})
    assert both(app, flagged) > 2 * fine
    # What another run was read with says nothing of this one.
    named = rounded(json.dumps(document(measurements=("white_black", "gamut"))), 2)
    readings_ = named["setups"][0]["readings"]
    again = [{**r, "measurement": m} for m in ("white_black", "gamut") for r in readings_]
    for r in again:
        if r["measurement"] == "gamut":
            r["XYZ"] = [v * (1 + 1e-5 / 3) for v in r["XYZ"]]
    named["setups"][0]["readings"] = again
    named["setups"][0]["runs"] = [{"measurements": ["white_black"]}, {"measurements": ["gamut"]}]
    assert both(app, named) > 2 * fine
