"""A display that starts with its name, and its menu as it is first written down."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TypeVar, get_args

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.displays.targets import titles
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.setups.new_reviews import add_setups
from lumenar.core.menu.controls import MenuError, Panel
from lumenar.core.menu.documents import document_of
from lumenar.core.menu.menu import Menu
from lumenar.core.menu.mode_text import modes_from
from lumenar.core.menu.roles import role_of
from lumenar.core.menu.text_reading import MenuTextError, controls_from
from lumenar.core.signals import Range
from lumenar.store import menus, reviews
from lumenar.store.reviews import UnitRow

T = TypeVar("T", bound=str)
KINDS = ("monitor", "television", "projector", "phone", "laptop")
PANELS: tuple[Panel, ...] = get_args(Panel)
USUAL_TARGETS = {
    "monitor": "srgb",
    "laptop": "srgb",
    "phone": "srgb",
    "television": "bt709_bt1886",
    "projector": "bt709_bt1886",
}
"""What a mode is judged by where nobody has said it."""
USUAL_BITS = 8


@dataclass(frozen=True, kw_only=True)
class NewDisplay:
    """What is known of a display at its arrival; maker, model, kind and panel are enough."""

    maker: str
    model: str
    kind: str
    panel: str
    serial: str = ""
    sample: str = "A"
    firmware: str = ""
    size_inch: float | None = None
    width_px: int | None = None
    height_px: int | None = None
    bits: int = USUAL_BITS
    signal_range: str = "full"
    modes: str = ""
    controls: str = ""
    review: int | None = None
    """The review whose model it is another sample of; None for a review of its own."""
    like: int | None = None
    """The sample whose menu it takes over, where none is written down."""
    roles: Mapping[str, str] = field(default_factory=dict)
    """By path of a control what it sets, as a person confirmed it."""


def add(app: Application, new: NewDisplay) -> int:
    """A new review of a display, with a setup for each mode that was named. Returns its number. BadInputError names the
    field, and of texts the line and column."""
    _check(new)
    first = None if new.review is None else reviews.unit_of(app.db.connection(), new.review)
    if new.review is not None:
        first = _may_be_a_sample(app, new, first)
    menu = with_roles(parse(new.modes, new.controls, new.kind, titles(app)), new.roles)
    if new.like is not None and not new.modes.strip() and not new.controls.strip():
        menu = display(app, new.like).menu
    with app.db.transaction() as db:
        review_id = reviews.add_review(db, now()) if first is None else first.review_id
        if first is not None and not menu.modes:
            # Samples of one model have one menu, until one of them turns out to differ.
            menu_id, menu = first.menu_id, display(app, first.id).menu
        else:
            menu_id = menus.add(db, document_of(menu))
        row = UnitRow(
            id=0,
            review_id=review_id,
            menu_id=menu_id,
            maker=new.maker.strip(),
            model=new.model.strip(),
            serial=new.serial.strip(),
            sample=new.sample.strip() or "A",
            firmware=new.firmware.strip(),
            kind=new.kind,
            panel=one_of("panel", new.panel, PANELS),
            about="",
            size_inch=new.size_inch,
            width_px=new.width_px,
            height_px=new.height_px,
            bits=new.bits,
            signal_range=new.signal_range,
        )
        suffix = "" if first is None else f" (sample {row.sample})"
        add_setups(db, reviews.add_unit(db, row), menu, suffix, row.bits)
    return review_id


def _check(new: NewDisplay) -> None:
    """Check a new display's fields. BadInputError names the field that can't be right."""
    for name in ("maker", "model"):
        if not getattr(new, name).strip():
            raise BadInputError("display", f"A display needs its {name}.", name)
    for name in ("maker", "model", "serial", "sample", "firmware"):
        text = getattr(new, name)
        if len(text) > 80 or any(ord(c) < 32 for c in text):
            raise BadInputError("display", f"The {name} has at most 80 characters, all of them printable.", name)
    one_of("kind", new.kind, KINDS)
    one_of("panel", new.panel, PANELS)
    one_of("signal_range", new.signal_range, get_args(Range))
    if not 6 <= new.bits <= 16:
        raise BadInputError("display", f"A signal has 6 to 16 bits, not {new.bits}.", "bits")
    if new.size_inch is not None and not 1 <= new.size_inch <= 1000:
        raise BadInputError("display", "The diagonal lies within 1 and 1000 inches.", "size_inch")
    if (new.width_px is None) != (new.height_px is None):
        raise BadInputError("display", "Give both the width and the height in pixels, or neither.", "width_px")
    for name in ("width_px", "height_px"):
        pixels = getattr(new, name)
        if pixels is not None and not 16 <= pixels <= 65536:
            raise BadInputError("display", "Width and height lie within 16 and 65536 pixels.", name)


def correct(app: Application, unit_id: int, given: Mapping[str, str]) -> None:
    """Correct what a display is called: maker, model, kind and panel of all samples of its review, the serial number of this one.
    What was measured stays as it is; an edition that was published keeps what it says, and the next one tells the difference.
    BadInputError names the field; ConflictError for a simulated display, whose identity is in its unit file."""
    shown = display(app, unit_id)
    row = shown.row
    if shown.can.describes:
        raise ConflictError("simulated", f"{row.name} is simulated; its unit file says what it is called.")
    new = {k: str(getattr(row, k)) for k in ("maker", "model", "kind", "panel", "serial")}
    new |= {k: " ".join(v.split()) for k, v in given.items()}
    for name in ("maker", "model"):
        if not new[name]:
            raise BadInputError("display", f"A display needs its {name}.", name)
    for name in ("maker", "model", "serial"):
        if len(new[name]) > 80 or any(ord(c) < 32 for c in new[name]):
            raise BadInputError("display", f"The {name} has at most 80 characters, all of them printable.", name)
    one_of("kind", new["kind"], KINDS)
    one_of("panel", new["panel"], PANELS)
    with app.db.transaction() as db:
        reviews.set_identity(db, row.review_id, new["maker"], new["model"], new["kind"], new["panel"])
        reviews.set_serial(db, unit_id, new["serial"])
    app.forget()


def _may_be_a_sample(app: Application, new: NewDisplay, first: UnitRow | None) -> UnitRow:
    """The first sample of the review that another is added to. NotFoundError where there is none; BadInputError where it is
    another model, or the sample is there already."""
    if first is None:
        raise NotFoundError("review", f"There is no review {new.review}.")
    if (new.maker.strip(), new.model.strip()) != (first.maker, first.model):
        raise BadInputError(
            "display", f"The review is of {first.name}; another model gets a review of its own.", "model"
        )
    for u in reviews.units_of(app.db.connection(), first.review_id):
        if u.sample == (new.sample.strip() or "A"):
            raise BadInputError(
                "display", f"There is a sample {u.sample} already; give this one another letter.", "sample"
            )
    return first


def one_of(name: str, value: str, known: Sequence[T]) -> T:
    """The value among those known; BadInputError with the field's name where it is none of them."""
    for one in known:
        if one == value:
            return one
    raise BadInputError("display", f"The {name} is one of {', '.join(map(str, known))}, not {value!r}.", name)


