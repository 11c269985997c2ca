-- +goose Up
CREATE TABLE sites (
    name  TEXT PRIMARY KEY,
    title TEXT NOT NULL,
    entry TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TABLE devices (
    name       TEXT PRIMARY KEY,
    site       TEXT NOT NULL REFERENCES sites (name),
    address    TEXT NOT NULL UNIQUE,
    user       TEXT NOT NULL,
    secret     BLOB NOT NULL, -- sealed
    host_key   TEXT NOT NULL,
    identity   TEXT NOT NULL, -- JSON
    adopted_at INTEGER NOT NULL, -- all times: microseconds since 1970, UTC
    adopted_by TEXT NOT NULL,
    seen_at    INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX devices_site ON devices (site);
CREATE UNIQUE INDEX devices_serial ON devices (json_extract(identity, '$.serial'));

CREATE TABLE ports (
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE,
    port   TEXT NOT NULL,
    config TEXT NOT NULL, -- JSON
    state  TEXT NOT NULL, -- JSON, as last seen
    PRIMARY KEY (device, port)
) STRICT, WITHOUT ROWID;

CREATE TABLE documents (
    hash    BLOB PRIMARY KEY, -- SHA-256 of the content
    content BLOB NOT NULL     -- zstd
) STRICT;

CREATE TABLE snapshots (
    id       INTEGER PRIMARY KEY,
    device   TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE,
    taken_at INTEGER NOT NULL,
    config   TEXT NOT NULL, -- JSON: as the product models it
    document BLOB NOT NULL REFERENCES documents (hash)
) STRICT;
CREATE INDEX snapshots_device ON snapshots (device, taken_at);

CREATE TABLE changes (
    number     INTEGER PRIMARY KEY AUTOINCREMENT,
    state      TEXT NOT NULL,
    body       TEXT NOT NULL, -- JSON: everything else
    created_at INTEGER NOT NULL,
    updated_at INTEGER NOT NULL
) STRICT;
CREATE INDEX changes_state ON changes (state);

CREATE TABLE change_devices (
    number INTEGER NOT NULL REFERENCES changes (number) ON DELETE CASCADE,
    device TEXT NOT NULL,
    step   TEXT NOT NULL,
    body   TEXT NOT NULL, -- JSON: token, configurations before and after, what the device said
    PRIMARY KEY (number, device)
) STRICT, WITHOUT ROWID;
CREATE INDEX change_devices_device ON change_devices (device);

CREATE TABLE users (
    name       TEXT PRIMARY KEY,
    full_name  TEXT NOT NULL,
    role       TEXT NOT NULL,
    password   TEXT NOT NULL, -- argon2id in PHC form
    created_at INTEGER NOT NULL
) STRICT;

CREATE TABLE sessions (
    hash       BLOB PRIMARY KEY, -- SHA-256 of what the browser holds
    user       TEXT NOT NULL REFERENCES users (name) ON DELETE CASCADE,
    csrf       TEXT NOT NULL,
    expires_at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE tokens (
    id         INTEGER PRIMARY KEY,
    hash       BLOB NOT NULL UNIQUE, -- SHA-256 of the token
    user       TEXT NOT NULL REFERENCES users (name) ON DELETE CASCADE,
    label      TEXT NOT NULL,
    read_only  INTEGER NOT NULL,
    created_at INTEGER NOT NULL,
    expires_at INTEGER NOT NULL
) STRICT;

CREATE TABLE audit (
    id     INTEGER PRIMARY KEY,
    at     INTEGER NOT NULL,
    user   TEXT NOT NULL,
    action TEXT NOT NULL,
    object TEXT NOT NULL,
    detail TEXT NOT NULL
) STRICT;
CREATE INDEX audit_at ON audit (at);

CREATE TABLE events (
    id     INTEGER PRIMARY KEY,
    at     INTEGER NOT NULL,
    kind   TEXT NOT NULL,
    device TEXT NOT NULL,
    port   TEXT NOT NULL,
    text   TEXT NOT NULL
) STRICT;
CREATE INDEX events_at ON events (at);
CREATE INDEX events_device ON events (device, at);
