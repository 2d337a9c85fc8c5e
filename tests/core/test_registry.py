"""What is registered is found by its folder, and nothing else is taken for it."""

from lumenar.app.exchange import formats
from lumenar.app.exchange.formats.base import Format
from lumenar.core.registry import registered


def test_every_module_that_defines_one_is_found_and_others_are_passed_over():
    found = registered(formats.__name__, formats.__path__, "FORMAT", Format)
    assert {f.key for f in found} == {"json", "csv", "cgats"}, "base and table define none"
    assert registered(formats.__name__, formats.__path__, "FORMAT", int) == [], "something else under that name"
    assert registered(formats.__name__, formats.__path__, "WISH", Format) == []
