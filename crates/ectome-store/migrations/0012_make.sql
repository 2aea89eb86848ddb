-- Work that makes a candidate is called so, whatever the candidate is: a cut, new UVs, maps.
ALTER TABLE work MODIFY kind VARCHAR(12) NOT NULL;
UPDATE work SET kind = 'make' WHERE kind = 'cut';
ALTER TABLE work MODIFY kind VARCHAR(12) NOT NULL CHECK (kind IN ('intake', 'prepare', 'analyse', 'make'));
ALTER TABLE workers MODIFY kinds SET('intake', 'prepare', 'analyse', 'cut', 'make') NOT NULL;
UPDATE workers SET kinds = REPLACE(kinds, 'cut', 'make');
ALTER TABLE workers MODIFY kinds SET('intake', 'prepare', 'analyse', 'make') NOT NULL;
