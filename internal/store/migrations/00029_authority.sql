-- +goose Up
CREATE TABLE authority ( -- by which certificates of devices are signed
    one         INTEGER PRIMARY KEY CHECK (one = 1),
    certificate BLOB NOT NULL, -- DER
    key         BLOB NOT NULL  -- sealed
) STRICT;

CREATE TABLE issued ( -- certificates that were signed
    serial      TEXT PRIMARY KEY, -- hexadecimal digits
    device      TEXT NOT NULL,
    name        TEXT NOT NULL,
    by          TEXT NOT NULL,
    at          INTEGER NOT NULL,
    not_after   INTEGER NOT NULL,
    certificate BLOB NOT NULL -- DER
) STRICT;
CREATE INDEX issued_at ON issued (at);
