-- +goose Up
CREATE TABLE sources ( -- what is read of a device in one go
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    kind   TEXT NOT NULL, -- state or inside
    UNIQUE (device, kind)
) STRICT;

CREATE TABLE things ( -- of which readings are kept
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    source INTEGER NOT NULL REFERENCES sources (id) ON DELETE CASCADE,
    part   TEXT NOT NULL,
    name   TEXT NOT NULL,
    UNIQUE (source, part, name)
) STRICT;
CREATE INDEX things_named ON things (part, name);

CREATE TABLE sample_log ( -- of buckets that are not packed yet: one row a reading
    id     INTEGER PRIMARY KEY,
    source INTEGER NOT NULL REFERENCES sources (id) ON DELETE CASCADE,
    bucket INTEGER NOT NULL,
    at     INTEGER NOT NULL, -- milliseconds since 1970, UTC
    layout BLOB,             -- which things, as varints; NULL: those of the row before, against which data is
    data   BLOB NOT NULL
) STRICT;
CREATE INDEX sample_log_source ON sample_log (source, id);
CREATE INDEX sample_log_bucket ON sample_log (bucket, source);

CREATE TABLE sample_chunks ( -- packed columns
    key  INTEGER PRIMARY KEY, -- level, bucket, thing and slot: what is old lies together
    data BLOB NOT NULL
) STRICT;
