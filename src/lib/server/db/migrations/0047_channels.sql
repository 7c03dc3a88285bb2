-- What passes between sessions and devices where no access rule decides, of what grants give.
ALTER TABLE access_rulebook ADD COLUMN channels TEXT NOT NULL DEFAULT 'allow' CHECK (channels IN ('allow', 'refuse'));
-- What was reached may be a way through a session as well: `clipboard-out`.
CREATE TABLE reached_targets_anew(
	id INTEGER PRIMARY KEY, kind TEXT NOT NULL CHECK (kind IN ('site', 'service', 'channel')), name TEXT NOT NULL, UNIQUE (kind, name)
) STRICT;
INSERT INTO reached_targets_anew SELECT id, kind, name FROM reached_targets;
DROP TABLE reached_targets;
ALTER TABLE reached_targets_anew RENAME TO reached_targets;
-- What somebody said that they reached something for, where a rule asks for it; it goes with the activity that it belongs to.
CREATE TABLE activity_reasons(
	hour INTEGER NOT NULL, person_id INTEGER NOT NULL, id INTEGER NOT NULL, words TEXT NOT NULL, PRIMARY KEY (hour, person_id, id)
) STRICT, WITHOUT ROWID;
