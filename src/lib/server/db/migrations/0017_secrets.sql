-- Hashes of passwords and tokens stood in plans and in the steps of jobs, for every role to read. They go; nothing that is done needs them,
-- and drafts that would are thrown away.
UPDATE plans SET state = 'discarded' WHERE state = 'draft' AND kind IN ('operator.add', 'token.create');
UPDATE plans SET input = json_remove(input, '$.passwordHash', '$.hash') WHERE kind IN ('operator.add', 'token.create') AND json_valid(input);
UPDATE plans SET steps = json_remove(steps, '$[0].input.passwordHash', '$[0].input.hash') WHERE kind IN ('operator.add', 'token.create') AND json_valid(steps);
UPDATE job_steps SET input = json_remove(input, '$.passwordHash', '$.hash') WHERE kind IN ('operator.write', 'token.write') AND json_valid(input);
-- Wrong answers are counted in memory, on a clock that nobody can set.
DROP TABLE sign_in_attempts;
-- No REPLACE, and no number out of turn, gets past.
CREATE TRIGGER changes_in_turn BEFORE INSERT ON changes
WHEN EXISTS (SELECT 1 FROM changes WHERE number >= NEW.number OR hash = NEW.hash OR (NEW.job_id IS NOT NULL AND job_id = NEW.job_id))
BEGIN SELECT RAISE(ABORT, 'the change log is append-only'); END;
