-- Data of one's own for those who compute elsewhere: tickets, the arrays that are handed in, the source they were made by.
-- +goose Up
CREATE TABLE IF NOT EXISTS secrets (
  name VARCHAR(40) NOT NULL PRIMARY KEY,
  value VARBINARY(64) NOT NULL,
  created_at DATETIME(6) NOT NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS tickets (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  revision_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  attempt_id BIGINT UNSIGNED NULL,
  expires_at DATETIME(6) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY tickets_own (person_id, course_id, exercise, id),
  UNIQUE KEY tickets_attempt (attempt_id),
  CONSTRAINT tickets_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT tickets_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT tickets_attempt FOREIGN KEY (attempt_id) REFERENCES attempts (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- What is handed in, by its digest, in parts that any server takes.
CREATE TABLE IF NOT EXISTS arrays (
  digest CHAR(64) NOT NULL,
  part INT UNSIGNED NOT NULL,
  body MEDIUMBLOB NOT NULL,
  created_at DATETIME(6) NOT NULL,
  PRIMARY KEY (digest, part),
  KEY arrays_created (part, created_at)
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE attempts
  ADD COLUMN IF NOT EXISTS ticket_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS arrays CHAR(64) NULL,
  ADD COLUMN IF NOT EXISTS source MEDIUMTEXT NULL,
  ADD KEY IF NOT EXISTS attempts_arrays (arrays);
