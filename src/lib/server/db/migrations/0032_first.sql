-- When a line was begun: those that an estate file brings have been there ever since.
ALTER TABLE lines ADD COLUMN since INTEGER NOT NULL DEFAULT 0;
