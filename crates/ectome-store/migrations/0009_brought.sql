-- The files of a low mesh that came along with a source, until the source is taken in and the mesh is asked for.
ALTER TABLE assets ADD COLUMN brought LONGTEXT NULL CHECK (brought IS NULL OR JSON_VALID(brought));
