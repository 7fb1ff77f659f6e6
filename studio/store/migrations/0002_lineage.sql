-- +goose Up
-- In a table of its own: a row of takes holds a whole document, and what comes
-- after it is slow to read.
CREATE TABLE lineage (
  take_id INTEGER PRIMARY KEY REFERENCES takes(id) ON DELETE CASCADE,
  parent INTEGER NOT NULL DEFAULT 0,
  sweep TEXT NOT NULL DEFAULT ''
);
CREATE INDEX takes_brief ON takes(shot_id, number DESC, domain, key, first, last, note, stars, seconds, created);
ALTER TABLE shots ADD COLUMN base INTEGER NOT NULL DEFAULT 0;
ALTER TABLE jobs ADD COLUMN priority INTEGER NOT NULL DEFAULT 0;

-- +goose Down
DROP TABLE lineage;
DROP INDEX takes_brief;
ALTER TABLE shots DROP COLUMN base;
ALTER TABLE jobs DROP COLUMN priority;
