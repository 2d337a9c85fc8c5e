"""Work on the bench that a person steers: what its end means for who comes next."""

import pytest

from lumenar.app.bench.guided_work import SteeredJob, free_bench
from lumenar.app.errors import ConflictError


def test_one_that_failed_has_said_its_last_word(app, bench):
    said = []
    job = SteeredJob("tuning", 1, 1, lambda _: None, said.append)
    assert not job.over and job.failed(ValueError("no light")) is False
    assert job.over and said == ["The bench stopped on a fault (ValueError: no light)"]


def test_who_is_getting_up_is_waited_for_and_who_sits_is_not(app, bench, measured):
    import threading

    leave = threading.Event()
    job = SteeredJob("tuning", 1, measured, lambda _: leave.wait(10) and None, lambda _: None)
    bench.occupancy.take(job, lambda: None)
    with pytest.raises(ConflictError, match="in use"):
        free_bench(bench)
    job.over = True
    threading.Timer(0.3, leave.set).start()
    free_bench(bench)
    assert not bench.occupancy.kind
