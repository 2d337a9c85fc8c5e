"""What a host reports that a display reaches, beside what was measured."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenar.app.application import Application
from lumenar.app.errors import BadInputError
from lumenar.app.figures import cells
from lumenar.core.host_report import Beside, HostReport, HostReportError
from lumenar.core.measurements import FIGURES, peak, pq_tracking, white_black
from lumenar.store import host_reports
from lumenar.store.host_reports import HostReportRow
from lumenar.store.reviews import SetupRow


def say(
    app: Application,
    review_id: int,
    setup_id: int,
    max_cd_m2: float | None,
    full_cd_m2: float | None,
    min_cd_m2: float | None,
) -> None:
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
    with app.db.transaction(of=review_id) as db:
        host_reports.put(db, HostReportRow(setup_id, report.max_cd_m2, report.full_cd_m2, report.min_cd_m2, True))


def beside(
    app: Application, newest: cells.Newest, setups: Sequence[SetupRow], rows: Mapping[int, HostReportRow]
) -> dict[int, Beside]:
    """Of setups those with a report among `rows`, each beside what was measured in it, in their order."""
    found = {}
    for setup in setups:
        if (row := rows.get(setup.id)) is None:
            continue
        measured = cells.figures_of(app, setup, newest, [f for f in FIGURES if f.reported])
        brightest = (peak.HIGHEST, pq_tracking.PEAK, white_black.LUMINANCE)
        most = next((v for f in brightest if (v := measured.get(f))), None)
        full, clip = measured.get(peak.SUSTAINED), measured.get(pq_tracking.CLIP)
        report = HostReport(row.max_cd_m2, row.full_cd_m2, row.min_cd_m2)
        found[setup.id] = Beside(setup.name, report, most, full, clip)
    return found
