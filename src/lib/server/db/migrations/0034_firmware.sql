-- Firmware that devices of a model are to have which stand in a branch, or below it, from when until when. `thin`: over thin links as well.
CREATE TABLE firmware_wishes(
	branch_id TEXT NOT NULL, model TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	version TEXT NOT NULL, bytes INTEGER NOT NULL, thin INTEGER NOT NULL, by TEXT NOT NULL, PRIMARY KEY (branch_id, model, since)
) STRICT, WITHOUT ROWID;
-- Devices that were told to take it: when, and what came of it; empty while they have not called in since.
CREATE TABLE firmware_told(endpoint_id INTEGER PRIMARY KEY REFERENCES endpoints(id), version TEXT NOT NULL, at INTEGER NOT NULL, words TEXT NOT NULL) STRICT;
-- Whether a device ran on battery.
ALTER TABLE endpoint_states ADD COLUMN battery INTEGER NOT NULL DEFAULT 0;
