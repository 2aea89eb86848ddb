-- Briefs, assets with their files and parts, candidates by hash, chains, and the work that makes them.

CREATE TABLE briefs (
    id       BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name     VARCHAR(160)    NOT NULL UNIQUE,
    document LONGTEXT        NOT NULL CHECK (JSON_VALID(document)),
    created  TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- `inspection`, `picture` and `stage` are filled by the intake; `fault` says why it failed. `settings` are
-- the guards and the attention that the next cut will have.
CREATE TABLE assets (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name       VARCHAR(200)    NOT NULL,
    brief      BIGINT UNSIGNED NOT NULL,
    source     CHAR(64)        NOT NULL,
    inspection LONGTEXT        NULL CHECK (inspection IS NULL OR JSON_VALID(inspection)),
    picture    CHAR(64)        NULL,
    stage      CHAR(64)        NULL,
    fault      TEXT            NULL,
    settings   LONGTEXT        NOT NULL DEFAULT '{}' CHECK (JSON_VALID(settings)),
    created    TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    FOREIGN KEY (brief) REFERENCES briefs (id)
);

CREATE TABLE source_files (
    asset    BIGINT UNSIGNED NOT NULL,
    position INT UNSIGNED    NOT NULL,
    name     VARCHAR(400)    NOT NULL,
    blob_key CHAR(64)        NOT NULL,
    bytes    BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (asset, position),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);

CREATE TABLE parts (
    asset     BIGINT UNSIGNED NOT NULL,
    position  INT UNSIGNED    NOT NULL,
    name      VARCHAR(400)    NOT NULL,
    triangles BIGINT UNSIGNED NOT NULL,
    materials TEXT            NOT NULL,
    PRIMARY KEY (asset, position),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);

-- What one analysis of a source with some settings found; every cut with them replays it. `flat` is the
-- number of triangles that merging its flat regions would leave.
CREATE TABLE analyses (
    hash    CHAR(32)        NOT NULL PRIMARY KEY,
    log     CHAR(64)        NOT NULL,
    curve   LONGTEXT        NOT NULL CHECK (JSON_VALID(curve)),
    flat    BIGINT UNSIGNED NULL,
    created TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- What a recipe makes of a source. Never altered once `state` is ready.
CREATE TABLE candidates (
    hash      CHAR(32)        NOT NULL PRIMARY KEY,
    recipe    LONGTEXT        NOT NULL CHECK (JSON_VALID(recipe)),
    target    BIGINT UNSIGNED NOT NULL,
    state     VARCHAR(12)     NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'ready', 'failed')),
    triangles BIGINT UNSIGNED NULL,
    vertices  BIGINT UNSIGNED NULL,
    report    LONGTEXT        NULL CHECK (report IS NULL OR JSON_VALID(report)),
    mesh      CHAR(64)        NULL,
    fault     TEXT            NULL,
    created   TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- The candidates that stand beside an asset, numbered in the order they were asked for.
CREATE TABLE tray (
    asset     BIGINT UNSIGNED NOT NULL,
    candidate CHAR(32)        NOT NULL,
    number    INT UNSIGNED    NOT NULL,
    PRIMARY KEY (asset, candidate),
    UNIQUE (asset, number),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE,
    FOREIGN KEY (candidate) REFERENCES candidates (hash)
);

CREATE TABLE chain_tiers (
    asset          BIGINT UNSIGNED NOT NULL,
    tier           INT UNSIGNED    NOT NULL,
    triangle_limit BIGINT UNSIGNED NOT NULL,
    candidate      CHAR(32)        NOT NULL,
    PRIMARY KEY (asset, tier),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE,
    FOREIGN KEY (candidate) REFERENCES candidates (hash)
);

CREATE TABLE work (
    id          BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    kind        VARCHAR(12)     NOT NULL CHECK (kind IN ('intake', 'analyse', 'cut')),
    asset       BIGINT UNSIGNED NOT NULL,
    candidate   CHAR(32)        NULL,
    state       VARCHAR(12)     NOT NULL DEFAULT 'queued'
                CHECK (state IN ('queued', 'running', 'done', 'failed', 'stopped')),
    fraction    FLOAT           NOT NULL DEFAULT 0,
    stage       VARCHAR(80)     NOT NULL DEFAULT '',
    fault       TEXT            NULL,
    stop_asked  BOOLEAN         NOT NULL DEFAULT FALSE,
    attempts    INT UNSIGNED    NOT NULL DEFAULT 0,
    worker      VARCHAR(120)    NULL,
    lease_until TIMESTAMP(6)    NULL,
    created     TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    started     TIMESTAMP(6)    NULL,
    finished    TIMESTAMP(6)    NULL,
    KEY by_state (state, id),
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE
);
