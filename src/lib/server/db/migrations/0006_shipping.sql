-- Versions on their way to places: what was agreed to, and how far each place has come.
CREATE TABLE shipments(
	id INTEGER PRIMARY KEY, job_id INTEGER NOT NULL UNIQUE, line_id TEXT NOT NULL, number TEXT NOT NULL, origin TEXT NOT NULL, settings TEXT NOT NULL,
	by TEXT NOT NULL, began INTEGER NOT NULL, until INTEGER NOT NULL, ended INTEGER, outcome TEXT
) STRICT;
CREATE INDEX shipments_by_version ON shipments(line_id, number);
CREATE TABLE shipment_places(
	shipment_id INTEGER NOT NULL REFERENCES shipments(id), site_id TEXT NOT NULL REFERENCES sites(id), target INTEGER NOT NULL, bytes INTEGER NOT NULL, sent INTEGER NOT NULL,
	due INTEGER, whole_at INTEGER, breaks INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (shipment_id, site_id)
) STRICT, WITHOUT ROWID;
