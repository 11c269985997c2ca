-- +goose Up
ALTER TABLE devices ADD COLUMN next_secret BLOB; -- a password that the device is being given, sealed as secret is
