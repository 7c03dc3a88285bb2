-- What each person was on last, from when until when: what they ask from at a sign-in, and what it proves.
CREATE TABLE person_endpoints(
	person_id INTEGER NOT NULL REFERENCES people(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), PRIMARY KEY (person_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX person_endpoints_by_endpoint ON person_endpoints(endpoint_id, until);
-- Of those who are known already: from each time that somebody was on another device than before.
INSERT INTO person_endpoints(person_id, since, until, endpoint_id)
	SELECT person_id, since, lead(since, 1, 9007199254740991) OVER (PARTITION BY person_id ORDER BY since), endpoint_id FROM (
		SELECT person_id, since, endpoint_id, lag(endpoint_id) OVER (PARTITION BY person_id ORDER BY since, endpoint_id) AS before
		FROM (SELECT person_id, since, min(endpoint_id) AS endpoint_id FROM endpoint_states WHERE person_id IS NOT NULL GROUP BY person_id, since)
	) WHERE before IS NULL OR before <> endpoint_id;
-- For whom a device is kept, from when until when: before their first day, while it is theirs, and after they have left until it is collected.
CREATE TABLE kept_endpoints(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	person_id INTEGER NOT NULL REFERENCES people(id), by TEXT NOT NULL, PRIMARY KEY (endpoint_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX kept_endpoints_by_person ON kept_endpoints(person_id, until);
-- From what each connection was asked for; those of before say nothing of it.
ALTER TABLE connections ADD COLUMN endpoint_id INTEGER REFERENCES endpoints(id);
-- Goes up whenever what devices prove, or who is on which, changes: what was worked out from it is worked out anew.
CREATE TABLE proof_revision(one INTEGER PRIMARY KEY CHECK (one = 1), number INTEGER NOT NULL) STRICT;
INSERT INTO proof_revision VALUES (1, 1);
CREATE TRIGGER on_another AFTER INSERT ON person_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER on_none AFTER UPDATE ON person_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER on_went AFTER DELETE ON person_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER kept_for_another AFTER INSERT ON kept_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER kept_otherwise AFTER UPDATE ON kept_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER kept_for_none AFTER DELETE ON kept_endpoints BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER certificates_came AFTER INSERT ON endpoint_certificates BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER certificates_revoked AFTER INSERT ON revoked_certificates BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE TRIGGER certificates_trusted AFTER DELETE ON revoked_certificates BEGIN UPDATE proof_revision SET number = number + 1; END;
CREATE INDEX certificates_by_device ON endpoint_certificates(endpoint_id, ends);
CREATE INDEX certificates_by_beginning ON endpoint_certificates(since);
CREATE INDEX certificates_by_end ON endpoint_certificates(ends);
CREATE INDEX revoked_by_time ON revoked_certificates(at);
CREATE INDEX person_endpoints_by_beginning ON person_endpoints(since);
CREATE INDEX person_endpoints_by_end ON person_endpoints(until);
CREATE INDEX kept_endpoints_by_beginning ON kept_endpoints(since);
CREATE INDEX kept_endpoints_by_end ON kept_endpoints(until);
-- Whether somebody sits at a managed device follows from what that device proves.
ALTER TABLE people DROP COLUMN managed;
-- What opened a session, and from what.
CREATE INDEX connections_by_session ON connections(session_id) WHERE session_id IS NOT NULL;
