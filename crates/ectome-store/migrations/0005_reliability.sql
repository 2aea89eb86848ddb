-- Work that is stopped ends at once, so nobody has to be asked any more. Crashes are counted apart from how often work was
-- taken; `memory` is what the worker held when it last reported. Light work has a lane of its own.
UPDATE work SET state = 'stopped', finished = NOW(6) WHERE state = 'running' AND stop_asked;
ALTER TABLE work
    DROP COLUMN stop_asked,
    ADD COLUMN crashes INT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN memory BIGINT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN light BOOLEAN NOT NULL DEFAULT FALSE;

-- `receipt` tells an upload that was recorded just before the connection broke from one that was not.
ALTER TABLE assets
    ADD COLUMN receipt CHAR(64) NULL UNIQUE,
    ADD COLUMN light BOOLEAN NOT NULL DEFAULT FALSE;

-- Nobody read them: the inspection holds the parts.
DROP TABLE parts;