def parse(modes: str, controls: str, kind: str = "monitor", named: Mapping[str, str] | None = None) -> Menu:
    """A menu from its texts (named: keys of targets of one's own by title); BadInputError with the field, line and column."""
    try:
        listed = controls_from(controls)
    except MenuTextError as e:
        raise BadInputError("menu", f"Controls, {e}.", "controls") from e
    try:
        listed_modes = modes_from(modes, USUAL_TARGETS[kind], named, listed)
    except MenuTextError as e:
        raise BadInputError("menu", f"Modes, {e}.", "modes") from e
    try:
        return Menu(listed_modes, listed)
    except MenuError as e:
        raise BadInputError("menu", f"{e}.", "controls") from e


def with_roles(menu: Menu, roles: Mapping[str, str]) -> Menu:
    """A menu with the roles that a person confirmed, by path. BadInputError if there is no such control or role."""
    for path, role in roles.items():
        if path not in menu.by_path:
            raise BadInputError("menu", f"There is no control {path!r} to set {role!r}.", "controls")
        if role_of(role) is None:
            raise BadInputError("menu", f"{path}: there is no role {role!r}.", "controls")
    controls = tuple(replace(c, role=roles[c.path]) if c.path in roles else c for c in menu.controls)
    return replace(menu, controls=controls) if roles else menu
