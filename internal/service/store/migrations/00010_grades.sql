-- Points that are changed by hand, and the verdicts that a re-check has replaced: what a grade was.
-- +goose Up
CREATE TABLE IF NOT EXISTS adjustments (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  kind ENUM('set', 'add', 'excused') NOT NULL,
  points VARCHAR(40) NOT NULL DEFAULT '',
  beyond BOOLEAN NOT NULL DEFAULT FALSE,
  reason VARCHAR(500) NOT NULL,
  given_by BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  under_attempt BIGINT UNSIGNED NULL,
  under_earned DOUBLE NOT NULL DEFAULT 0,
  under_possible DOUBLE NOT NULL DEFAULT 0,
  KEY adjustments_of (course_id, person_id, exercise, id),
  KEY adjustments_course (course_id, id),
  CONSTRAINT adjustments_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT adjustments_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT adjustments_by FOREIGN KEY (given_by) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS past_verdicts (
  attempt_id BIGINT UNSIGNED NOT NULL,
  stored_at DATETIME(6) NOT NULL,
  replaced_at DATETIME(6) NOT NULL,
  verdict ENUM('agrees', 'differs', 'failed', 'refused') NOT NULL,
  earned DOUBLE NOT NULL,
  possible DOUBLE NOT NULL,
  PRIMARY KEY (attempt_id, stored_at),
  CONSTRAINT past_verdicts_of FOREIGN KEY (attempt_id) REFERENCES attempts (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- The points of the best and the newest verdict, and which attempts they are of. A process of an earlier release writes
-- rows of this table without naming columns, and so must not see these; what it writes leaves them behind, which is seen
-- by the ids.
ALTER TABLE standing
  ADD COLUMN IF NOT EXISTS best_of BIGINT UNSIGNED INVISIBLE NULL,
  ADD COLUMN IF NOT EXISTS best_possible DOUBLE INVISIBLE NULL,
  ADD COLUMN IF NOT EXISTS newest_of BIGINT UNSIGNED INVISIBLE NULL,
  ADD COLUMN IF NOT EXISTS newest_earned DOUBLE INVISIBLE NULL,
  ADD COLUMN IF NOT EXISTS newest_possible DOUBLE INVISIBLE NULL;

UPDATE standing AS s JOIN verdicts AS b ON b.attempt_id = s.best_id JOIN verdicts AS n ON n.attempt_id = s.newest_id
SET s.best_of = b.attempt_id, s.best_possible = b.possible, s.newest_of = n.attempt_id, s.newest_earned = n.earned,
  s.newest_possible = n.possible;
