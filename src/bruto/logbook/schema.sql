-- The logbook, version 1: one row for each measured shot, and what is said of a shoot. Times are ISO 8601 without a
-- zone, as phones write them; lengths in the units that the names say; light in shares of saturation.
CREATE TABLE shot (
    id INTEGER PRIMARY KEY,
    key TEXT NOT NULL UNIQUE,
    shoot TEXT NOT NULL DEFAULT '',
    name TEXT NOT NULL DEFAULT '',
    taken TEXT NOT NULL DEFAULT '',
    make TEXT NOT NULL DEFAULT '',
    model TEXT NOT NULL DEFAULT '',
    focal_mm REAL,
    focal_35mm REAL,
    f_number REAL,
    kind TEXT NOT NULL DEFAULT '',
    width INTEGER,
    height INTEGER,
    iso REAL,
    exposure_s REAL,
    noise_a REAL,
    noise_b REAL,
    noise_error REAL,
    headroom_ev REAL,
    viewfinder_ev REAL,
    program TEXT NOT NULL DEFAULT '',
    blur_px REAL,
    blur_deg REAL,
    held TEXT NOT NULL DEFAULT '',
    sharpness REAL,
    place TEXT NOT NULL DEFAULT '',
    darkness REAL,
    gear TEXT NOT NULL DEFAULT '',
    verdict TEXT NOT NULL DEFAULT '',
    picked TEXT NOT NULL DEFAULT '',
    recipe TEXT NOT NULL DEFAULT '',
    bytes INTEGER,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX shot_taken ON shot (taken, id);
CREATE INDEX shot_shoot ON shot (shoot, taken, id, verdict, bytes);
CREATE INDEX shot_phone ON shot (model, taken, id);
CREATE INDEX shot_iso ON shot (model, iso, taken, id);
CREATE INDEX shot_place ON shot (place, taken, id);
CREATE TABLE shoot (
    name TEXT PRIMARY KEY,
    note TEXT NOT NULL DEFAULT '',
    battery_from REAL,
    battery_to REAL,
    battery_hours REAL
) STRICT;
