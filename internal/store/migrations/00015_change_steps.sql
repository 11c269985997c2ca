-- +goose Up
-- What a change is stands apart from how far it has come, so that a step of a change of thousands of edits writes only itself.
CREATE TABLE change_edits (
    number INTEGER PRIMARY KEY REFERENCES changes (number) ON DELETE CASCADE,
    edits  TEXT NOT NULL -- JSON
) STRICT;
INSERT INTO change_edits SELECT number, coalesce(json_extract(body, '$.edits'), 'null') FROM changes;
UPDATE changes SET body = json_remove(body, '$.edits');

CREATE TABLE change_steps (
    number INTEGER NOT NULL,
    device TEXT NOT NULL,
    step   TEXT NOT NULL,
    said   TEXT NOT NULL, -- the device's words, or what became of it
    token  TEXT NOT NULL, -- by which the device knows the change
    PRIMARY KEY (number, device),
    FOREIGN KEY (number, device) REFERENCES change_devices (number, device) ON DELETE CASCADE ON UPDATE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO change_steps SELECT number, device, step, coalesce(json_extract(body, '$.said'), ''), coalesce(json_extract(body, '$.token'), '') FROM change_devices;
UPDATE change_devices SET body = json_remove(body, '$.said', '$.token');
ALTER TABLE change_devices DROP COLUMN step;
