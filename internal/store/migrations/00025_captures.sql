-- +goose Up
CREATE TABLE captures ( -- files of frames that devices captured
    operation INTEGER PRIMARY KEY REFERENCES operations (number) ON DELETE CASCADE,
    octets    INTEGER NOT NULL,
    file      BLOB NOT NULL -- pcapng, as the device gave it
) STRICT;
