-- People have an e-mail address and a campus number; in a course they are in a group, and may leave it.
-- Extensions, late attempts, archived courses, mail that is to be sent, and calendars.
-- +goose Up
ALTER TABLE people
  ADD COLUMN IF NOT EXISTS email VARCHAR(254) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS number VARCHAR(64) NULL,
  ADD COLUMN IF NOT EXISTS seen_at DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS mail_notes BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS calendar_hash BINARY(32) NULL,
  ADD UNIQUE KEY IF NOT EXISTS people_number (number),
  ADD UNIQUE KEY IF NOT EXISTS people_calendar (calendar_hash),
  ADD KEY IF NOT EXISTS people_email (email);

ALTER TABLE memberships
  ADD COLUMN IF NOT EXISTS state ENUM('active', 'left') NOT NULL DEFAULT 'active',
  ADD COLUMN IF NOT EXISTS group_name VARCHAR(80) NOT NULL DEFAULT '',
  ADD KEY IF NOT EXISTS memberships_group (course_id, group_name, person_id);

-- The groups that an assistant is limited to; no row: none.
CREATE TABLE IF NOT EXISTS group_limits (
  course_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  group_name VARCHAR(80) NOT NULL,
  PRIMARY KEY (course_id, person_id, group_name),
  CONSTRAINT group_limits_of FOREIGN KEY (course_id, person_id) REFERENCES memberships (course_id, person_id)
    ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS extensions (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL DEFAULT '',
  person_id BIGINT UNSIGNED NULL,
  group_name VARCHAR(80) NOT NULL DEFAULT '',
  closes DATETIME(6) NULL,
  attempts INT UNSIGNED NULL,
  reason VARCHAR(500) NOT NULL,
  given_by BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  KEY extensions_person (person_id, course_id),
  KEY extensions_course (course_id, id),
  KEY extensions_group (course_id, group_name),
  CONSTRAINT extensions_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT extensions_of FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT extensions_by FOREIGN KEY (given_by) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE courses ADD COLUMN IF NOT EXISTS archived_at DATETIME(6) NULL;
ALTER TABLE attempts ADD COLUMN IF NOT EXISTS late BOOLEAN NOT NULL DEFAULT FALSE;

CREATE TABLE IF NOT EXISTS outbox (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  message_id VARCHAR(120) NOT NULL,
  person_id BIGINT UNSIGNED NULL,
  recipient VARCHAR(254) NOT NULL,
  subject VARCHAR(300) NOT NULL,
  plain MEDIUMTEXT NOT NULL,
  html MEDIUMTEXT NOT NULL,
  state ENUM('waiting', 'sending', 'sent', 'failed') NOT NULL,
  owner VARCHAR(60) NOT NULL DEFAULT '',
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  due DATETIME(6) NOT NULL,
  error VARCHAR(500) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  sent_at DATETIME(6) NULL,
  UNIQUE KEY outbox_message (message_id),
  KEY outbox_due (state, due),
  KEY outbox_created (created_at),
  CONSTRAINT outbox_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE audit
  ADD KEY IF NOT EXISTS audit_person (person_id, id),
  ADD KEY IF NOT EXISTS audit_action (action, id);

ALTER TABLE changes
  MODIFY COLUMN kind ENUM('attempt', 'verdict', 'revision', 'job', 'revoked', 'people') NOT NULL;
