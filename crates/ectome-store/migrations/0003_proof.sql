-- Candidates carry their proof: figures as a document, pictures and fields as blobs named in `pictures`. What a
-- candidate was cut from, when that was another candidate, is `based_on`.
ALTER TABLE candidates
    ADD COLUMN proof LONGTEXT NULL CHECK (proof IS NULL OR JSON_VALID(proof)),
    ADD COLUMN pictures LONGTEXT NULL CHECK (pictures IS NULL OR JSON_VALID(pictures)),
    ADD COLUMN based_on CHAR(32) NULL;

-- A pinned candidate keeps its mark on the Rule; a locked tier keeps its candidate when the chain is filled.
ALTER TABLE tray ADD COLUMN pinned BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE chain_tiers ADD COLUMN locked BOOLEAN NOT NULL DEFAULT FALSE;

-- Several assets under one budget of triangles, each at its distance and so many times.
CREATE TABLE scenes (
    id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name      VARCHAR(160)    NOT NULL,
    brief     BIGINT UNSIGNED NOT NULL,
    triangles BIGINT UNSIGNED NOT NULL,
    created   TIMESTAMP(6)    NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    FOREIGN KEY (brief) REFERENCES briefs (id)
);

-- `candidate` is what the scene's last share asked for.
CREATE TABLE scene_assets (
    scene      BIGINT UNSIGNED NOT NULL,
    asset      BIGINT UNSIGNED NOT NULL,
    distance_m DOUBLE          NOT NULL,
    instances  INT UNSIGNED    NOT NULL,
    candidate  CHAR(32)        NULL,
    PRIMARY KEY (scene, asset),
    FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE,
    FOREIGN KEY (asset) REFERENCES assets (id) ON DELETE CASCADE,
    FOREIGN KEY (candidate) REFERENCES candidates (hash)
);
