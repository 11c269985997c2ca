-- +goose Up
CREATE TABLE job_steps_new ( -- the work on one device in a run, or all of it where it is about no device
    run    INTEGER NOT NULL REFERENCES job_runs (number) ON DELETE CASCADE,
    place  INTEGER NOT NULL, -- in the order of work
    device TEXT REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    wave   INTEGER NOT NULL,
    state  TEXT NOT NULL,
    body   TEXT NOT NULL, -- JSON
    PRIMARY KEY (run, place)
) STRICT, WITHOUT ROWID;
INSERT INTO job_steps_new (run, place, device, wave, state, body) SELECT run, place, device, wave, state, body FROM job_steps;
DROP TABLE job_steps;
ALTER TABLE job_steps_new RENAME TO job_steps;
CREATE UNIQUE INDEX job_steps_run ON job_steps (run, device);
CREATE INDEX job_steps_device ON job_steps (device, run);
