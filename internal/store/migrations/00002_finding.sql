-- +goose Up
ALTER TABLE sites ADD COLUMN particulars TEXT NOT NULL DEFAULT '{}'; -- JSON: code, address, position, ...
ALTER TABLE devices ADD COLUMN particulars TEXT NOT NULL DEFAULT '{}'; -- JSON: place, contact, tags, ...
ALTER TABLE devices ADD COLUMN retired_at INTEGER NOT NULL DEFAULT 0;

CREATE TABLE preferences (
    user  TEXT NOT NULL REFERENCES users (name) ON DELETE CASCADE,
    name  TEXT NOT NULL,
    value TEXT NOT NULL,
    PRIMARY KEY (user, name)
) STRICT, WITHOUT ROWID;
