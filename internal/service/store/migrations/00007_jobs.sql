-- Long work as rows that any process takes up, and changes that concern no course.
-- +goose Up
CREATE TABLE IF NOT EXISTS jobs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(20) NOT NULL,
  course VARCHAR(64) NOT NULL,
  course_id BIGINT UNSIGNED NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  state ENUM('waiting', 'running', 'done', 'failed', 'stopped') NOT NULL,
  owner VARCHAR(60) NOT NULL DEFAULT '',
  beat_at DATETIME(6) NOT NULL,
  stop BOOLEAN NOT NULL DEFAULT FALSE,
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  stage VARCHAR(60) NOT NULL DEFAULT '',
  done BIGINT UNSIGNED NOT NULL DEFAULT 0,
  total BIGINT UNSIGNED NOT NULL DEFAULT 0,
  args MEDIUMTEXT NOT NULL,
  input LONGBLOB NULL,
  reached MEDIUMTEXT NOT NULL,
  status INT UNSIGNED NOT NULL DEFAULT 0,
  answer LONGTEXT NULL,
  created_at DATETIME(6) NOT NULL,
  ended_at DATETIME(6) NULL,
  KEY jobs_line (state, beat_at),
  KEY jobs_course (course, id),
  KEY jobs_ended (ended_at),
  CONSTRAINT jobs_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE changes
  MODIFY COLUMN course_id BIGINT UNSIGNED NULL,
  MODIFY COLUMN kind ENUM('attempt', 'verdict', 'revision', 'job', 'revoked') NOT NULL,
  ADD COLUMN IF NOT EXISTS subject BIGINT UNSIGNED NULL AFTER attempt_id;
