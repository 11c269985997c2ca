-- +goose Up
CREATE TABLE notices ( -- who is told of alarms, and how
    name   TEXT PRIMARY KEY,
    body   TEXT NOT NULL,              -- JSON
    secret BLOB NOT NULL DEFAULT x''   -- sealed: by which a webhook is signed
) STRICT;
CREATE TABLE mail_server (
    one    INTEGER PRIMARY KEY CHECK (one = 1),
    body   TEXT NOT NULL,
    secret BLOB NOT NULL DEFAULT x''   -- sealed: the password
) STRICT;
CREATE TABLE deliveries ( -- what was told, or is to be
    number     INTEGER PRIMARY KEY AUTOINCREMENT,
    notice     TEXT NOT NULL,
    alarm      INTEGER NOT NULL,
    kind       TEXT NOT NULL,   -- raised, over or test
    state      TEXT NOT NULL,   -- waiting, sent, failed or dropped
    tries      INTEGER NOT NULL DEFAULT 0,
    next_at    INTEGER NOT NULL,
    created_at INTEGER NOT NULL,
    ended_at   INTEGER NOT NULL DEFAULT 0,
    said       TEXT NOT NULL DEFAULT '' -- why it was not sent
) STRICT;
CREATE INDEX deliveries_due ON deliveries (next_at) WHERE state = 'waiting';
CREATE INDEX deliveries_alarm ON deliveries (alarm, notice, number);
