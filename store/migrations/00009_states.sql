-- +goose Up
-- Each state of a project has an identity that goes along in library files, so that two
-- computers know which of their states the other has had.
ALTER TABLE revisions ADD COLUMN uid TEXT;
-- Of those that are here it is made of what they have, so that two copies of one folder agree.
UPDATE revisions SET uid = (SELECT coalesce(p.uid, '') FROM projects p WHERE p.id = project_id)
    || '-' || id || '-' || made_at;
CREATE INDEX revisions_uid ON revisions (uid);

-- The states that projects had where they came from: the history in the library file, as JSON.
CREATE TABLE histories (
    project_id INTEGER NOT NULL REFERENCES projects (id),
    states     TEXT NOT NULL
) STRICT;
CREATE INDEX histories_of ON histories (project_id);

-- +goose Down
DROP TABLE histories;
DROP INDEX revisions_uid;
ALTER TABLE revisions DROP COLUMN uid;
