-- +goose Up
-- What projects use is kept once, under the hash of its bytes: instruments and house
-- charts as they came. A project's document names them.
CREATE TABLE contents (
    hash TEXT PRIMARY KEY,
    kind TEXT NOT NULL,
    doc  TEXT NOT NULL CHECK (json_valid(doc))
) STRICT, WITHOUT ROWID;

-- Numbers of run-sheet steps, outside undo: a step gets its number when it is first
-- shown, and no other step of the project ever has it.
CREATE TABLE step_numbers (
    project_id  INTEGER NOT NULL REFERENCES projects (id),
    step        TEXT NOT NULL,
    number      INTEGER NOT NULL,
    first_shown TEXT NOT NULL,
    done        TEXT, -- when it was ticked off; NULL: it is open
    PRIMARY KEY (project_id, step),
    UNIQUE (project_id, number)
) STRICT, WITHOUT ROWID;

-- derived is the stamp of the rules that the derived columns come from; others are made
-- anew when the data is opened.
ALTER TABLE projects ADD COLUMN derived TEXT NOT NULL DEFAULT '';
ALTER TABLE instruments ADD COLUMN derived TEXT NOT NULL DEFAULT '';
ALTER TABLE instruments DROP COLUMN doc; -- the revisions have it

-- +goose Down
ALTER TABLE instruments ADD COLUMN doc TEXT NOT NULL DEFAULT '{}';
ALTER TABLE instruments DROP COLUMN derived;
ALTER TABLE projects DROP COLUMN derived;
DROP TABLE step_numbers;
DROP TABLE contents;
