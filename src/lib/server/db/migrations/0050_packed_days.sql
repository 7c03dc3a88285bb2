-- Sums of a whole day in one piece, beside its rows: pages that sum up many days read these. They follow from `activity_days`, and may be deleted.
CREATE TABLE activity_packed(day INTEGER PRIMARY KEY, body BLOB NOT NULL) STRICT;
