-- +goose Up
CREATE TABLE vlans ( -- what people say of VLANs; which there are, and where, is read from devices
    id       INTEGER PRIMARY KEY,
    purpose  TEXT NOT NULL DEFAULT '',
    subnets  TEXT NOT NULL DEFAULT '', -- prefixes separated by commas
    gateways TEXT NOT NULL DEFAULT '', -- addresses separated by commas
    wanted   TEXT NOT NULL DEFAULT ''  -- a selector of the devices to which it must be carried
) STRICT;
