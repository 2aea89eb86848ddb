-- What was handed over, or is about to be: the files of a chain for a brief, as they were made then. The brief stands here as it was,
-- since it may be changed later; `key_` is a hash of everything that the files depend on.
CREATE TABLE parcels (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    asset      BIGINT UNSIGNED NOT NULL,
    number     INT UNSIGNED    NOT NULL,
    asked      TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    made       TIMESTAMP(6)    NULL,
    state      VARCHAR(12)     NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'ready', 'failed')),
    fault      VARCHAR(2000)   NULL,
    key_       CHAR(64)        NOT NULL,
    brief      LONGTEXT        NOT NULL CHECK (JSON_VALID(brief)),
    brief_name VARCHAR(160)    NOT NULL,
    verdict    VARCHAR(12)     NOT NULL DEFAULT '',
    bytes      BIGINT UNSIGNED NOT NULL DEFAULT 0,
    sheet      LONGTEXT        NULL CHECK (sheet IS NULL OR JSON_VALID(sheet)),
    UNIQUE KEY (asset, number),
    KEY (asked),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);

-- The candidates that it is made of.
CREATE TABLE parcel_tiers (
    parcel    BIGINT UNSIGNED NOT NULL,
    tier      INT UNSIGNED    NOT NULL,
    candidate CHAR(32)        NOT NULL,
    PRIMARY KEY (parcel, tier),
    FOREIGN KEY (parcel) REFERENCES parcels (id) ON DELETE CASCADE
);

-- Its files, in order.
CREATE TABLE parcel_files (
    parcel   BIGINT UNSIGNED NOT NULL,
    place    INT UNSIGNED    NOT NULL,
    name     VARCHAR(255)    NOT NULL,
    bytes    BIGINT UNSIGNED NOT NULL,
    blob_key CHAR(64)        NOT NULL,
    PRIMARY KEY (parcel, place),
    FOREIGN KEY (parcel) REFERENCES parcels (id) ON DELETE CASCADE
);

-- Work that makes one.
ALTER TABLE work ADD COLUMN parcel BIGINT UNSIGNED NULL,
    ADD FOREIGN KEY (parcel) REFERENCES parcels (id) ON DELETE CASCADE;
ALTER TABLE work MODIFY kind VARCHAR(12) NOT NULL CHECK (kind IN ('intake', 'prepare', 'analyse', 'make', 'parcel'));
ALTER TABLE workers MODIFY kinds SET('intake', 'prepare', 'analyse', 'make', 'parcel') NOT NULL;

-- The plan that was asked for last, so that what is left of it can be asked for when a repair could not be made.
ALTER TABLE assets ADD COLUMN plan LONGTEXT NULL CHECK (plan IS NULL OR JSON_VALID(plan));
