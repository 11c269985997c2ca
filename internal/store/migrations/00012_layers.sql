-- +goose Up
CREATE TABLE templates ( -- what each says, with what it is for and what it picks
    name  TEXT PRIMARY KEY,
    words TEXT NOT NULL -- JSON: by object and setting
) STRICT;
CREATE TABLE site_words (
    site  TEXT PRIMARY KEY REFERENCES sites (name) ON DELETE CASCADE ON UPDATE CASCADE,
    words TEXT NOT NULL
) STRICT;
CREATE TABLE device_words ( -- a device without a row was never read
    device TEXT PRIMARY KEY REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    words  TEXT NOT NULL
) STRICT;

ALTER TABLE devices ADD COLUMN control TEXT NOT NULL DEFAULT ''; -- who changes it: '' this service, else a word of package network
