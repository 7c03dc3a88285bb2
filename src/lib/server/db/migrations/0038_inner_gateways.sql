-- Gateways that stand beside what is inside and let people through to it. `address`: where one answers, as host:port.
CREATE TABLE inner_gateways(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, site_id TEXT NOT NULL REFERENCES sites(id),
	address TEXT NOT NULL, by TEXT NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
-- The one that a service stands behind; NULL: behind none.
ALTER TABLE private_services ADD COLUMN gateway_id TEXT;
-- Whether a gateway answers, with the round trip to it in ms; and whether a service answers its gateway. Nothing stands of what was not asked.
CREATE TABLE inner_gateway_states(
	gateway_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, answers INTEGER NOT NULL CHECK (answers IN (0, 1)), ms INTEGER,
	PRIMARY KEY (gateway_id, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE private_service_states(
	service_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, answers INTEGER NOT NULL CHECK (answers IN (0, 1)), ms INTEGER,
	PRIMARY KEY (service_id, since)
) STRICT, WITHOUT ROWID;
-- The private services that a publication does not work without, as a JSON list of ids.
CREATE TABLE relied_services(
	publication_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, services TEXT NOT NULL, by TEXT NOT NULL,
	PRIMARY KEY (publication_id, since)
) STRICT, WITHOUT ROWID;
