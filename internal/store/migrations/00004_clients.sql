-- +goose Up
CREATE TABLE clients (
    mac        TEXT PRIMARY KEY,
    device     TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE, -- where it is, or was last
    port       TEXT NOT NULL, -- '' for a wireless one
    ssid       TEXT NOT NULL, -- '' for a wired one
    band       TEXT NOT NULL,
    vlan       INTEGER NOT NULL,
    address    TEXT NOT NULL,
    own_name   TEXT NOT NULL,
    system     TEXT NOT NULL,
    given_name TEXT NOT NULL DEFAULT '',
    first_seen INTEGER NOT NULL,
    last_seen  INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX clients_device ON clients (device, port);
CREATE INDEX clients_seen ON clients (last_seen);
