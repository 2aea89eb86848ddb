-- What merging regions would leave that are flat within a small distance, and that distance in millimetres.
ALTER TABLE analyses ADD COLUMN near_mm DOUBLE NULL, ADD COLUMN near BIGINT UNSIGNED NULL;
