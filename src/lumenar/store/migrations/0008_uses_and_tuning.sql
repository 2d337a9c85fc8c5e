-- What a patch is read for is a set of measurements, and thousands of patches share one: it is kept once, not patch by patch.
CREATE TABLE use_set (
    id INTEGER PRIMARY KEY,
    -- Sorted, so that equal sets are one row.
    measurements TEXT NOT NULL UNIQUE CHECK (json_valid(measurements))
) STRICT;

CREATE TABLE use_set_member (
    use_set INTEGER NOT NULL REFERENCES use_set (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    PRIMARY KEY (use_set, measurement)
) STRICT, WITHOUT ROWID;

CREATE TEMP TABLE used AS
    SELECT patch_id, json_group_array(measurement) AS measurements
    FROM (SELECT patch_id, measurement FROM patch_use ORDER BY patch_id, measurement) GROUP BY patch_id;
INSERT INTO use_set (measurements) SELECT DISTINCT measurements FROM used ORDER BY measurements;
INSERT INTO use_set_member SELECT s.id, m.value FROM use_set s CROSS JOIN json_each(s.measurements) m;

-- NULL where no measurement uses it.
ALTER TABLE patch ADD COLUMN use_set INTEGER REFERENCES use_set (id);
UPDATE patch SET use_set = s.id FROM used u JOIN use_set s ON s.measurements = u.measurements WHERE u.patch_id = patch.id;
DROP TABLE used;
DROP TABLE patch_use;

-- The search for better settings of a setup, an attempt at a time.
CREATE TABLE tuning (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    -- What is tuned, as it was when it began: its mode and all values by path.
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    begun TEXT NOT NULL CHECK (json_valid(begun)),
    goals TEXT NOT NULL CHECK (json_array_length(goals) > 0),
    target TEXT NOT NULL,
    luminance REAL CHECK (luminance > 0),
    ladder TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(ladder)),
    meter TEXT NOT NULL CHECK (json_valid(meter)),
    correction_id INTEGER REFERENCES correction (id),
    firmware TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('working', 'waiting', 'paused', 'found', 'stopped', 'kept')),
    message TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL,
    -- The setup that its result was kept as.
    result_id INTEGER REFERENCES setup (id) ON DELETE SET NULL
) STRICT;
CREATE INDEX tuning_of_review ON tuning (review_id);
CREATE INDEX tuning_of_setup ON tuning (setup_id);
CREATE INDEX tuning_result ON tuning (result_id);

CREATE TABLE attempt (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tuning_id INTEGER NOT NULL REFERENCES tuning (id) ON DELETE CASCADE,
    number INTEGER NOT NULL CHECK (number > 0),
    goal TEXT NOT NULL,
    stage TEXT NOT NULL,
    why TEXT NOT NULL,
    -- Of the goal's controls what stood there, and what the proposal wanted where that was something else.
    entered TEXT NOT NULL CHECK (json_valid(entered)),
    proposed TEXT CHECK (proposed IS NULL OR json_valid(proposed)),
    -- Signals of the patches, and XYZ as read, null under the meter's floor.
    patches TEXT NOT NULL CHECK (json_array_length(patches) > 0),
    XYZ TEXT NOT NULL CHECK (json_array_length(XYZ) = json_array_length(patches)),
    expected REAL,
    read_at TEXT NOT NULL,
    at_s REAL NOT NULL CHECK (at_s >= 0),
    -- Gone back from: it no longer counts, and is kept.
    dropped INTEGER NOT NULL DEFAULT 0 CHECK (dropped IN (0, 1)),
    UNIQUE (tuning_id, number)
) STRICT;

-- Of a stand-in it is known which channel and which end a control of white is for.
UPDATE menu SET document = with_channels(
    document, (SELECT s.file FROM stand_in s JOIN unit u ON u.id = s.unit_id WHERE u.menu_id = menu.id ORDER BY u.id LIMIT 1)
) WHERE id IN (SELECT u.menu_id FROM unit u JOIN stand_in s ON s.unit_id = u.id);

-- A recipe entered literally after a factory reset, and what was read then.
CREATE TABLE replay (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    -- On which sample: another one tells how far the recipe carries.
    unit_id INTEGER NOT NULL REFERENCES unit (id) ON DELETE CASCADE,
    steps TEXT NOT NULL CHECK (json_array_length(steps) > 0),
    firmware TEXT NOT NULL,
    meter TEXT NOT NULL CHECK (json_valid(meter)),
    correction_id INTEGER REFERENCES correction (id),
    state TEXT NOT NULL CHECK (state IN ('working', 'waiting', 'done', 'failed', 'stopped')),
    message TEXT NOT NULL DEFAULT '',
    -- Signals of the proof and XYZ as read, null under the meter's floor.
    patches TEXT NOT NULL CHECK (json_array_length(patches) > 0),
    XYZ TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(XYZ)),
    created_at TEXT NOT NULL,
    at_s REAL NOT NULL DEFAULT 0 CHECK (at_s >= 0)
) STRICT;
CREATE INDEX replay_of_setup ON replay (setup_id);
CREATE INDEX replay_of_review ON replay (review_id);
CREATE INDEX replay_of_unit ON replay (unit_id);
