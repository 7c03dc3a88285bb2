-- Who made a token is an operator, not a name that two may have or one may change.
ALTER TABLE tokens ADD COLUMN operator_id INTEGER REFERENCES operators(id);
UPDATE tokens SET operator_id = (SELECT o.id FROM operators o WHERE o.name = made_by)
WHERE (SELECT count(*) FROM operators o WHERE o.name = made_by) = 1;
