"""Building the demonstration: the Tern Street bench with five displays, measured and tuned as far as a reviewer would have."""

from __future__ import annotations

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.board.board import board
from lumenar.app.displays.unit_files import shipped_units
from lumenar.app.experiments import camera_check
from lumenar.app.experiments.conditions import ConditionsAsked, FactorAsked, LightAsked
from lumenar.app.experiments.experiment_bench import Experimenter
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.figures import cells
from lumenar.app.figures.helper import Helper, several_cores
from lumenar.app.instruments.instruments import correct_for
from lumenar.app.recipes.replay import Replayer
from lumenar.app.runs.planning import Options
from lumenar.app.scoring import setup_scores
from lumenar.app.setups import new_reviews
from lumenar.app.tuning import tunings
from lumenar.app.tuning.gains import prove
from lumenar.app.tuning.tuning_bench import Tuner
from lumenar.app.tuning.tunings import Wish
from lumenar.bench.plan import Cell
from lumenar.core.measurements import MEASUREMENTS, hlg_tracking, peak, pq_tracking, saturation, swatches
from lumenar.core.scoring.score import rank
from lumenar.publish.edition import publish
from lumenar.store import reviews
from lumenar.store.reviews import SetupRow

OF_HDR = [m.MEASUREMENT.key for m in (peak, pq_tracking, hlg_tracking, saturation, swatches)]
UNMEASURED = "ostrel-fen-32.json"
WHOLE: dict[str, int] = {
    "tessary-pell-6.json": 4,
    "wickham-slate-14.json": 1,
    "halden-loft-4.json": 1,
    "carrow-meridian-65.json": 1,
}
"""How many of a display's best modes are measured whole, in the order in which they came to the bench."""


TUNED: dict[str, tuple[str, Wish]] = {
    "tessary-pell-6.json": ("Faithful", Wish(["white"])),
    "ostrel-fen-32.json": ("Studio", Wish(["luminance", "white"], luminance=120.0)),
}
"""Which mode of a display was tuned, and towards what; the result was proven and replayed on every sample."""


LIGHTS = (LightAsked("dark", 0.0), LightAsked("evening lamp", 50.0), LightAsked("daylight", 500.0))
FEATURES = (
    FactorAsked("System > Room > Saver", ("low", "high"), "does nothing in the dark, dims in a bright room"),
    FactorAsked(
        "System > Room > Daylight match", ("on",), "lifts shadows in a bright room and leaves the peak unchanged"
    ),
    FactorAsked("System > Room > Auto light", ("on",), "brightens in a bright room"),
)
"""What the television does by itself is tried in three lights."""


def build(app: Application, tuned: bool = True) -> bool:
    """Build the demonstration where the data folder holds no review yet. Returns whether it did. tuned: whether two displays come
    with settings that were found, proven and replayed."""
    if reviews.review_ids(app.db.connection()):
        return False
    units = shipped_units()
    app.helper = Helper(app.folder) if several_cores() else None
    bench = BenchService(app, speed=0.0)
    for name, whole in WHOLE.items():
        review = new_reviews.add_review(app, units[name], name)
        correct_for(app, bench, review)
        _measure(app, bench, review, whole)
        if tuned and name in TUNED:
            _tune(app, bench, review, *TUNED[name])
        if tuned:
            _by_itself(app, bench, review, name)
    publish(app, reviews.review_ids(app.db.connection())[0])
    # The monitor is on the bench, corrected for its panel; its modes as shipped wait for their first pass.
    monitor = new_reviews.add_review(app, units[UNMEASURED], UNMEASURED)
    correct_for(app, bench, monitor)
    if tuned:
        _tune(app, bench, monitor, *TUNED[UNMEASURED])
    # Figures are computed when they are first looked at; whoever opens the demonstration should not wait for them.
    for number in reviews.review_ids(app.db.connection()):
        board(app, number)
    return True


def _by_itself(app: Application, bench: BenchService, review: int, name: str) -> None:
    """What was asked of a display beside its modes: features in three lights, metadata, a photo."""
    named = {s.name: s.id for s in reviews.setups_of(app.db.connection(), review)}
    if name == "carrow-meridian-65.json":
        asker = Experimenter(app, bench)
        for question in (
            Question(kind="metadata", setup=named["Reel HDR"]),
            Question(kind="carry", setup=named["Match day HDR"]),
            Question(
                kind="conditions",
                setup=named["Reel"],
                conditions=ConditionsAsked(lights=LIGHTS, factors=FEATURES, together=False),
            ),
        ):
            asker.start(review, question)
            bench.occupancy.wait()
    if name == "wickham-slate-14.json":
        camera_check.photograph(app, review, named["Plain"], 0.001)


def _tune(app: Application, bench: BenchService, review: int, mode: str, wish: Wish) -> None:
    """Find the best settings of a mode, keep and prove them, and replay the recipe on every sample."""
    setup = next(s for s in reviews.setups_of(app.db.connection(), review) if s.name == mode)
    tuning = Tuner(app, bench).start(review, setup.id, wish)
    bench.occupancy.wait()
    made = tunings.keep(app, tuning, f"{mode} tuned")
    # As far as the mode itself, so that both are scored alike; what no purpose asks for is left out.
    measured = cells.newest(app, review).by_setup.get(setup.id, {})
    scored = {m for p in app.rubric.purposes.values() for m in app.rubric.measurements_for(p)}
    further = [Cell(made, m) for m in MEASUREMENTS if m in measured and m in scored]
    if further:
        bench.runs.start(review, further)
    else:
        prove(app, bench, tuning)
    bench.runs.finish()
    for unit in reviews.units_of(app.db.connection(), review):
        Replayer(app, bench).start(review, made, unit.id)
        bench.occupancy.wait()


def _measure(app: Application, bench: BenchService, review: int, whole: int) -> None:
    """First pass on every mode as shipped, then everything on the best."""
    setups: list[SetupRow] = reviews.setups_of(app.db.connection(), review)
    bench.runs.start(
        review,
        [Cell(s.id, m) for s in setups for m in MEASUREMENTS if MEASUREMENTS[m].first_pass and _for(s, m)],
        Options(warm_up=True),
    )
    bench.runs.finish()
    best = sorted(setup_scores.scores(app, review, "colour_work"), key=lambda item: -rank(item[1]))[:whole]
    rest = [m for m, of in MEASUREMENTS.items() if not of.first_pass]
    # Where there is more than one mode for HDR, the first is measured whole and the others for what they are judged by.
    hdr = [s for s in setups if s.signal != "sdr"]
    wanted = [(s, rest) for s, _ in best]
    wanted += [(s, rest if s is hdr[0] else OF_HDR) for s in hdr if len(hdr) > 1]
    bench.runs.start(review, [Cell(s.id, m) for s, own in wanted for m in own if _for(s, m)])
    bench.runs.finish()


def _for(setup: SetupRow, measurement: str) -> bool:
    return setup.signal in MEASUREMENTS[measurement].signals
