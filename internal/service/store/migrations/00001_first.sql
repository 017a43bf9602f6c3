-- +goose Up
CREATE TABLE IF NOT EXISTS people (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(64) NOT NULL,
  display VARCHAR(120) NOT NULL,
  password_hash VARCHAR(200) NOT NULL,
  operator BOOLEAN NOT NULL DEFAULT FALSE,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY people_name (name)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS sessions (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  secret_hash BINARY(32) NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  csrf VARCHAR(64) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  UNIQUE KEY sessions_secret (secret_hash),
  KEY sessions_expires (expires_at),
  CONSTRAINT sessions_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS tokens (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  secret_hash BINARY(32) NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  label VARCHAR(120) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  UNIQUE KEY tokens_secret (secret_hash),
  KEY tokens_expires (expires_at),
  CONSTRAINT tokens_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS courses (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  slug VARCHAR(64) NOT NULL,
  title VARCHAR(200) NOT NULL,
  current_revision_id BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY courses_slug (slug)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS memberships (
  course_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  role ENUM('instructor', 'assistant', 'student') NOT NULL,
  created_at DATETIME(6) NOT NULL,
  PRIMARY KEY (course_id, person_id),
  KEY memberships_person (person_id),
  CONSTRAINT memberships_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT memberships_of FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS revisions (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  source LONGBLOB NOT NULL,
  source_hash BINARY(32) NOT NULL,
  published_by BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY revisions_number (course_id, number),
  CONSTRAINT revisions_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT revisions_by FOREIGN KEY (published_by) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS attempts (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  revision_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  program MEDIUMTEXT NOT NULL,
  state ENUM('waiting', 'checking', 'checked', 'stuck') NOT NULL,
  repeat_key VARBINARY(120) NULL,
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  claimed_until DATETIME(6) NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY attempts_repeat (person_id, repeat_key),
  KEY attempts_work (state, id),
  KEY attempts_desk (course_id, id),
  KEY attempts_own (person_id, course_id, exercise, id),
  CONSTRAINT attempts_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT attempts_revision FOREIGN KEY (revision_id) REFERENCES revisions (id),
  CONSTRAINT attempts_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS verdicts (
  attempt_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  verdict ENUM('agrees', 'differs', 'failed', 'refused') NOT NULL,
  earned DOUBLE NOT NULL,
  possible DOUBLE NOT NULL,
  lead_code VARCHAR(64) NOT NULL DEFAULT '',
  lead_output VARCHAR(120) NOT NULL DEFAULT '',
  body MEDIUMTEXT NOT NULL,
  seconds DOUBLE NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY verdicts_course (course_id, attempt_id),
  CONSTRAINT verdicts_attempt FOREIGN KEY (attempt_id) REFERENCES attempts (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS findings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  attempt_id BIGINT UNSIGNED NOT NULL,
  ordinal INT UNSIGNED NOT NULL,
  code VARCHAR(64) NOT NULL,
  case_name VARCHAR(120) NOT NULL DEFAULT '',
  output VARCHAR(120) NOT NULL DEFAULT '',
  message TEXT NOT NULL,
  UNIQUE KEY findings_of (attempt_id, ordinal),
  CONSTRAINT findings_attempt FOREIGN KEY (attempt_id) REFERENCES attempts (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS changes (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  attempt_id BIGINT UNSIGNED NULL,
  kind ENUM('attempt', 'verdict', 'revision') NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY changes_recent (created_at, id),
  CONSTRAINT changes_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS audit (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  person_id BIGINT UNSIGNED NULL,
  action VARCHAR(64) NOT NULL,
  subject VARCHAR(200) NOT NULL,
  detail TEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY audit_subject (subject, id)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
