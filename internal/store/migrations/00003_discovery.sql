-- +goose Up
CREATE TABLE discoveries (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    state  TEXT NOT NULL, -- running, done, cancelled, interrupted
    body   TEXT NOT NULL  -- JSON: what was asked and how far it came
) STRICT;

CREATE TABLE found (
    address  TEXT PRIMARY KEY, -- host:port
    run      INTEGER NOT NULL, -- the discovery that found it last
    user     TEXT NOT NULL,
    secret   BLOB NOT NULL,    -- sealed
    host_key TEXT NOT NULL,
    identity TEXT NOT NULL,    -- JSON
    via      TEXT NOT NULL,    -- which device told of it, and where; "" for one that was asked for
    site     TEXT NOT NULL,    -- the one proposed, or ""
    found_at INTEGER NOT NULL
) STRICT;
