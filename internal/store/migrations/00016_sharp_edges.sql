-- +goose Up
-- A token made with another ends with it.
ALTER TABLE tokens ADD COLUMN parent INTEGER REFERENCES tokens (id) ON DELETE CASCADE;
CREATE INDEX tokens_parent ON tokens (parent);

-- Where a browser signed in, and when it was last heard of.
ALTER TABLE sessions ADD COLUMN made_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN seen_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE sessions ADD COLUMN agent TEXT NOT NULL DEFAULT '';
UPDATE sessions SET made_at = unixepoch() * 1000000, seen_at = unixepoch() * 1000000;

-- Events that somebody took over from elsewhere have numbers below 0, and say who did.
ALTER TABLE events ADD COLUMN imported_by TEXT NOT NULL DEFAULT '';

-- Something sealed, by which the key is known again.
CREATE TABLE key_check (
    one    INTEGER PRIMARY KEY CHECK (one = 1),
    sealed BLOB NOT NULL
) STRICT;

-- What is written to find out whether writing works.
CREATE TABLE alive (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    at  INTEGER NOT NULL
) STRICT;

-- Devices are enrolled.
ALTER TABLE devices RENAME COLUMN adopted_at TO enrolled_at;
ALTER TABLE devices RENAME COLUMN adopted_by TO enrolled_by;
