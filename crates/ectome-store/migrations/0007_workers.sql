-- Work says how much memory it is likely to take, in bytes, so that each worker takes what fits into it. Assets carry the figure for
-- the work that is asked for next.
ALTER TABLE assets
    ADD COLUMN needs BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE work
    ADD COLUMN needs BIGINT UNSIGNED NOT NULL DEFAULT 0;

-- Who works, here and on other machines: `kinds` and `memory` are what it accepts, `seen` is when it last said so.
CREATE TABLE workers (
    name    VARCHAR(120)    NOT NULL PRIMARY KEY,
    kinds   SET('intake', 'prepare', 'analyse', 'cut') NOT NULL,
    memory  BIGINT UNSIGNED NOT NULL,
    seen    TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- Its one row is locked, shared by all who store blobs and name them afterwards, or by one alone who takes blobs away.
CREATE TABLE naming (
    id TINYINT UNSIGNED NOT NULL PRIMARY KEY
);
INSERT INTO naming (id) VALUES (1);
