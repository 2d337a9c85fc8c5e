-- Numbers are never used again: what is cached or lies in a folder under the number of a deleted thing can't become
-- another's. What a mode ships with is a column, not a name. A run says all its meters, its room and what it applied. Rows
-- carry a checksum. An edition's number is taken before its folder is made. Editions outlive their review.
CREATE TABLE review_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    created_at TEXT NOT NULL
) STRICT;
INSERT INTO review_4 SELECT id, created_at FROM review;
DROP TABLE review;
ALTER TABLE review_4 RENAME TO review;

CREATE TABLE unit_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    maker TEXT NOT NULL CHECK (length(maker) > 0),
    model TEXT NOT NULL CHECK (length(model) > 0),
    serial TEXT NOT NULL,
    sample TEXT NOT NULL,
    firmware TEXT NOT NULL,
    panel TEXT NOT NULL CHECK (panel IN ('lcd', 'oled', 'projector', 'other')),
    file TEXT NOT NULL CHECK (json_valid(file))
) STRICT;
INSERT INTO unit_4 SELECT id, review_id, maker, model, serial, sample, firmware, panel, file FROM unit;

CREATE TABLE setup_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    unit_id INTEGER NOT NULL REFERENCES unit (id) ON DELETE CASCADE,
    position INTEGER NOT NULL CHECK (position >= 0),
    name TEXT NOT NULL,
    mode TEXT NOT NULL,
    shipped INTEGER NOT NULL CHECK (shipped IN (0, 1)),
    signal TEXT NOT NULL CHECK (signal IN ('sdr', 'pq', 'hlg')),
    target TEXT NOT NULL,
    changes TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(changes)),
    UNIQUE (unit_id, name),
    UNIQUE (unit_id, position)
) STRICT;
INSERT INTO setup_4
    SELECT s.id, s.unit_id, s.position, s.name, s.mode,
        s.name = s.mode OR s.name = s.mode || ' (sample ' || u.sample || ')', s.signal, s.target, s.changes
    FROM setup s JOIN unit u ON u.id = s.unit_id;
DROP TABLE setup;
ALTER TABLE setup_4 RENAME TO setup;
CREATE UNIQUE INDEX setup_shipped ON setup (unit_id, mode) WHERE shipped = 1;
DROP TABLE unit;
ALTER TABLE unit_4 RENAME TO unit;
CREATE INDEX unit_by_review ON unit (review_id);

CREATE TABLE correction_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    panel TEXT NOT NULL CHECK (panel IN ('lcd', 'oled', 'projector', 'other')),
    meter TEXT NOT NULL,
    reference TEXT NOT NULL,
    made_on TEXT NOT NULL,
    made_at TEXT NOT NULL,
    matrix TEXT NOT NULL CHECK (json_array_length(matrix) = 3),
    residual TEXT NOT NULL CHECK (json_valid(residual)),
    -- Both meters' series as read, from which the correction's uncertainty is drawn; NULL for one older than that.
    series TEXT CHECK (series IS NULL OR json_valid(series))
) STRICT;
INSERT INTO correction_4 SELECT id, panel, meter, reference, made_on, made_at, matrix, residual, NULL FROM correction;
DROP TABLE correction;
ALTER TABLE correction_4 RENAME TO correction;

CREATE TABLE run_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    unit_id INTEGER NOT NULL REFERENCES unit (id) ON DELETE CASCADE,
    state TEXT NOT NULL CHECK (state IN ('queued', 'running', 'paused', 'stopped', 'done')),
    message TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL,
    -- By what they read (XYZ, spectrum, waveform) the meters that the run was made with.
    meters TEXT NOT NULL CHECK (json_type(meters) = 'object'),
    -- The room's light as it was recorded; NULL where nobody did.
    condition TEXT CHECK (condition IS NULL OR json_valid(condition)),
    habits TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(habits)),
    correction_id INTEGER REFERENCES correction (id),
    warm_up INTEGER NOT NULL DEFAULT 0 CHECK (warm_up IN (0, 1)),
    warm INTEGER NOT NULL DEFAULT 0 CHECK (warm IN (0, 1))
) STRICT;
INSERT INTO run_4
    SELECT id, review_id, unit_id, state, message, created_at, json_object('XYZ', json(meter)), NULL, habits, correction_id,
        warm_up, warm
    FROM run WHERE unit_id IS NOT NULL;
DROP TABLE run;
ALTER TABLE run_4 RENAME TO run;
CREATE INDEX run_by_review ON run (review_id);
CREATE INDEX run_by_unit ON run (unit_id);

