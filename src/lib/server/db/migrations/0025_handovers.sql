-- What has been agreed for somebody who leaves: how their sessions end, who takes over, and until when what they leave is kept; then it is
-- removed or handed on. `handed` (JSON): what has gone to whoever takes over, so that it can come back.
CREATE TABLE handovers(
	person_id INTEGER NOT NULL REFERENCES people(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	stage TEXT NOT NULL CHECK (stage IN ('agreed', 'handed', 'cleared')),
	sessions TEXT NOT NULL, words TEXT NOT NULL, to_id INTEGER REFERENCES people(id), after TEXT NOT NULL, keep_days INTEGER NOT NULL,
	handed TEXT NOT NULL, by TEXT NOT NULL, PRIMARY KEY (person_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX handovers_by_until ON handovers(until, stage);
-- When a step of a handover that was due was last refused, and why; it is tried again later.
CREATE TABLE handover_refusals(person_id INTEGER PRIMARY KEY REFERENCES people(id), at INTEGER NOT NULL, words TEXT NOT NULL) STRICT;
-- What somebody keeps, or has kept, is found by them.
CREATE INDEX machine_spots_by_owner ON machine_spots(owner_id, until) WHERE owner_id IS NOT NULL;
