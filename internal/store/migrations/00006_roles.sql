-- +goose Up
CREATE TABLE roles (
    name  TEXT PRIMARY KEY,
    title TEXT NOT NULL,
    rules TEXT NOT NULL -- JSON
) STRICT;

ALTER TABLE users ADD COLUMN only_where TEXT NOT NULL DEFAULT ''; -- a selector to which the person is confined

CREATE TABLE groups (
    name      TEXT PRIMARY KEY,
    title     TEXT NOT NULL,
    pick      TEXT NOT NULL,            -- a selector, or '' for a group picked by hand
    owner     TEXT NOT NULL
) STRICT;

CREATE TABLE group_members (
    name   TEXT NOT NULL REFERENCES groups (name) ON DELETE CASCADE ON UPDATE CASCADE,
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    PRIMARY KEY (name, device)
) STRICT, WITHOUT ROWID;
CREATE INDEX group_members_device ON group_members (device);
