-- +goose Up
ALTER TABLE snapshots ADD COLUMN by_user TEXT NOT NULL DEFAULT ''; -- who changed the device, where it says so
