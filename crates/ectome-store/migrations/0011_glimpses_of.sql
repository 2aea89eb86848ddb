-- What the pictures of a glimpse show, from the top: words with a blank between them.
ALTER TABLE work ADD COLUMN glimpse_of VARCHAR(400) NULL;
