"""What a host reports that a display reaches, beside what was measured."""

from __future__ import annotations

from lumenar.core.analysis import Analysis
from lumenar.core.host_report import Beside, HostReport, HostReportError
from lumenar.service import cells
from lumenar.service.application import Application
from lumenar.service.errors import BadInputError
from lumenar.store import host_reports, reviews
from lumenar.store.host_reports import HostReportRow


def say(
    app: Application, review_id: int, setup_id: int, max_cd_m2: float | None, full_cd_m2: float | None, min_cd_m2: float | None
) -> None:  # fmt: skip
    """Keep what a person says that the host reports of a setup, all None where nothing is known of it. BadInputError where it
    cannot be."""
    setup = cells.setup_of(app, review_id, setup_id)
    if max_cd_m2 is None and full_cd_m2 is None and min_cd_m2 is None:
        with app.db.transaction(of=review_id) as db:
            host_reports.forget(db, setup_id)
        return
    if setup.signal != "pq":
        raise BadInputError(
            "reported", f"{setup.name} is not for PQ: a host reports what a display reaches in HDR.", "max_cd_m2"
        )
    if max_cd_m2 is None:
        raise BadInputError("reported", "Say the most light that the host reports.", "max_cd_m2")
    try:
        report = HostReport(max_cd_m2, full_cd_m2, min_cd_m2)
    except HostReportError as e:
        raise BadInputError("reported", f"{e}.", "max_cd_m2") from e
    keep(app, review_id, setup_id, report, True)


def keep(app: Application, review_id: int, setup_id: int, report: HostReport, typed: bool) -> None:
    """Keep a report as read or as typed."""
    with app.db.transaction(of=review_id) as db:
        host_reports.put(db, HostReportRow(setup_id, report.max_cd_m2, report.full_cd_m2, report.min_cd_m2, typed))


def beside(app: Application, review_id: int, newest: cells.Newest) -> dict[int, Beside]:
    """The setups of a review with a report, each beside what was measured in it, in the order of the Board."""
    rows = host_reports.of_review(app.db.connection(), review_id)
    found = {}
    for setup in reviews.setups_of(app.db.connection(), review_id):
        if (row := rows.get(setup.id)) is None:
            continue
        analyses = cells.analyses_of(app, setup, newest)

        def figure(measurement: str, key: str, analyses: dict[str, Analysis] = analyses) -> float | None:
            return None if measurement not in analyses else analyses[measurement].scalar(key)

        clip = figure("pq_tracking", "clip_cd_m2")
        peak = (
            figure("peak", "peak_cd_m2") or figure("pq_tracking", "peak_cd_m2") or figure("white_black", "white_cd_m2")
        )
        report = HostReport(row.max_cd_m2, row.full_cd_m2, row.min_cd_m2)
        found[setup.id] = Beside(setup.name, report, peak, figure("peak", "sustained_full_cd_m2"), clip)
    return found
