-- What each team stands below, from when until when, itself included: `depth` steps up.
CREATE TABLE team_nesting_then(
	above_id TEXT NOT NULL, team_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, depth INTEGER NOT NULL,
	PRIMARY KEY (above_id, team_id, since)
) STRICT, WITHOUT ROWID;
-- From before anything that is on record: nothing tells how teams stood earlier. One that has gone was there until its last member left.
INSERT INTO team_nesting_then(above_id, team_id, since, until, depth)
	WITH RECURSIVE there(id, until) AS (
		SELECT id, iif(gone = 0, 9007199254740991, coalesce((SELECT max(m.until) FROM memberships m WHERE m.team_id = t.id), 0)) FROM teams t
	), up(team_id, until, above_id, depth) AS (
		SELECT id, until, id, 0 FROM there WHERE until > 0
		UNION SELECT up.team_id, up.until, t.parent_id, up.depth + 1 FROM up JOIN teams t ON t.id = up.above_id WHERE t.parent_id IS NOT NULL AND up.depth < 1000
	)
	SELECT above_id, team_id, 0, until, min(depth) FROM up GROUP BY 1, 2;
DROP TABLE team_nesting;
ALTER TABLE team_nesting_then RENAME TO team_nesting;
CREATE INDEX team_nesting_by_team ON team_nesting(team_id, until);
CREATE INDEX team_nesting_by_since ON team_nesting(since);
CREATE INDEX team_nesting_by_until ON team_nesting(until);
CREATE TRIGGER teams_nested AFTER INSERT ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER teams_nested_anew AFTER UPDATE ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER teams_unnested AFTER DELETE ON team_nesting BEGIN UPDATE directory_revision SET number = number + 1; END;
