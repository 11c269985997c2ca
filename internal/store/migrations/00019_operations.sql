-- +goose Up
CREATE TABLE operations ( -- what devices were asked to do, for good or until there are too many of a device
    number     INTEGER PRIMARY KEY AUTOINCREMENT,
    device     TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    kind       TEXT NOT NULL,
    by_user    TEXT NOT NULL,
    state      TEXT NOT NULL,
    started_at INTEGER NOT NULL,
    ended_at   INTEGER NOT NULL DEFAULT 0, -- 0: it goes on
    body       TEXT NOT NULL -- JSON: what was said of it, and what came back
) STRICT;
CREATE INDEX operations_device ON operations (device, number);
CREATE INDEX operations_open ON operations (ended_at) WHERE ended_at = 0;
