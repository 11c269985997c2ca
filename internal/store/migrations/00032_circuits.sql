-- +goose Up
CREATE TABLE circuits ( -- lines of providers that lead out of sites, at ports of devices
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    port   TEXT NOT NULL,
    body   TEXT NOT NULL, -- JSON
    PRIMARY KEY (device, port)
) STRICT, WITHOUT ROWID;
