-- +goose Up
CREATE TABLE jobs ( -- work on many devices, and when it is done
    number  INTEGER PRIMARY KEY AUTOINCREMENT,
    kind    TEXT NOT NULL,
    owner   TEXT NOT NULL,
    state   TEXT NOT NULL,
    next_at INTEGER NOT NULL DEFAULT 0, -- 0: not by itself
    body    TEXT NOT NULL -- JSON
) STRICT;
CREATE INDEX jobs_next ON jobs (next_at) WHERE next_at > 0;

CREATE TABLE job_runs (
    number   INTEGER PRIMARY KEY AUTOINCREMENT,
    job      INTEGER NOT NULL REFERENCES jobs (number) ON DELETE CASCADE,
    state    TEXT NOT NULL,
    due_at   INTEGER NOT NULL,
    ended_at INTEGER NOT NULL DEFAULT 0, -- 0: it goes on
    body     TEXT NOT NULL -- JSON
) STRICT;
CREATE INDEX job_runs_job ON job_runs (job, number);
CREATE INDEX job_runs_open ON job_runs (ended_at) WHERE ended_at = 0;

CREATE TABLE job_steps ( -- the work on one device in a run
    run    INTEGER NOT NULL REFERENCES job_runs (number) ON DELETE CASCADE,
    device TEXT NOT NULL REFERENCES devices (name) ON DELETE CASCADE ON UPDATE CASCADE,
    place  INTEGER NOT NULL, -- in the order of work
    wave   INTEGER NOT NULL,
    state  TEXT NOT NULL,
    body   TEXT NOT NULL, -- JSON
    PRIMARY KEY (run, device)
) STRICT, WITHOUT ROWID;
CREATE INDEX job_steps_device ON job_steps (device, run);

-- A configuration that is kept is a backup: it is known when it was last read to be so, and why it was.
ALTER TABLE snapshots ADD COLUMN confirmed_at INTEGER NOT NULL DEFAULT 0; -- 0: never again
ALTER TABLE snapshots ADD COLUMN why TEXT NOT NULL DEFAULT '';            -- it was read: '': it changed
ALTER TABLE snapshots ADD COLUMN kept_by TEXT NOT NULL DEFAULT '';        -- who had it read
ALTER TABLE snapshots ADD COLUMN model TEXT NOT NULL DEFAULT '';          -- of the device then
ALTER TABLE snapshots ADD COLUMN firmware TEXT NOT NULL DEFAULT '';
ALTER TABLE snapshots ADD COLUMN pinned INTEGER NOT NULL DEFAULT 0;       -- 1: it is never dropped
ALTER TABLE snapshots ADD COLUMN note TEXT NOT NULL DEFAULT '';
CREATE INDEX snapshots_document ON snapshots (document);

CREATE TABLE backup_rule ( -- how long backups are kept
    one  INTEGER PRIMARY KEY CHECK (one = 1),
    body TEXT NOT NULL -- JSON
) STRICT;
