-- The whole SDR bench: patches with a place, a pattern, a time or an instrument; readings again; traces; what a run was
-- made with; corrections. Meters read raw; a correction applies on the way in.
CREATE TABLE correction (
    id INTEGER PRIMARY KEY,
    panel TEXT NOT NULL CHECK (panel IN ('lcd', 'oled', 'projector', 'other')),
    meter TEXT NOT NULL,
    reference TEXT NOT NULL,
    made_on TEXT NOT NULL,
    made_at TEXT NOT NULL,
    matrix TEXT NOT NULL CHECK (json_array_length(matrix) = 3),
    residual TEXT NOT NULL CHECK (json_valid(residual))
) STRICT;

ALTER TABLE patch ADD COLUMN zone TEXT CHECK (zone IS NULL OR json_array_length(zone) = 4);
ALTER TABLE patch ADD COLUMN pattern TEXT NOT NULL DEFAULT 'window'
    CHECK (pattern IN ('window', 'checker', 'checker_inverse'));
ALTER TABLE patch ADD COLUMN at_s REAL CHECK (at_s IS NULL OR at_s >= 0);
ALTER TABLE patch ADD COLUMN repeat INTEGER NOT NULL DEFAULT 0 CHECK (repeat >= 0);
ALTER TABLE patch ADD COLUMN reads TEXT NOT NULL DEFAULT 'XYZ' CHECK (reads IN ('XYZ', 'waveform', 'spectrum'));

CREATE INDEX patch_by_setup ON patch (run_id, setup_id, position);

ALTER TABLE run ADD COLUMN unit_id INTEGER REFERENCES unit (id) ON DELETE CASCADE;
ALTER TABLE run ADD COLUMN habits TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(habits));
ALTER TABLE run ADD COLUMN correction_id INTEGER REFERENCES correction (id);
ALTER TABLE run ADD COLUMN warm_up INTEGER NOT NULL DEFAULT 0 CHECK (warm_up IN (0, 1));
ALTER TABLE run ADD COLUMN warm INTEGER NOT NULL DEFAULT 0 CHECK (warm IN (0, 1));
UPDATE run SET unit_id = (SELECT min(id) FROM unit WHERE unit.review_id = run.review_id);

-- What a setup was when a run measured it.
CREATE TABLE run_setup (
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    settings TEXT NOT NULL CHECK (json_valid(settings)),
    firmware TEXT NOT NULL,
    signature TEXT CHECK (signature IS NULL OR json_array_length(signature) = 3),
    changed INTEGER NOT NULL DEFAULT 0 CHECK (changed IN (0, 1)),
    PRIMARY KEY (run_id, setup_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX run_setup_by_setup ON run_setup (setup_id, run_id);
INSERT INTO run_setup (run_id, setup_id, settings, firmware)
    SELECT DISTINCT c.run_id, c.setup_id, s.changes, u.firmware
    FROM run_cell c JOIN setup s ON s.id = c.setup_id JOIN unit u ON u.id = s.unit_id;

-- A reading that its neighbours contradict is read again; all attempts are kept.
CREATE TABLE reading_2 (
    id INTEGER PRIMARY KEY,
    patch_id INTEGER NOT NULL REFERENCES patch (id) ON DELETE CASCADE,
    attempt INTEGER NOT NULL DEFAULT 1 CHECK (attempt >= 1),
    outcome TEXT NOT NULL CHECK (outcome IN ('ok', 'below_floor', 'saturated')),
    X REAL, Y REAL, Z REAL,
    exposure_s REAL,
    at_s REAL NOT NULL CHECK (at_s >= 0),
    read_at TEXT NOT NULL,
    UNIQUE (patch_id, attempt),
    -- A failed reading never becomes a number.
    CHECK ((outcome = 'ok') = (X IS NOT NULL AND Y IS NOT NULL AND Z IS NOT NULL))
) STRICT;
INSERT INTO reading_2 (id, patch_id, outcome, X, Y, Z, exposure_s, at_s, read_at)
    SELECT id, patch_id, outcome, X, Y, Z, exposure_s, at_s, read_at FROM reading;
DROP TABLE reading;
ALTER TABLE reading_2 RENAME TO reading;

-- Waveforms and spectra: samples are little-endian 64-bit floats.
CREATE TABLE trace (
    reading_id INTEGER PRIMARY KEY REFERENCES reading (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('waveform', 'spectrum')),
    start REAL NOT NULL,
    step REAL NOT NULL CHECK (step > 0),
    samples BLOB NOT NULL CHECK (length(samples) % 8 = 0)
) STRICT;

-- Readings that watch the bench rather than serve a measurement.
CREATE TABLE watch (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('reference', 'warm_up', 'signature')),
    at_s REAL NOT NULL CHECK (at_s >= 0),
    X REAL NOT NULL, Y REAL NOT NULL, Z REAL NOT NULL
) STRICT;
CREATE INDEX watch_by_run ON watch (run_id, setup_id);

-- Figures that were computed once: they follow from readings that never change, and are thrown away when their
-- computation changes (version).
CREATE TABLE computed (
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    target TEXT NOT NULL,
    version TEXT NOT NULL,
    analysis TEXT NOT NULL CHECK (json_valid(analysis)),
    PRIMARY KEY (run_id, setup_id, measurement, target)
) STRICT, WITHOUT ROWID;
