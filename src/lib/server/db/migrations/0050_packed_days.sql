-- Sums of a whole day in one piece, beside its rows: pages that sum up many days read these. They follow from `activity_days`:
-- all may be deleted, and are packed again; not some of them.
CREATE TABLE activity_packed(day INTEGER PRIMARY KEY, body BLOB NOT NULL) STRICT;
