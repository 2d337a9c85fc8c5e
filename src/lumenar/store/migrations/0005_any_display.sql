-- A display is what a reviewer knows of it: identity, size, signal and a menu. How a stand-in makes light is a thing of its
-- own. A run by hand waits for a person rather than for the bench.
CREATE TABLE menu (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    -- Modes and controls (core/menu.py); what one display's menu is, equal samples share.
    document TEXT NOT NULL CHECK (json_type(document, '$.modes') IS 'array' AND json_type(document, '$.controls') IS 'array')
) STRICT;
INSERT INTO menu (document) SELECT DISTINCT menu_of_unit_file(file) FROM unit ORDER BY id;

-- What a menu was before it was changed, the newest last.
CREATE TABLE menu_change (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    menu_id INTEGER NOT NULL REFERENCES menu (id) ON DELETE CASCADE,
    changed_at TEXT NOT NULL,
    document TEXT NOT NULL CHECK (json_valid(document))
) STRICT;
CREATE INDEX menu_change_by_menu ON menu_change (menu_id);

CREATE TABLE stand_in (
    unit_id INTEGER PRIMARY KEY REFERENCES unit (id) ON DELETE CASCADE,
    file TEXT NOT NULL CHECK (json_valid(file))
) STRICT;

CREATE TABLE unit_5 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    menu_id INTEGER NOT NULL REFERENCES menu (id),
    maker TEXT NOT NULL CHECK (length(maker) > 0),
    model TEXT NOT NULL CHECK (length(model) > 0),
    serial TEXT NOT NULL,
    sample TEXT NOT NULL,
    firmware TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('monitor', 'television', 'projector', 'phone', 'laptop')),
    panel TEXT NOT NULL CHECK (panel IN ('lcd', 'oled', 'projector', 'other')),
    about TEXT NOT NULL DEFAULT '',
    size_inch REAL CHECK (size_inch > 0),
    width_px INTEGER CHECK (width_px > 0),
    height_px INTEGER CHECK (height_px > 0),
    -- How patches reach it; PQ and HLG get signals of their own.
    bits INTEGER NOT NULL CHECK (bits BETWEEN 6 AND 16),
    signal_range TEXT NOT NULL CHECK (signal_range IN ('full', 'limited'))
) STRICT;
INSERT INTO unit_5
    SELECT u.id, u.review_id, m.id, u.maker, u.model, u.serial, u.sample, u.firmware, u.file->>'$.kind', u.panel,
        coalesce(u.file->>'$.about', ''), u.file->>'$.size_inch', u.file->>'$.pixels[0]', u.file->>'$.pixels[1]',
        coalesce(u.file->>'$.light.input_bits', 8), coalesce(u.file->>'$.signal_range', 'full')
    FROM unit u JOIN menu m ON m.document = menu_of_unit_file(u.file);
INSERT INTO stand_in SELECT id, file FROM unit;
-- Numbers of what was deleted stay used.
DELETE FROM sqlite_sequence WHERE name = 'unit_5';
INSERT INTO sqlite_sequence (name, seq) SELECT 'unit_5', seq FROM sqlite_sequence WHERE name = 'unit';
DROP TABLE unit;
ALTER TABLE unit_5 RENAME TO unit;
CREATE INDEX unit_by_review ON unit (review_id);
CREATE INDEX unit_by_menu ON unit (menu_id);

CREATE TABLE run_5 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    unit_id INTEGER NOT NULL REFERENCES unit (id) ON DELETE CASCADE,
    -- waiting: a person reads it by hand, whenever they like.
    state TEXT NOT NULL CHECK (state IN ('queued', 'running', 'paused', 'waiting', 'stopped', 'done')),
    message TEXT NOT NULL DEFAULT '',
    created_at TEXT NOT NULL,
    meters TEXT NOT NULL CHECK (json_type(meters) = 'object'),
    condition TEXT CHECK (condition IS NULL OR json_valid(condition)),
    habits TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(habits)),
    correction_id INTEGER REFERENCES correction (id),
    warm_up INTEGER NOT NULL DEFAULT 0 CHECK (warm_up IN (0, 1)),
    -- NULL where nobody says, as of what came in a file.
    warm INTEGER DEFAULT 0 CHECK (warm IN (0, 1))
) STRICT;
INSERT INTO run_5
    SELECT id, review_id, unit_id, state, message, created_at, meters, condition, habits, correction_id, warm_up, warm FROM run;
-- Numbers of what was deleted stay used.
DELETE FROM sqlite_sequence WHERE name = 'run_5';
INSERT INTO sqlite_sequence (name, seq) SELECT 'run_5', seq FROM sqlite_sequence WHERE name = 'run';
DROP TABLE run;
ALTER TABLE run_5 RENAME TO run;
CREATE INDEX run_by_review ON run (review_id);
CREATE INDEX run_by_unit ON run (unit_id);
