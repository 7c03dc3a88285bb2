-- What somebody is there for: a role, for a part of the estate ('' the whole), until it is taken from them or comes to its end. Of several each
-- counts by itself: one acts in one at a time.
CREATE TABLE assignments(
	id INTEGER PRIMARY KEY, operator_id INTEGER NOT NULL REFERENCES operators(id), since INTEGER NOT NULL, until INTEGER NOT NULL DEFAULT 9007199254740991,
	role TEXT NOT NULL, part TEXT NOT NULL DEFAULT '', ends INTEGER, by TEXT NOT NULL
) STRICT;
CREATE INDEX assignments_of ON assignments(operator_id, since);
INSERT INTO assignments(operator_id, since, role, by) SELECT id, 0, role, 'Sextant' FROM operators;
ALTER TABLE operators DROP COLUMN role;
ALTER TABLE sign_ins ADD COLUMN assignment_id INTEGER;
-- Roles that were made here: what they may, as JSON of levels by area.
CREATE TABLE made_roles(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL DEFAULT 9007199254740991, name TEXT NOT NULL, note TEXT NOT NULL, rights TEXT NOT NULL, by TEXT NOT NULL,
	PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
ALTER TABLE tokens ADD COLUMN part TEXT NOT NULL DEFAULT '';
ALTER TABLE tokens ADD COLUMN ends INTEGER;
ALTER TABLE tokens ADD COLUMN used_at INTEGER;
-- As what somebody committed or set something: it is carried out with these rights, or not at all.
ALTER TABLE jobs ADD COLUMN assignment_id INTEGER;
ALTER TABLE schedules ADD COLUMN assignment_id INTEGER;
-- Plans that somebody has committed and that wait for the consent of another, or have had an answer. `answer` NULL: it waits; 'glass': it was
-- committed without, in an emergency, and `words` say why. `why`: facts, as JSON.
CREATE TABLE consents(
	id INTEGER PRIMARY KEY, plan_id INTEGER NOT NULL REFERENCES plans(id), asked_at INTEGER NOT NULL, by TEXT NOT NULL,
	by_kind TEXT NOT NULL, by_id INTEGER NOT NULL, assignment_id INTEGER, not_before INTEGER, via TEXT NOT NULL, why TEXT NOT NULL,
	answer TEXT CHECK (answer IN ('consented', 'declined', 'withdrawn', 'glass')), answered_at INTEGER, answered_by TEXT, words TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX consents_of ON consents(plan_id, asked_at);
CREATE INDEX consents_open ON consents(asked_at) WHERE answer IS NULL;
