-- +goose Up
CREATE TABLE claims (
    serial   TEXT PRIMARY KEY,
    name     TEXT NOT NULL UNIQUE,
    site     TEXT NOT NULL REFERENCES sites (name) ON UPDATE CASCADE,
    host_key TEXT NOT NULL DEFAULT '', -- fingerprint of the key by which it will call home; '' until it was told what it is to be
    body     TEXT NOT NULL             -- JSON: everything else
) STRICT;
CREATE UNIQUE INDEX claims_host_key ON claims (host_key) WHERE host_key <> '';

ALTER TABLE devices ADD COLUMN calls_home INTEGER NOT NULL DEFAULT 0;
