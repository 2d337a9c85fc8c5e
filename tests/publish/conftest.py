"""What tests of editions share: a setup that was analysed once in a test run is not analysed again from the same readings."""

import pytest

from lumenar.app.exchange import file_figures
from lumenar.publish import package

_analyse_setup = file_figures.analyse_setup
_MOST = 200
_found = {}


def _analyse_once(file, setup, target_key=None, uncertain=True, known=None, only=file_figures.MEASUREMENTS):
    """As `analyse_setup`; what it found is kept by every byte that it is computed from."""
    rest = file.model_dump_json(exclude={"setups"})
    key = setup.model_dump_json(), rest, target_key, uncertain, tuple(sorted(only))
    if known is None and key in _found:
        return _found[key]
    found = _analyse_setup(file, setup, target_key, uncertain, known, only)
    if known is None:
        if len(_found) >= _MOST:
            _found.pop(next(iter(_found)))
        _found[key] = found
    return found


@pytest.fixture(autouse=True)
def analysed_once(monkeypatch):
    """Checking an edition analyses all of it each time, and hundreds of changed editions differ in one value."""
    monkeypatch.setattr(file_figures, "analyse_setup", _analyse_once)
    monkeypatch.setattr(package, "analyse_setup", _analyse_once)
