-- What the change log does not hold, since nothing was changed: who signed in or tried to, what was refused to whom, and who looked at what
-- somebody did. Chained as changes are, and as little altered. `wall`: the wall's clock, ms UTC; `at`: the estate's.
CREATE TABLE record_entries(
	number INTEGER PRIMARY KEY, at INTEGER NOT NULL, wall INTEGER NOT NULL, kind TEXT NOT NULL CHECK (kind IN ('sign-in', 'refused', 'looked')),
	who TEXT NOT NULL, role TEXT NOT NULL, words TEXT NOT NULL, address TEXT NOT NULL, good INTEGER NOT NULL CHECK (good IN (0, 1)),
	before TEXT NOT NULL, hash TEXT NOT NULL UNIQUE
) STRICT;
CREATE INDEX record_entries_by_time ON record_entries(at);
CREATE TRIGGER record_entries_stay BEFORE UPDATE ON record_entries BEGIN SELECT RAISE(ABORT, 'the record is append-only'); END;
CREATE TRIGGER record_entries_remain BEFORE DELETE ON record_entries BEGIN SELECT RAISE(ABORT, 'the record is append-only'); END;
-- Where a sign-in was made, with what browser, and by what somebody showed who they are.
ALTER TABLE sign_ins ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE sign_ins ADD COLUMN browser TEXT NOT NULL DEFAULT '';
ALTER TABLE sign_ins ADD COLUMN shown TEXT NOT NULL DEFAULT 'password';
-- No REPLACE, and no number out of turn, gets past.
CREATE TRIGGER record_entries_in_turn BEFORE INSERT ON record_entries
WHEN EXISTS (SELECT 1 FROM record_entries WHERE number >= NEW.number OR hash = NEW.hash)
BEGIN SELECT RAISE(ABORT, 'the record is append-only'); END;
-- Operators have passkeys and recovery codes as people have them in the portal.
CREATE TABLE operator_passkeys(
	id TEXT PRIMARY KEY, operator_id INTEGER NOT NULL REFERENCES operators(id), name TEXT NOT NULL, public_key BLOB NOT NULL, counter INTEGER NOT NULL,
	transports TEXT NOT NULL, host TEXT NOT NULL, synced INTEGER NOT NULL, made_at INTEGER NOT NULL, used_at INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX operator_passkeys_by_operator ON operator_passkeys(operator_id, made_at);
CREATE TABLE operator_recovery_codes(
	operator_id INTEGER NOT NULL REFERENCES operators(id), hash TEXT NOT NULL, made_at INTEGER NOT NULL, used_at INTEGER, PRIMARY KEY (operator_id, hash)
) STRICT, WITHOUT ROWID;
