-- +goose Up
-- The house chart is one document with revisions; some of them are kept as versions.
CREATE TABLE charts (
    id   INTEGER PRIMARY KEY CHECK (id = 1),
    head INTEGER NOT NULL,
    tip  INTEGER NOT NULL
) STRICT;
CREATE TABLE chart_revisions (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    chart_id INTEGER NOT NULL REFERENCES charts (id),
    parent   INTEGER NOT NULL,
    label    TEXT NOT NULL,
    doc      TEXT NOT NULL CHECK (json_valid(doc)),
    made_at  TEXT NOT NULL
) STRICT;
INSERT INTO charts (id, head, tip) VALUES (1, 1, 1);
INSERT INTO chart_revisions (id, chart_id, parent, label, doc, made_at) VALUES (1, 1, 0, 'begin with the standard', '{"version":0}', '');
CREATE TABLE chart_versions (
    number      INTEGER PRIMARY KEY,
    revision_id INTEGER NOT NULL REFERENCES chart_revisions (id),
    note        TEXT NOT NULL,
    kept_at     TEXT NOT NULL
) STRICT;

-- A change over several projects at once is undone at once.
CREATE TABLE batches (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    label   TEXT NOT NULL,
    made_at TEXT NOT NULL,
    undone  INTEGER NOT NULL DEFAULT 0
) STRICT;
ALTER TABLE revisions ADD COLUMN batch_id INTEGER REFERENCES batches (id);
CREATE INDEX revisions_by_batch ON revisions (batch_id) WHERE batch_id IS NOT NULL;

-- state is '' for a project at work, 'archived' or 'template'; uid is the same in every
-- library the project is brought to. facts are what the house sees of it, derived from
-- the document; NULL means that they are yet to be.
ALTER TABLE projects ADD COLUMN state TEXT NOT NULL DEFAULT '';
ALTER TABLE projects ADD COLUMN uid TEXT;
ALTER TABLE projects ADD COLUMN facts TEXT;
UPDATE projects SET uid = lower(hex(randomblob(16)));
CREATE UNIQUE INDEX projects_by_uid ON projects (uid);

-- +goose Down
DROP INDEX projects_by_uid;
ALTER TABLE projects DROP COLUMN facts;
ALTER TABLE projects DROP COLUMN uid;
ALTER TABLE projects DROP COLUMN state;
DROP INDEX revisions_by_batch;
ALTER TABLE revisions DROP COLUMN batch_id;
DROP TABLE batches;
DROP TABLE chart_versions;
DROP TABLE chart_revisions;
DROP TABLE charts;
