-- Sources are prepared before they are cut: `preparation` lists the changes, `results` what each did, `wanted`
-- the changes that are being tried. `marks` holds the places of the findings. Origin and licence travel with
-- the asset.
ALTER TABLE assets
    ADD COLUMN preparation LONGTEXT NOT NULL DEFAULT '[]' CHECK (JSON_VALID(preparation)),
    ADD COLUMN results LONGTEXT NOT NULL DEFAULT '[]' CHECK (JSON_VALID(results)),
    ADD COLUMN wanted LONGTEXT NULL CHECK (wanted IS NULL OR JSON_VALID(wanted)),
    ADD COLUMN preparation_fault TEXT NULL,
    ADD COLUMN marks CHAR(64) NULL,
    ADD COLUMN space LONGTEXT NULL CHECK (space IS NULL OR JSON_VALID(space)),
    ADD COLUMN origin VARCHAR(400) NOT NULL DEFAULT '',
    ADD COLUMN author VARCHAR(200) NOT NULL DEFAULT '',
    ADD COLUMN licence VARCHAR(200) NOT NULL DEFAULT '',
    ADD COLUMN may_pass_on VARCHAR(8) NOT NULL DEFAULT 'unknown' CHECK (may_pass_on IN ('yes', 'no', 'unknown'));

ALTER TABLE parts
    ADD COLUMN fate VARCHAR(8) NOT NULL DEFAULT 'build' CHECK (fate IN ('build', 'imprint', 'omit')),
    ADD COLUMN group_name VARCHAR(200) NOT NULL DEFAULT '';

ALTER TABLE work MODIFY kind VARCHAR(12) NOT NULL CHECK (kind IN ('intake', 'prepare', 'analyse', 'cut'));
