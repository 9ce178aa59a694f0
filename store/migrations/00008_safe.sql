-- +goose Up
-- A revision whose document is no longer kept has null in its place, and the hash of what it
-- said, so that merging still knows every state there ever was. One that is some days old has
-- null there too, and its document packed (RFC 1951).
ALTER TABLE revisions ADD COLUMN hash TEXT;
ALTER TABLE revisions ADD COLUMN packed BLOB;

-- What comes with an import that is not done yet: nobody sees it (removed = 2) until all of it
-- is there. A project that updates another one is the next revision of that.
CREATE TABLE imports (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    begun_at TEXT NOT NULL
) STRICT;
CREATE TABLE incoming (
    import  INTEGER NOT NULL REFERENCES imports (id),
    kind    TEXT NOT NULL,    -- project, instrument or song
    ref     INTEGER NOT NULL, -- its number
    uid     TEXT,             -- of a project that is new here
    updates INTEGER,          -- the project that it updates, or brings back
    base    INTEGER,          -- the revision of that which it was compared with
    PRIMARY KEY (import, kind, ref)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE incoming;
DROP TABLE imports;
ALTER TABLE revisions DROP COLUMN packed;
ALTER TABLE revisions DROP COLUMN hash;
