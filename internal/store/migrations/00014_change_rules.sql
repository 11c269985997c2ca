-- +goose Up
CREATE TABLE change_rules ( -- when changes are made, and which need a second person
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL -- JSON
) STRICT;
