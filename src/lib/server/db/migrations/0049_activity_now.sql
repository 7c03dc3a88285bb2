-- What is told goes to the end of a heap: rows of an hour are put where they are found by person once the hour is over and summed up, all at
-- once and in order. Written one by one they would touch nearly every page of their hour each minute.
CREATE TABLE activity_now(
	id INTEGER PRIMARY KEY, hour INTEGER NOT NULL, person_id INTEGER NOT NULL, began INTEGER NOT NULL, ended INTEGER NOT NULL, target_id INTEGER NOT NULL,
	rule_id INTEGER NOT NULL, decided INTEGER NOT NULL, through INTEGER NOT NULL CHECK (through IN (0, 1)), asked INTEGER, way INTEGER NOT NULL,
	endpoint_id INTEGER, machine_id INTEGER, from_id INTEGER NOT NULL, decisions INTEGER NOT NULL, down INTEGER NOT NULL, up INTEGER NOT NULL
) STRICT;
INSERT INTO activity_now(id, hour, person_id, began, ended, target_id, rule_id, decided, through, asked, way, endpoint_id, machine_id, from_id, decisions, down, up)
SELECT id, hour, person_id, began, ended, target_id, rule_id, decided, through, asked, way, endpoint_id, machine_id, from_id, decisions, down, up
FROM activity WHERE hour > coalesce((SELECT CAST(value AS INTEGER) FROM settings WHERE key = 'activity summed up'), -1) ORDER BY id;
DELETE FROM activity WHERE hour > coalesce((SELECT CAST(value AS INTEGER) FROM settings WHERE key = 'activity summed up'), -1);
