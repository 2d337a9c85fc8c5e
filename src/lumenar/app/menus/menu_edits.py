"""Changes of a menu map: setups of every sample with this menu follow them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import replace
from difflib import SequenceMatcher
from typing import Any, Literal

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.displays.displays import Display, display
from lumenar.app.displays.targets import titles
from lumenar.app.drivers.stations import station_of
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.menus.menu_map import MenuMap, menu_map, sample_of
from lumenar.app.setups.new_display import parse
from lumenar.app.setups.new_reviews import HDR_BITS, first_format, setup_name
from lumenar.core.menu.controls import WORDS, MenuError, text_of
from lumenar.core.menu.documents import document_of, menu_from
from lumenar.core.menu.menu import Menu, renamed
from lumenar.core.menu.tables import menu_from_csv
from lumenar.core.numbers import listed
from lumenar.core.strict_json import DoubledNameError, once
from lumenar.core.targets import resolve
from lumenar.store import menus, reviews, runs
from lumenar.store.reviews import SetupRow

Answer = Literal["ask", "were", "changed"]
"""What to do about measured setups if a default is corrected: `ask`; `were`, the display had this default when it was measured;
or `changed`, the default changed after that."""


def change(
    app: Application, review_id: int, unit_id: int | None, modes: str, controls: str, answer: Answer = "ask"
) -> MenuMap:
    """Replace a menu by what its two texts say. A new mode gets a setup, and a mode that is gone loses its setups if nothing was
    read in them.

    Raises BadInputError if a text can't be understood or a setup has a value that the new menu doesn't allow; ConflictError if a
    mode with readings would be removed, or if the default of a measured control changes and `answer` is `ask`. Nothing is changed
    then.
    """
    shown = sample_of(app, review_id, unit_id)
    menu = parse(modes, controls, shown.row.kind, titles(app))
    return _become(app, review_id, shown, replace(menu, mode_path=shown.menu.mode_path), answer)


def _become(
    app: Application,
    review_id: int,
    shown: Display,
    menu: Menu,
    answer: Answer,
    moved: Mapping[str, str] | None = None,
    another: bool = False,
) -> MenuMap:
    """The sample's menu is this one from now on; moved: new paths of controls by old ones; another: it comes from elsewhere, so
    that a mode in the place of another is not the same mode."""
    with app.db.transaction() as db:
        menus.change(db, shown.row.menu_id, document_of(menu), now(), "" if answer == "ask" else answer)
        moved = moved or ({} if another else _renamed_controls(shown.menu, menu))
        _follow(
            db=db,
            menu_id=shown.row.menu_id,
            was=shown.menu,
            menu=menu,
            answer=answer,
            moved=moved,
            called={} if another else _renamed_modes(shown.menu, menu),
        )
    app.forget()
    return menu_map(app, review_id, shown.row.id)


def undo(app: Application, review_id: int, unit_id: int | None) -> MenuMap:
    """Back to what the menu was before its last change. ConflictError where there was none, or a mode that was read since
    would go."""
    shown = sample_of(app, review_id, unit_id)
    with app.db.transaction() as db:
        said = menus.undo(db, shown.row.menu_id)
        if said is None:
            raise ConflictError("menu", "The menu was not changed, so there is nothing to undo.")
        # What was said of defaults then holds of the way back.
        answer: Answer = "were" if said == "were" else "changed"
        was = menu_from(menus.get(db, shown.row.menu_id))
        now_is = shown.menu
        _follow(
            db=db,
            menu_id=shown.row.menu_id,
            was=now_is,
            menu=was,
            answer=answer,
            moved=_renamed_controls(now_is, was),
            called=_renamed_modes(now_is, was),
        )
    app.forget()
    return menu_map(app, review_id, unit_id)


ModeKey = tuple[str, str]
"""A mode by its name and signal."""


def _plural(name: str, count: int) -> str:
    """A name in the singular or plural: "setup", "setups", "reading of light", "readings of light"."""
    first, _, rest = name.partition(" of ")
    several = first if count == 1 else f"{first}s"
    return f"{several} of {rest}" if rest else several


def _follow(
    db: sqlite3.Connection,
    menu_id: int,
    was: Menu,
    menu: Menu,
    answer: Answer,
    moved: Mapping[str, str],
    called: Mapping[ModeKey, str],
) -> None:
    """Setups of every sample with this menu follow it. moved, called: controls and modes that have other names."""
    asked: list[str] = []
    for unit in reviews.units_with_menu(db, menu_id):
        mine = [s for s in reviews.setups_of(db, unit.review_id) if s.unit_id == unit.id]
        mine = _called(db, mine, called)
        for s in mine:
            asked += _fits(db=db, was=was, menu=menu, setup=s, answer=answer, moved=moved, called=called)
        there = {(s.mode, s.signal) for s in mine if s.shipped}
        position = max((s.position for s in mine), default=-1) + 1
        names = [s.name for s in mine]
        for m in menu.modes:
            if (m.name, m.signal) not in there:
                name = setup_name(m, names)
                names.append(name)
                bits = HDR_BITS if station_of(db, unit.id).capabilities.alone else unit.bits
                sent = first_format(m.signal, bits)
                reviews.add_setup(
                    db,
                    SetupRow(
                        id=0,
                        unit_id=unit.id,
                        position=position,
                        name=name,
                        mode=m.name,
                        shipped=1,
                        signal=m.signal,
                        target=m.target,
                        changes={},
                        format=sent,
                    ),
                )
                position += 1
    if asked:
        raise ConflictError(
            "menu-defaults",
            f"Defaults of what was measured are corrected: {'; '.join(asked[:3])}{' and more' if asked[3:] else ''}. Was it like"
            " that when it was measured, or has it changed since, so that those readings are stale?",
        )


def _renamed_modes(was: Menu, menu: Menu) -> dict[ModeKey, str]:
    """New names of modes by the old name and the signal: of those that stand in one place between modes that are in both."""
    before, after = ([(m.name, m.signal) for m in x.modes] for x in (was, menu))
    found: dict[ModeKey, str] = {}
    for tag, a, b, c, d in SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if tag != "replace":
            continue
        # Within a stretch that differs, names follow one another for each signal.
        for signal in dict.fromkeys(s for _, s in before[a:b]):
            gone = [m for m in before[a:b] if m[1] == signal and m not in after]
            new = [m for m in after[c:d] if m[1] == signal and m not in before]
            if len(gone) == len(new):
                found |= {old: name for old, (name, _) in zip(gone, new, strict=True)}
    return found


def _renamed_controls(was: Menu, menu: Menu) -> dict[str, str]:
    """New paths of controls by old ones, as of `_renamed_modes`."""
    before, after = ([c.path for c in x.controls] for x in (was, menu))
    found: dict[str, str] = {}
    for tag, a, b, c, d in SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if tag != "replace" or b - a != d - c:
            continue
        for old, new in zip(was.controls[a:b], menu.controls[c:d], strict=True):
            same = (old.kind, old.minimum, old.maximum, old.choices) == (
                new.kind,
                new.minimum,
                new.maximum,
                new.choices,
            )
            if same and old.path not in menu.by_path and new.path not in was.by_path:
                found[old.path] = new.path
    return found


def _called(db: sqlite3.Connection, setups: list[SetupRow], called: Mapping[ModeKey, str]) -> list[SetupRow]:
    """Setups of modes that are called otherwise, and those that bear the mode's name with them."""
    made = []
    for s in setups:
        name = called.get((s.mode, s.signal))
        if name is None:
            made.append(s)
            continue
        own = name + s.name[len(s.mode) :] if s.shipped and s.name.startswith(s.mode) else s.name
        taken = own != s.name and any(o.name == own for o in setups)
        renamed_row = replace(s, mode=name, name=s.name if taken else own)
        reviews.rename_setup(db, s.id, renamed_row.name, name)
        made.append(renamed_row)
    return made


