-- +goose Up
-- A step that is done in part keeps its number for what is left, and each part that was done
-- has it too; told is what was done, in words and with what it changed, to be taken back.
CREATE TABLE steps_anew (
    project_id  INTEGER NOT NULL REFERENCES projects (id),
    step        TEXT NOT NULL,
    number      INTEGER NOT NULL,
    first_shown TEXT NOT NULL,
    done        TEXT, -- when it was ticked off; NULL: it is open
    told        TEXT CHECK (told IS NULL OR json_valid(told)),
    PRIMARY KEY (project_id, step)
) STRICT, WITHOUT ROWID;
INSERT INTO steps_anew (project_id, step, number, first_shown, done)
    SELECT project_id, step, number, first_shown, done FROM step_numbers;
DROP TABLE step_numbers;
ALTER TABLE steps_anew RENAME TO step_numbers;

-- +goose Down
UPDATE step_numbers SET told = NULL;
