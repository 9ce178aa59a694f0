-- +goose Up
-- What an instrument was read from, kept so that it can be written again.
CREATE TABLE sources (
    id     INTEGER PRIMARY KEY,
    format TEXT NOT NULL,
    main   TEXT NOT NULL, -- path of the file that holds the instrument
    data   BLOB NOT NULL  -- its texts as one ZIP
) STRICT;

-- Instruments have revisions as projects do. The columns after tip are derived
-- from the document; words NULL means that they are yet to be.
ALTER TABLE instruments ADD COLUMN source_id INTEGER REFERENCES sources (id);
ALTER TABLE instruments ADD COLUMN head INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN tip INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN feeds INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN voices INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN microphones INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN parts INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN unsure INTEGER NOT NULL DEFAULT 0;
ALTER TABLE instruments ADD COLUMN outputs TEXT NOT NULL DEFAULT '';
ALTER TABLE instruments ADD COLUMN origin TEXT NOT NULL DEFAULT '';
ALTER TABLE instruments ADD COLUMN family TEXT NOT NULL DEFAULT '';
ALTER TABLE instruments ADD COLUMN words TEXT;

CREATE TABLE instrument_revisions (
    id            INTEGER PRIMARY KEY AUTOINCREMENT,
    instrument_id INTEGER NOT NULL REFERENCES instruments (id),
    parent        INTEGER NOT NULL,
    label         TEXT NOT NULL,
    doc           TEXT NOT NULL CHECK (json_valid(doc)),
    made_at       TEXT NOT NULL
) STRICT;
CREATE INDEX instrument_revisions_by_instrument ON instrument_revisions (instrument_id, id);
INSERT INTO instrument_revisions (instrument_id, parent, label, doc, made_at)
    SELECT id, 0, 'bring ' || name, doc, '' FROM instruments;
UPDATE instruments SET head = (SELECT max(r.id) FROM instrument_revisions r WHERE r.instrument_id = instruments.id);
UPDATE instruments SET tip = head;

-- Roles the user has told for a spelling of a name.
CREATE TABLE spellings (
    spelling TEXT PRIMARY KEY,
    role     TEXT NOT NULL
) STRICT;

-- Output set-ups kept by name; one may be the default of a plug-in format.
CREATE TABLE setups (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL UNIQUE COLLATE NOCASE,
    variant    TEXT NOT NULL DEFAULT '',
    outputs    TEXT NOT NULL,
    first      INTEGER NOT NULL DEFAULT 1,
    is_default INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE UNIQUE INDEX one_default ON setups (variant) WHERE is_default = 1;

-- +goose Down
DROP TABLE setups;
DROP TABLE spellings;
DROP TABLE instrument_revisions;
ALTER TABLE instruments DROP COLUMN words;
ALTER TABLE instruments DROP COLUMN family;
ALTER TABLE instruments DROP COLUMN origin;
ALTER TABLE instruments DROP COLUMN outputs;
ALTER TABLE instruments DROP COLUMN unsure;
ALTER TABLE instruments DROP COLUMN parts;
ALTER TABLE instruments DROP COLUMN microphones;
ALTER TABLE instruments DROP COLUMN voices;
ALTER TABLE instruments DROP COLUMN feeds;
ALTER TABLE instruments DROP COLUMN tip;
ALTER TABLE instruments DROP COLUMN head;
ALTER TABLE instruments DROP COLUMN source_id;
DROP TABLE sources;
