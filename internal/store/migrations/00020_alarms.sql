-- +goose Up
CREATE TABLE alarms (
    number     INTEGER PRIMARY KEY AUTOINCREMENT,
    device     TEXT REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE, -- that it is of; NULL: of the service itself
    raised_at  INTEGER NOT NULL,
    cleared_at INTEGER NOT NULL DEFAULT 0, -- 0: it stands
    closed     INTEGER NOT NULL DEFAULT 0, -- 1: by hand
    cause      INTEGER NOT NULL DEFAULT 0, -- the alarm that it follows from
    severity   INTEGER NOT NULL,           -- 0 the worst
    body       TEXT NOT NULL -- JSON
) STRICT;
CREATE INDEX alarms_cleared ON alarms (cleared_at);
CREATE INDEX alarms_device ON alarms (device, number);
CREATE INDEX alarms_cause ON alarms (cause) WHERE cause > 0;
