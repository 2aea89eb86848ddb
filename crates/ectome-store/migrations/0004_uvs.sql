-- Candidates whose last step changed UVs, and what it did. They stand for the candidate they were made from, which keeps its
-- place in the tray.
ALTER TABLE candidates
    ADD COLUMN changes_uvs BOOLEAN NOT NULL DEFAULT FALSE,
    ADD COLUMN uv LONGTEXT NULL CHECK (uv IS NULL OR JSON_VALID(uv));
