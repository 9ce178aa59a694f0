-- +goose Up
CREATE TABLE instruments (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL,
    doc     TEXT NOT NULL CHECK (json_valid(doc)),
    hash    TEXT NOT NULL UNIQUE,
    removed INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE songs (
    id   INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    data BLOB NOT NULL
) STRICT;

-- A project is one document; head is the revision that stands, tip the last one
-- that redo can reach. The columns after them are derived from the document.
CREATE TABLE projects (
    id          INTEGER PRIMARY KEY,
    head        INTEGER NOT NULL DEFAULT 0,
    tip         INTEGER NOT NULL DEFAULT 0,
    removed     INTEGER NOT NULL DEFAULT 0,
    name        TEXT NOT NULL,
    instruments TEXT NOT NULL,
    lanes       INTEGER NOT NULL,
    buses       INTEGER NOT NULL,
    findings    INTEGER NOT NULL,
    colours     TEXT NOT NULL -- of the lanes by number, with spaces between
) STRICT;

CREATE TABLE revisions (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    project_id INTEGER NOT NULL REFERENCES projects (id),
    parent     INTEGER NOT NULL,
    label      TEXT NOT NULL,
    doc        TEXT NOT NULL CHECK (json_valid(doc)),
    made_at    TEXT NOT NULL
) STRICT;
CREATE INDEX revisions_by_project ON revisions (project_id, id);

CREATE TABLE settings (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;

-- +goose Down
DROP TABLE settings;
DROP TABLE revisions;
DROP TABLE projects;
DROP TABLE songs;
DROP TABLE instruments;
