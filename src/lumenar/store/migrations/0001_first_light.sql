-- Reviews, their units and setups; runs with planned patches and committed readings; editions.
CREATE TABLE review (
    id INTEGER PRIMARY KEY,
    created_at TEXT NOT NULL
) STRICT;

CREATE TABLE unit (
    id INTEGER PRIMARY KEY,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    maker TEXT NOT NULL CHECK (length(maker) > 0),
    model TEXT NOT NULL CHECK (length(model) > 0),
    serial TEXT NOT NULL,
    sample TEXT NOT NULL,
    firmware TEXT NOT NULL,
    panel TEXT NOT NULL CHECK (panel IN ('lcd', 'oled', 'projector', 'other')),
    file TEXT NOT NULL CHECK (json_valid(file))
) STRICT;
CREATE INDEX unit_by_review ON unit (review_id);

CREATE TABLE setup (
    id INTEGER PRIMARY KEY,
    unit_id INTEGER NOT NULL REFERENCES unit (id) ON DELETE CASCADE,
    position INTEGER NOT NULL CHECK (position >= 0),
    name TEXT NOT NULL,
    mode TEXT NOT NULL,
    signal TEXT NOT NULL CHECK (signal IN ('sdr', 'pq', 'hlg')),
    target TEXT NOT NULL,
    changes TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(changes)),
    UNIQUE (unit_id, name),
    UNIQUE (unit_id, position)
) STRICT;

CREATE TABLE run (
    id INTEGER PRIMARY KEY,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    state TEXT NOT NULL CHECK (state IN ('queued', 'running', 'paused', 'stopped', 'done')),
    message TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL,
    meter TEXT NOT NULL CHECK (json_valid(meter))
) STRICT;
CREATE INDEX run_by_review ON run (review_id);

CREATE TABLE run_cell (
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    patches INTEGER NOT NULL CHECK (patches > 0),
    readings INTEGER NOT NULL DEFAULT 0 CHECK (readings BETWEEN 0 AND patches),
    PRIMARY KEY (run_id, setup_id, measurement)
) STRICT, WITHOUT ROWID;
CREATE INDEX run_cell_by_setup ON run_cell (setup_id, measurement);

CREATE TABLE patch (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    position INTEGER NOT NULL CHECK (position >= 0),
    r REAL NOT NULL CHECK (r BETWEEN -0.1 AND 1.1),
    g REAL NOT NULL CHECK (g BETWEEN -0.1 AND 1.1),
    b REAL NOT NULL CHECK (b BETWEEN -0.1 AND 1.1),
    window REAL NOT NULL CHECK (window > 0 AND window <= 1),
    background REAL NOT NULL CHECK (background BETWEEN 0 AND 1),
    level REAL,
    expected_s REAL NOT NULL CHECK (expected_s >= 0),
    UNIQUE (run_id, position)
) STRICT;

CREATE TABLE patch_use (
    patch_id INTEGER NOT NULL REFERENCES patch (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    PRIMARY KEY (patch_id, measurement)
) STRICT, WITHOUT ROWID;

CREATE TABLE reading (
    id INTEGER PRIMARY KEY,
    patch_id INTEGER NOT NULL UNIQUE REFERENCES patch (id) ON DELETE CASCADE,
    outcome TEXT NOT NULL CHECK (outcome IN ('ok', 'below_floor', 'saturated')),
    X REAL, Y REAL, Z REAL,
    exposure_s REAL,
    at_s REAL NOT NULL CHECK (at_s >= 0),
    read_at TEXT NOT NULL,
    -- A failed reading never becomes a number.
    CHECK ((outcome = 'ok') = (X IS NOT NULL AND Y IS NOT NULL AND Z IS NOT NULL))
) STRICT;

CREATE TABLE edition (
    id INTEGER PRIMARY KEY,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    number INTEGER NOT NULL CHECK (number > 0),
    published_at TEXT NOT NULL,
    folder TEXT NOT NULL UNIQUE,
    summary TEXT NOT NULL CHECK (json_valid(summary)),
    UNIQUE (review_id, number)
) STRICT;
