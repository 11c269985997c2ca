-- +goose Up
CREATE TABLE guest_portals ( -- pages on which guests of wireless networks are received
    name TEXT PRIMARY KEY,
    key  BLOB NOT NULL, -- by which access points sign who comes, sealed
    body TEXT NOT NULL, -- JSON
    logo BLOB           -- a picture, PNG
) STRICT;

CREATE TABLE guest_vouchers ( -- each lets one guest in, once
    number   INTEGER PRIMARY KEY AUTOINCREMENT,
    portal   TEXT NOT NULL REFERENCES guest_portals (name) ON DELETE CASCADE,
    hash     BLOB NOT NULL UNIQUE, -- of its code
    hint     TEXT NOT NULL,        -- the last letters of its code
    label    TEXT NOT NULL,
    minutes  INTEGER NOT NULL,     -- for which it lets in
    made_by  TEXT NOT NULL,
    made_at  INTEGER NOT NULL,
    good_to  INTEGER NOT NULL,     -- when it must be used
    used_at  INTEGER,
    taken_at INTEGER               -- when somebody took it back
) STRICT;
CREATE INDEX guest_vouchers_portal ON guest_vouchers (portal, number);

CREATE TABLE guest_stays ( -- of guests who came, or ask to be let in
    number   INTEGER PRIMARY KEY AUTOINCREMENT,
    portal   TEXT NOT NULL,
    station  TEXT NOT NULL, -- its hardware address
    device   TEXT REFERENCES devices (name) ON DELETE SET NULL ON UPDATE CASCADE,
    asked_at INTEGER NOT NULL,
    ends     INTEGER NOT NULL, -- 0: not let in
    ended    INTEGER NOT NULL, -- before its time, or turned away; 0: it was not
    voucher  INTEGER REFERENCES guest_vouchers (number) ON DELETE SET NULL,
    body     TEXT NOT NULL     -- JSON
) STRICT;
CREATE INDEX guest_stays_station ON guest_stays (portal, station, number);
CREATE INDEX guest_stays_asked ON guest_stays (asked_at);
