-- What is open on a machine is found by its end, not by reading all that ever was on it.
DROP INDEX sessions_by_machine;
CREATE INDEX sessions_by_machine ON sessions(machine_id, until);
-- Who is in the directory is asked for by every page about grants, and changes seldom: each change is counted.
CREATE TABLE directory_revision(one INTEGER PRIMARY KEY CHECK (one = 1), number INTEGER NOT NULL) STRICT;
INSERT INTO directory_revision VALUES (1, 0);
CREATE TRIGGER people_came AFTER INSERT ON people BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER people_changed AFTER UPDATE ON people BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER people_went AFTER DELETE ON people BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER zones_changed AFTER UPDATE OF time_zone ON sites BEGIN UPDATE directory_revision SET number = number + 1; END;
-- Few connections fail, and pages ask for a day of them: by an index that holds no others. Sign-ins of a day are rated from an index alone.
CREATE INDEX connections_failed ON connections(ended) WHERE result <> 'open';
DROP INDEX sessions_by_start;
CREATE INDEX sessions_by_start ON sessions(since, sign_in);
