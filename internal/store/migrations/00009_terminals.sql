-- +goose Up
CREATE TABLE terminals ( -- that were opened on devices, for good: what was done must stay known when the device is forgotten
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    device    TEXT NOT NULL,
    user      TEXT NOT NULL,
    opened_at INTEGER NOT NULL,
    ended_at  INTEGER NOT NULL DEFAULT 0, -- 0: it is open, or the service was killed
    why       TEXT NOT NULL DEFAULT '',   -- it ended
    shown     INTEGER NOT NULL DEFAULT 0, -- octets that the device showed
    record    BLOB NOT NULL DEFAULT x''   -- zstd: the first of them
) STRICT;
CREATE INDEX terminals_device ON terminals (device, id);
