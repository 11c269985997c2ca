-- +goose Up
CREATE TABLE alarm_rules ( -- of the house: what besides the ready rules is an alarm
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL -- JSON
) STRICT;
