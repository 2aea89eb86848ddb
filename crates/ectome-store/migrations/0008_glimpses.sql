-- A picture of what work has made so far, as the key of its blob. It counts while the work is running.
ALTER TABLE work ADD COLUMN glimpse VARCHAR(64) NULL;
