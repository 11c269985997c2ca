-- +goose Up
-- What happened is a fact: a code with arguments, about a subject. Those without a code were kept before there were facts, or were taken over from
-- elsewhere, and are a text. The text of a fact is what is searched in.
ALTER TABLE events ADD COLUMN code TEXT NOT NULL DEFAULT '';
ALTER TABLE events ADD COLUMN args TEXT NOT NULL DEFAULT '';
ALTER TABLE events ADD COLUMN subject_is TEXT NOT NULL DEFAULT '';
ALTER TABLE events ADD COLUMN subject_name TEXT NOT NULL DEFAULT '';
ALTER TABLE events ADD COLUMN subject_number INTEGER NOT NULL DEFAULT 0;

-- How far those who follow the facts have come.
CREATE TABLE followers (
    name TEXT PRIMARY KEY,
    at   INTEGER NOT NULL -- the number of the last fact that was dealt with
) STRICT;
