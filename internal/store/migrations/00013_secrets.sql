-- +goose Up
CREATE TABLE secrets ( -- that stand in configurations of devices, by the reference that stands in their place
    reference TEXT PRIMARY KEY,
    sealed    BLOB NOT NULL
) STRICT;
