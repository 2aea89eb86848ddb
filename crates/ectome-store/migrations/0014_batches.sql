-- Assets are found by tags, and sorted by their triangles, which are taken out of the inspection once.
CREATE TABLE asset_tags (
    asset BIGINT UNSIGNED NOT NULL,
    tag   VARCHAR(40)     NOT NULL,
    PRIMARY KEY (asset, tag),
    KEY (tag),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);
ALTER TABLE assets ADD COLUMN triangles BIGINT UNSIGNED AS (JSON_VALUE(inspection, '$.triangles')) STORED, ADD KEY (triangles);

-- Plans that were saved from an asset, to be used for others.
CREATE TABLE saved_plans (
    id       BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name     VARCHAR(160)    NOT NULL UNIQUE,
    document LONGTEXT        NOT NULL CHECK (JSON_VALID(document))
);

-- The same treatment for many assets: a brief, a plan (without one each gets its own proposed), and perhaps a folder whose files
-- join by themselves.
CREATE TABLE batches (
    id      BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name    VARCHAR(160)    NOT NULL,
    brief   BIGINT UNSIGNED NOT NULL,
    plan    LONGTEXT        NULL CHECK (plan IS NULL OR JSON_VALID(plan)),
    folder  VARCHAR(400)    NULL,
    created TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    FOREIGN KEY (brief) REFERENCES briefs (id)
);

-- `plan` is the asset's own, in place of the batch's. `source` is what the plan was asked for last: where the asset has another, it is
-- asked for again.
CREATE TABLE batch_assets (
    batch  BIGINT UNSIGNED NOT NULL,
    asset  BIGINT UNSIGNED NOT NULL,
    plan   LONGTEXT        NULL CHECK (plan IS NULL OR JSON_VALID(plan)),
    source CHAR(64)        NOT NULL DEFAULT '',
    fault  VARCHAR(2000)   NULL,
    PRIMARY KEY (batch, asset),
    FOREIGN KEY (batch) REFERENCES batches (id) ON DELETE CASCADE,
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);

-- What was taken from a watched folder: an entry, how it looked then, and the asset that it became.
CREATE TABLE watched (
    batch BIGINT UNSIGNED NOT NULL,
    entry VARCHAR(255)    NOT NULL,
    looks VARCHAR(64)     NOT NULL,
    asset BIGINT UNSIGNED NULL,
    fault VARCHAR(2000)   NULL,
    PRIMARY KEY (batch, entry),
    FOREIGN KEY (batch) REFERENCES batches (id) ON DELETE CASCADE,
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE SET NULL
);

-- Work that proposes a plan for an asset of a batch and asks for what it says.
ALTER TABLE work ADD COLUMN batch BIGINT UNSIGNED NULL,
    ADD FOREIGN KEY (batch) REFERENCES batches (id) ON DELETE CASCADE;
ALTER TABLE work MODIFY kind VARCHAR(12) NOT NULL CHECK (kind IN ('intake', 'prepare', 'analyse', 'make', 'parcel', 'plan'));
ALTER TABLE workers MODIFY kinds SET('intake', 'prepare', 'analyse', 'make', 'parcel', 'plan') NOT NULL;

-- Work that somebody wants sooner than the rest, the latest wish first; and what each piece of work went through.
ALTER TABLE work ADD COLUMN hurried BIGINT UNSIGNED NOT NULL DEFAULT 0;
CREATE TABLE work_log (
    work BIGINT UNSIGNED NOT NULL,
    at   TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    says VARCHAR(400)    NOT NULL,
    KEY (work, at),
    FOREIGN KEY (work) REFERENCES work (id) ON DELETE CASCADE
);
