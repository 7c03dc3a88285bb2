-- Which of the catalogue of errors ended a job that did not get done.
ALTER TABLE jobs ADD COLUMN problem TEXT;
