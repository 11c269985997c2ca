-- +goose Up
ALTER TABLE audit ADD COLUMN hash BLOB NOT NULL DEFAULT x''; -- SHA-256 over the entry and the hash of the one before
