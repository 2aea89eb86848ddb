-- Whatever is kept beside a row and is no figure: meshes, views of them, pictures, fields, analyses. `owner` is the key of the
-- recipe or of the analysis that made it, `which` tells several of a kind apart, and `blob_key` is where it lies.
CREATE TABLE artefacts (
    owner    CHAR(32)     NOT NULL,
    kind     VARCHAR(24)  NOT NULL,
    which    VARCHAR(190) NOT NULL DEFAULT '',
    blob_key CHAR(64)     NOT NULL,
    PRIMARY KEY (owner, kind, which)
);

INSERT INTO artefacts (owner, kind, blob_key) SELECT hash, 'view', mesh FROM candidates WHERE mesh IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key)
    SELECT hash, 'picture', JSON_VALUE(pictures, '$.result') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key)
    SELECT hash, 'outline', JSON_VALUE(pictures, '$.outline') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, which, blob_key)
    SELECT hash, 'shading', 'source', JSON_VALUE(pictures, '$.shading[0]') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, which, blob_key)
    SELECT hash, 'shading', 'result', JSON_VALUE(pictures, '$.shading[1]') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, which, blob_key)
    SELECT hash, 'shading', 'difference', JSON_VALUE(pictures, '$.shading[2]') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, which, blob_key)
    SELECT hash, 'field', 'source', JSON_VALUE(pictures, '$.source_field') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, which, blob_key)
    SELECT hash, 'field', 'result', JSON_VALUE(pictures, '$.result_field') FROM candidates WHERE pictures IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key) SELECT hash, 'log', log FROM analyses;

-- `prepared` is the key of the recipe that made what an asset is now. Only the application can compute it: until it has, the
-- number of the asset stands for it.
ALTER TABLE assets ADD COLUMN prepared CHAR(32) NOT NULL DEFAULT '';
UPDATE assets SET prepared = CONCAT('asset ', id) WHERE inspection IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key) SELECT prepared, 'picture', picture FROM assets WHERE picture IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key) SELECT prepared, 'view', stage FROM assets WHERE stage IS NOT NULL;
INSERT INTO artefacts (owner, kind, blob_key) SELECT prepared, 'marks', marks FROM assets WHERE marks IS NOT NULL;

ALTER TABLE candidates DROP COLUMN mesh, DROP COLUMN pictures;
ALTER TABLE analyses DROP COLUMN log;
ALTER TABLE assets DROP COLUMN picture, DROP COLUMN stage, DROP COLUMN marks;

-- What was asked for, in words: lists of work say it without knowing the kinds of steps.
ALTER TABLE candidates ADD COLUMN wish VARCHAR(120) NOT NULL DEFAULT '';

-- `prepared` is the key of the source as a candidate's recipe prepares it; empty for candidates of an earlier version. Where it is
-- not the asset's, the source was changed since.
ALTER TABLE candidates ADD COLUMN prepared CHAR(32) NOT NULL DEFAULT '';
UPDATE candidates SET wish = IF(changes_uvs, 'Changing UVs', CONCAT('Cutting to ', target));