def _fits(
    db: sqlite3.Connection,
    was: Menu,
    menu: Menu,
    setup: SetupRow,
    answer: Answer,
    moved: Mapping[str, str],
    called: Mapping[ModeKey, str],
) -> list[str]:
    """Check that a setup fits the new menu. Returns, as sentences, the defaults that change under its readings if `answer`
    doesn't say what they were."""
    try:
        mode = menu.mode(setup.mode, setup.signal)
    except MenuError:
        _delete_with_its_mode(db, setup)
        return []
    old = {new: name for (name, signal), new in called.items() if signal == setup.signal}
    before, after = was.defaults(was.mode(old.get(setup.mode, setup.mode), setup.signal)), menu.defaults(mode)
    # A value that was read off the display is what it is, whatever the default is said to be.
    kept = {p: before[p] for p, o in setup.origins.items() if o == "read" and p not in setup.changes and p in before}
    changes = {moved.get(p, p): v for p, v in {**kept, **setup.changes}.items()}
    changes = {p: v for p, v in changes.items() if v != after.get(p)}
    origins = {moved.get(p, p): o for p, o in setup.origins.items()}
    try:
        for path, value in changes.items():
            menu.control(path).check(value)
        menu.order(mode, changes)
    except MenuError as e:
        raise BadInputError("menu", f"The setup {setup.name} could not be kept: {e}.", "controls") from e
    now_is = replace(setup, changes=changes, origins={p: o for p, o in origins.items() if p in changes or o == "read"})
    if now_is != setup:
        reviews.change_setup(db, now_is, None)
    asked = []
    assumed = {p for p in before if p not in setup.changes and setup.origins.get(p) != "read"}
    for path in sorted(assumed & after.keys()):
        if before[path] == after[path] or not menu.control(path).bears or not runs.has_any(db, setup.id):
            continue
        if answer == "ask":
            said = f"{path.split(' > ')[-1]} {text_of(before[path])} → {text_of(after[path])}"
            asked.append(f"{said} in {setup.name}")
        elif answer == "were":
            runs.correct_applied(db, setup.id, path, before[path], after[path])
    return asked


