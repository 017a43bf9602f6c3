-- Weekly digests, which are sent once; what probing found of a revision; web hooks with what is sent to them; knots that
-- were told of; verdicts whose points of before count for the grade.
-- +goose Up
ALTER TABLE courses
  ADD COLUMN IF NOT EXISTS digest_day TINYINT NULL,
  ADD COLUMN IF NOT EXISTS digest_hour TINYINT NOT NULL DEFAULT 7,
  ADD COLUMN IF NOT EXISTS digest_zone VARCHAR(64) NOT NULL DEFAULT 'UTC';

ALTER TABLE people
  ADD COLUMN IF NOT EXISTS mail_digest BOOLEAN NOT NULL DEFAULT TRUE,
  ADD COLUMN IF NOT EXISTS mail_knots BOOLEAN NOT NULL DEFAULT FALSE;

CREATE TABLE IF NOT EXISTS digests (
  course_id BIGINT UNSIGNED NOT NULL,
  due_at DATETIME(6) NOT NULL,
  sent_at DATETIME(6) NOT NULL,
  PRIMARY KEY (course_id, due_at),
  CONSTRAINT digests_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS probed (
  revision_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  slips INT UNSIGNED NOT NULL,
  caught INT UNSIGNED NOT NULL,
  PRIMARY KEY (revision_id, exercise),
  CONSTRAINT probed_revision FOREIGN KEY (revision_id) REFERENCES revisions (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS knot_marks (
  course_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  lead_code VARCHAR(64) NOT NULL,
  lead_output VARCHAR(120) NOT NULL,
  marked_at DATETIME(6) NOT NULL,
  PRIMARY KEY (course_id, exercise, lead_code, lead_output),
  CONSTRAINT knot_marks_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS hooks (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  address VARCHAR(500) NOT NULL,
  secret VARBINARY(64) NOT NULL,
  events VARCHAR(300) NOT NULL,
  made_by BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  ended_at DATETIME(6) NULL,
  KEY hooks_course (course_id, id),
  CONSTRAINT hooks_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT hooks_by FOREIGN KEY (made_by) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS hook_calls (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hook_id BIGINT UNSIGNED NOT NULL,
  message_id VARCHAR(60) NOT NULL,
  kind VARCHAR(60) NOT NULL,
  body MEDIUMTEXT NOT NULL,
  state ENUM('waiting', 'sending', 'sent', 'failed') NOT NULL,
  owner VARCHAR(60) NOT NULL DEFAULT '',
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  due DATETIME(6) NOT NULL,
  status INT NOT NULL DEFAULT 0,
  error VARCHAR(500) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  sent_at DATETIME(6) NULL,
  KEY hook_calls_due (state, due),
  KEY hook_calls_of (hook_id, id),
  KEY hook_calls_created (created_at),
  CONSTRAINT hook_calls_of FOREIGN KEY (hook_id) REFERENCES hooks (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- Where a re-check keeps the better: the points that count for the grade are those of an earlier verdict.
ALTER TABLE attempts ADD COLUMN IF NOT EXISTS keep_better BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE verdicts
  ADD COLUMN IF NOT EXISTS kept_earned DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS kept_possible DOUBLE NULL;
