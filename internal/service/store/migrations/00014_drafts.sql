-- What somebody is writing, kept for their other devices; when a hand-in that waited on a device was written.
-- +goose Up
CREATE TABLE IF NOT EXISTS drafts (
  person_id BIGINT UNSIGNED NOT NULL,
  course_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  program MEDIUMTEXT NOT NULL,
  version INT UNSIGNED NOT NULL,
  written_at DATETIME(6) NOT NULL,
  PRIMARY KEY (person_id, course_id, exercise),
  CONSTRAINT drafts_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT drafts_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE attempts
  ADD COLUMN IF NOT EXISTS written_at DATETIME(6) NULL;
