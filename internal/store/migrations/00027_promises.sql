-- +goose Up
CREATE TABLE promises ( -- what must always, or must never, reach what
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL -- JSON
) STRICT;