def _delete_with_its_mode(db: sqlite3.Connection, setup: SetupRow) -> None:
    """Delete a setup whose mode is gone. ConflictError if anything belongs to it that would be lost."""
    if runs.has_any(db, setup.id):
        raise ConflictError(
            "menu", f"{setup.name} was measured, so its mode {setup.mode} must stay; delete the setup first."
        )
    made = reviews.belongings(db, setup.id)
    if made or not setup.shipped or setup.changes:
        what = listed([f"{n} {_plural(name, n)}" for name, n in made]) or "changed settings"
        raise ConflictError(
            "menu",
            f"{setup.name} has {what}, which would be lost with its mode {setup.mode}. Nothing was changed. Keep the mode,"
            " or delete the setup first.",
        )
    reviews.delete_setup(db, setup.id)


FIELDS = (
    "kind",
    "minimum",
    "maximum",
    "step",
    "choices",
    "default",
    "place",
    "scope",
    "role",
    "bears",
    "when",
    "locks",
    "resets",
    *WORDS,
)
"""What of a control can be corrected in place."""


def change_control(
    app: Application, review_id: int, unit_id: int | None, path: str, fields: Mapping[str, Any], answer: Answer = "ask"
) -> MenuMap:
    """Correct some of a control's fields; under "path" what it is called. BadInputError names the field; NotFoundError where
    there is no such control; ConflictError as of `change`."""
    shown = sample_of(app, review_id, unit_id)
    if path not in shown.menu.by_path:
        raise NotFoundError("control", f"The menu has no entry {path!r}.")
    menu, new = shown.menu, str(fields.get("path", path)).strip()
    for name in fields:
        if name not in (*FIELDS, "path"):
            raise BadInputError("menu", f"A control has no {name} to be corrected.", name)
    given = {k: v for k, v in fields.items() if k != "path"}
    for name in ("choices", "resets"):
        if name in given:
            given[name] = tuple(given[name])
    if "locks" in given:
        given["locks"] = {v: tuple(paths) for v, paths in given["locks"].items() if paths}
    try:
        if new != path:
            menu = renamed(menu, path, new)
        controls = tuple(replace(c, **given) if c.path == new else c for c in menu.controls)
        menu = Menu(menu.modes, controls, menu.mode_path)
    except MenuError as e:
        place = next((f for f in given if f in str(e)), next(iter(given), "path"))
        raise BadInputError("menu", f"{e}.", place) from e
    return _become(app, review_id, shown, menu, answer, {path: new} if new != path else {})


def take(app: Application, review_id: int, unit_id: int | None, from_unit: int, answer: Answer = "ask") -> MenuMap:
    """Take the menu of another sample, of an earlier review or a sibling model. Errors as of `change`."""
    shown = sample_of(app, review_id, unit_id)
    if from_unit == shown.row.id:
        raise BadInputError("menu", "That is the menu it has already.", "from_unit")
    return _become(app, review_id, shown, display(app, from_unit).menu, answer, another=True)


def take_file(app: Application, review_id: int, unit_id: int | None, text: str, answer: Answer = "ask") -> MenuMap:
    """Take a menu from a file, JSON or a table. BadInputError says where it cannot be read; other errors as of `change`."""
    shown = sample_of(app, review_id, unit_id)
    return _become(app, review_id, shown, _from_file(text, shown.menu.mode_path), answer, another=True)


def _from_file(text: str, mode_path: str) -> Menu:
    """A menu from a file's text; mode_path: where modes are chosen, where the file does not say it."""
    try:
        if not text.lstrip("\ufeff \n\r\t").startswith("{"):
            return menu_from_csv(text, mode_path)
        document = json.loads(text.removeprefix("\ufeff"), object_pairs_hook=once)
        if document.get("format") != "lumenar-menu" or document.get("version") != 1:
            raise BadInputError("menu", "The file is no menu: its format is not lumenar-menu, version 1.", "format")
        menu = menu_from(document)
        for m in menu.modes:
            if resolve(m.target).signal != m.signal:
                raise MenuError(f"the target of {m.name} is not for {m.signal}")
        return menu
    except BadInputError:
        raise
    except json.JSONDecodeError as e:
        raise BadInputError("menu", f"line {e.lineno}, column {e.colno}: {e.msg}", "text") from e
    except (MenuError, DoubledNameError, ValueError) as e:
        raise BadInputError("menu", f"{e}.", "text") from e
    except (KeyError, TypeError, AttributeError, RecursionError) as e:
        raise BadInputError(
            "menu", f"The file is no menu as Lumenar writes it ({type(e).__name__}: {e}).", "text"
        ) from e
