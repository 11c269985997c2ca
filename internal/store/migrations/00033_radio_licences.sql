-- +goose Up
CREATE TABLE radio_licences ( -- rights of ends of radio links to send
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    port   TEXT NOT NULL,
    body   TEXT NOT NULL, -- JSON
    PRIMARY KEY (device, port)
) STRICT, WITHOUT ROWID;