-- All values that were applied, not only those that differ from default; NULL where a run is older than that.
ALTER TABLE run_setup ADD COLUMN applied TEXT CHECK (applied IS NULL OR json_valid(applied));

CREATE TABLE patch_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
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
    zone TEXT CHECK (zone IS NULL OR json_array_length(zone) = 4),
    pattern TEXT NOT NULL DEFAULT 'window' CHECK (pattern IN ('window', 'checker', 'checker_inverse')),
    at_s REAL CHECK (at_s IS NULL OR at_s >= 0),
    repeat INTEGER NOT NULL DEFAULT 0 CHECK (repeat >= 0),
    reads TEXT NOT NULL DEFAULT 'XYZ' CHECK (reads IN ('XYZ', 'waveform', 'spectrum')),
    UNIQUE (run_id, position)
) STRICT;
INSERT INTO patch_4
    SELECT id, run_id, setup_id, position, r, g, b, window, background, level, expected_s, zone, pattern, at_s, repeat, reads
    FROM patch;
DROP TABLE patch;
ALTER TABLE patch_4 RENAME TO patch;
CREATE INDEX patch_by_setup ON patch (run_id, setup_id, position);
CREATE INDEX patch_of_setup ON patch (setup_id);

CREATE TABLE reading_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    patch_id INTEGER NOT NULL REFERENCES patch (id) ON DELETE CASCADE,
    attempt INTEGER NOT NULL DEFAULT 1 CHECK (attempt >= 1),
    outcome TEXT NOT NULL CHECK (outcome IN ('ok', 'below_floor', 'saturated')),
    X REAL, Y REAL, Z REAL,
    exposure_s REAL,
    at_s REAL NOT NULL CHECK (at_s >= 0),
    read_at TEXT NOT NULL,
    checksum INTEGER NOT NULL,
    UNIQUE (patch_id, attempt),
    -- A failed reading never becomes a number.
    CHECK ((outcome = 'ok') = (X IS NOT NULL AND Y IS NOT NULL AND Z IS NOT NULL))
) STRICT;
INSERT INTO reading_4
    SELECT id, patch_id, attempt, outcome, X, Y, Z, exposure_s, at_s, read_at, reading_sum(patch_id, X, Y, Z, at_s)
    FROM reading;
DROP TABLE reading;
ALTER TABLE reading_4 RENAME TO reading;

CREATE TABLE trace_4 (
    reading_id INTEGER PRIMARY KEY REFERENCES reading (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('waveform', 'spectrum')),
    start REAL NOT NULL,
    step REAL NOT NULL CHECK (step > 0),
    samples BLOB NOT NULL CHECK (length(samples) % 8 = 0),
    checksum INTEGER NOT NULL
) STRICT;
INSERT INTO trace_4 SELECT reading_id, kind, start, step, samples, bytes_sum(samples) FROM trace;
DROP TABLE trace;
ALTER TABLE trace_4 RENAME TO trace;

CREATE TABLE watch_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('reference', 'warm_up', 'signature')),
    at_s REAL NOT NULL CHECK (at_s >= 0),
    X REAL NOT NULL, Y REAL NOT NULL, Z REAL NOT NULL
) STRICT;
INSERT INTO watch_4 SELECT id, run_id, setup_id, kind, at_s, X, Y, Z FROM watch;
DROP TABLE watch;
ALTER TABLE watch_4 RENAME TO watch;
CREATE INDEX watch_by_run ON watch (run_id, setup_id);
CREATE INDEX watch_of_setup ON watch (setup_id);

-- Figures follow from readings, so they are computed anew rather than carried over.
DROP TABLE computed;
CREATE TABLE computed (
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    target TEXT NOT NULL,
    version TEXT NOT NULL,
    analysis TEXT NOT NULL,
    checksum INTEGER NOT NULL,
    PRIMARY KEY (run_id, setup_id, measurement, target)
) STRICT, WITHOUT ROWID;
CREATE INDEX computed_of_setup ON computed (setup_id);

CREATE TABLE edition_4 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER REFERENCES review (id) ON DELETE SET NULL,
    number INTEGER NOT NULL CHECK (number > 0),
    state TEXT NOT NULL CHECK (state IN ('making', 'published')),
    published_at TEXT NOT NULL,
    folder TEXT NOT NULL UNIQUE,
    summary TEXT NOT NULL CHECK (json_valid(summary)),
    UNIQUE (review_id, number)
) STRICT;
INSERT INTO edition_4 SELECT id, review_id, number, 'published', published_at, folder, summary FROM edition;
DROP TABLE edition;
ALTER TABLE edition_4 RENAME TO edition;
