-- Who is of which team, from when until when: one home team at any moment, and any number of others.
CREATE TABLE memberships(
	person_id INTEGER NOT NULL REFERENCES people(id), team_id TEXT NOT NULL REFERENCES teams(id),
	since INTEGER NOT NULL, until INTEGER NOT NULL, home INTEGER NOT NULL, PRIMARY KEY (person_id, team_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX memberships_by_team ON memberships(team_id, until);
-- From before anything that is on record.
INSERT INTO memberships(person_id, team_id, since, until, home) SELECT id, team_id, 0, 9007199254740991, 1 FROM people;
DROP INDEX people_by_team;
ALTER TABLE people DROP COLUMN team_id;
CREATE TRIGGER members_came AFTER INSERT ON memberships BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER members_changed AFTER UPDATE ON memberships BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER members_went AFTER DELETE ON memberships BEGIN UPDATE directory_revision SET number = number + 1; END;
-- The last change before a moment is one seek.
CREATE INDEX memberships_by_since ON memberships(since);
CREATE INDEX memberships_by_until ON memberships(until);
CREATE TRIGGER teams_nested AFTER INSERT ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER teams_nested_anew AFTER UPDATE ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER teams_unnested AFTER DELETE ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;

-- Changes of the directory that touch so many people that somebody looks at them first: from which on they are held, and whom they touch.
CREATE TABLE held_changes(
	id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, people INTEGER NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
