-- How often a thread ended, and the process, while a job was running: one that brings them down is set aside.
ALTER TABLE jobs ADD COLUMN thread_ends INTEGER NOT NULL DEFAULT 0;
ALTER TABLE jobs ADD COLUMN process_ends INTEGER NOT NULL DEFAULT 0;
ALTER TABLE jobs ADD COLUMN set_aside INTEGER NOT NULL DEFAULT 0;
-- Threads that ended without having been asked to. Times are of the estate's clock.
CREATE TABLE thread_ends(id INTEGER PRIMARY KEY, thread TEXT NOT NULL, at INTEGER NOT NULL, why TEXT NOT NULL) STRICT;
CREATE INDEX thread_ends_by_time ON thread_ends(at);
-- Who committed the plan of a job: one that starts later asks again what they may. Jobs of before say so by their operator alone.
ALTER TABLE jobs ADD COLUMN by_kind TEXT;
ALTER TABLE jobs ADD COLUMN by_id INTEGER;
UPDATE jobs SET by_kind = 'operator', by_id = operator_id WHERE operator_id IS NOT NULL;
