-- +goose Up
CREATE TABLE images ( -- firmware in the library; the files lie beside the database, by their checksums
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    maker  TEXT NOT NULL,
    sha256 TEXT NOT NULL UNIQUE, -- of the file
    body   TEXT NOT NULL -- JSON
) STRICT;

CREATE TABLE image_signers ( -- whose signatures are trusted, by maker
    maker  TEXT NOT NULL COLLATE NOCASE,
    signer TEXT NOT NULL, -- fingerprint
    body   TEXT NOT NULL, -- JSON
    PRIMARY KEY (maker, signer)
) STRICT, WITHOUT ROWID;

CREATE TABLE baseline ( -- which firmware a model is to run
    maker TEXT NOT NULL COLLATE NOCASE,
    model TEXT NOT NULL COLLATE NOCASE,
    image INTEGER NOT NULL REFERENCES images (number) ON DELETE RESTRICT,
    body  TEXT NOT NULL, -- JSON
    PRIMARY KEY (maker, model)
) STRICT, WITHOUT ROWID;
