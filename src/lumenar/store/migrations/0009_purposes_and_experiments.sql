-- What a person wants a display for beyond the purposes that ship: title, meaning, target, weights and core figures.
CREATE TABLE purpose (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    key TEXT NOT NULL UNIQUE,
    document TEXT NOT NULL CHECK (json_valid(document)),
    changed_at TEXT NOT NULL
) STRICT;

-- What was tried to find out about a menu. question: all that it was planned from, so that it is planned the same again.
CREATE TABLE experiment (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    kind TEXT NOT NULL,
    question TEXT NOT NULL CHECK (json_valid(question)),
    meter TEXT NOT NULL CHECK (json_valid(meter)),
    correction_id INTEGER REFERENCES correction (id),
    firmware TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('working', 'waiting', 'paused', 'done', 'stopped')),
    message TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL,
    -- What it found out was written into the menu map.
    applied INTEGER NOT NULL DEFAULT 0 CHECK (applied IN (0, 1))
) STRICT;
CREATE INDEX experiment_of_review ON experiment (review_id);
CREATE INDEX experiment_of_setup ON experiment (setup_id);

CREATE TABLE stage_read (
    experiment_id INTEGER NOT NULL REFERENCES experiment (id) ON DELETE CASCADE,
    number INTEGER NOT NULL CHECK (number >= 0),
    -- XYZ of the stage's patches as read, null under the meter's floor.
    XYZ TEXT NOT NULL CHECK (json_valid(XYZ)),
    -- What the menu showed, what of it could not be set, and what of the acts was refused with the reason.
    stands TEXT NOT NULL CHECK (json_valid(stands)),
    greyed TEXT NOT NULL CHECK (json_valid(greyed)),
    refused TEXT NOT NULL CHECK (json_valid(refused)),
    read_at TEXT NOT NULL,
    PRIMARY KEY (experiment_id, number)
) STRICT;

-- What a person wrote to a setup's recipe: a reason in place of the one that was worked out, a step of their own, a line of text.
CREATE TABLE recipe_note (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('why', 'check', 'only-if', 'choose', 'workaround', 'say')),
    path TEXT NOT NULL DEFAULT '',
    value TEXT NOT NULL DEFAULT '',
    words TEXT NOT NULL,
    -- The firmware with which a workaround is needed.
    until TEXT NOT NULL DEFAULT '',
    changed_at TEXT NOT NULL
) STRICT;
CREATE INDEX recipe_note_of_setup ON recipe_note (setup_id);
CREATE UNIQUE INDEX recipe_note_why ON recipe_note (setup_id, path) WHERE kind = 'why';

-- Values of a tuning entered in another mode: the setup that has them, and the one of that mode it was made from.
CREATE TABLE carried (
    setup_id INTEGER PRIMARY KEY REFERENCES setup (id) ON DELETE CASCADE,
    tuning_id INTEGER NOT NULL REFERENCES tuning (id) ON DELETE CASCADE,
    from_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE
) STRICT;
CREATE INDEX carried_of_tuning ON carried (tuning_id);
CREATE INDEX carried_from ON carried (from_id);
