-- +goose Up
ALTER TABLE users ADD COLUMN mail TEXT NOT NULL DEFAULT ''; -- address of mail; '' for none
