-- +goose Up
ALTER TABLE attempts
  ADD COLUMN IF NOT EXISTS kind ENUM('program', 'results') NOT NULL DEFAULT 'program' AFTER exercise,
  ADD COLUMN IF NOT EXISTS results MEDIUMTEXT NULL AFTER program;

CREATE TABLE IF NOT EXISTS predictions (
  person_id BIGINT UNSIGNED NOT NULL,
  course_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  ordinal INT UNSIGNED NOT NULL,
  answer VARCHAR(400) NOT NULL,
  is_right BOOLEAN NOT NULL,
  created_at DATETIME(6) NOT NULL,
  PRIMARY KEY (person_id, course_id, exercise, ordinal),
  CONSTRAINT predictions_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT predictions_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
