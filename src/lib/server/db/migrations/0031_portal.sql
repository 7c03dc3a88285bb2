-- Passkeys of people for the portal (WebAuthn): kept by the number that the device gave; each works under one host name. Times are the
-- estate's.
CREATE TABLE passkeys(
	id TEXT PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), name TEXT NOT NULL, public_key BLOB NOT NULL, counter INTEGER NOT NULL,
	transports TEXT NOT NULL, host TEXT NOT NULL, synced INTEGER NOT NULL, made_at INTEGER NOT NULL, used_at INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX passkeys_by_person ON passkeys(person_id, made_at);
-- Codes for whoever has lost their second factor: by hash, each for one use.
CREATE TABLE recovery_codes(
	person_id INTEGER NOT NULL REFERENCES people(id), hash TEXT NOT NULL, made_at INTEGER NOT NULL, used_at INTEGER, PRIMARY KEY (person_id, hash)
) STRICT, WITHOUT ROWID;
-- A sign-in on a device that its person calls their own lasts as long as is set; a second factor counts for a while from when it was given.
ALTER TABLE sign_ins ADD COLUMN own INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sign_ins ADD COLUMN factor_at INTEGER;
UPDATE sign_ins SET factor_at = began WHERE factor = 1;
-- What of their own device somebody lets into their sessions, or keeps out; what does not stand here has not been asked.
CREATE TABLE own_channels(
	person_id INTEGER NOT NULL REFERENCES people(id), channel TEXT NOT NULL, pass INTEGER NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (person_id, channel)
) STRICT, WITHOUT ROWID;
-- What people call their own machines and devices.
CREATE TABLE own_names(
	person_id INTEGER NOT NULL REFERENCES people(id), kind TEXT NOT NULL, thing TEXT NOT NULL, name TEXT NOT NULL, at INTEGER NOT NULL,
	PRIMARY KEY (person_id, kind, thing)
) STRICT, WITHOUT ROWID;
-- Whoever signs in by their mail address is found at once.
CREATE INDEX person_facts_by_mail ON person_facts(mail COLLATE NOCASE) WHERE mail IS NOT NULL;
