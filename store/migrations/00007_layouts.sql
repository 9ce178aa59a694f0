-- +goose Up
-- The layouts that an instrument can be loaded in, one a line, offered where it is added.
ALTER TABLE instruments ADD COLUMN layouts TEXT NOT NULL DEFAULT '';
UPDATE instruments SET derived = '';

-- +goose Down
ALTER TABLE instruments DROP COLUMN layouts;
