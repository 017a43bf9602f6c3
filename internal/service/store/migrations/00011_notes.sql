-- Notes from the team to students: who got them, what they answered, what the text was before. Since when somebody is
-- in a knot. Attempts by the time at which they came.
-- +goose Up
CREATE TABLE IF NOT EXISTS notes (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  kind ENUM('knot', 'attempt', 'exercise', 'course') NOT NULL,
  exercise VARCHAR(64) NOT NULL DEFAULT '',
  lead_code VARCHAR(64) NOT NULL DEFAULT '',
  lead_output VARCHAR(120) NOT NULL DEFAULT '',
  attempt_id BIGINT UNSIGNED NULL,
  later BOOLEAN NOT NULL DEFAULT FALSE,
  among TEXT NOT NULL,
  text MEDIUMTEXT NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  author_id BIGINT UNSIGNED NULL,
  created_at DATETIME(6) NOT NULL,
  edited_at DATETIME(6) NULL,
  withdrawn_at DATETIME(6) NULL,
  KEY notes_course (course_id, id),
  KEY notes_knot (course_id, exercise, lead_code, lead_output, kind),
  KEY notes_attempt (attempt_id),
  CONSTRAINT notes_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT notes_attempt FOREIGN KEY (attempt_id) REFERENCES attempts (id) ON DELETE CASCADE,
  CONSTRAINT notes_author FOREIGN KEY (author_id) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

-- What a note said before it was edited.
CREATE TABLE IF NOT EXISTS note_texts (
  note_id BIGINT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL,
  text MEDIUMTEXT NOT NULL,
  replaced_by BIGINT UNSIGNED NULL,
  replaced_at DATETIME(6) NOT NULL,
  PRIMARY KEY (note_id, version),
  CONSTRAINT note_texts_of FOREIGN KEY (note_id) REFERENCES notes (id) ON DELETE CASCADE,
  CONSTRAINT note_texts_by FOREIGN KEY (replaced_by) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS note_recipients (
  note_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  attempt_id BIGINT UNSIGNED NULL,
  reached_at DATETIME(6) NOT NULL,
  seen_at DATETIME(6) NULL,
  feeling ENUM('', 'helped', 'stuck') NOT NULL DEFAULT '',
  felt_at DATETIME(6) NULL,
  mailed BOOLEAN NOT NULL DEFAULT FALSE,
  PRIMARY KEY (note_id, person_id),
  KEY note_recipients_person (person_id, note_id),
  KEY note_recipients_mail (mailed, reached_at),
  CONSTRAINT note_recipients_of FOREIGN KEY (note_id) REFERENCES notes (id) ON DELETE CASCADE,
  CONSTRAINT note_recipients_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

CREATE TABLE IF NOT EXISTS note_answers (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  note_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  author_id BIGINT UNSIGNED NULL,
  text MEDIUMTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  seen_at DATETIME(6) NULL,
  KEY note_answers_thread (note_id, person_id, id),
  KEY note_answers_person (person_id, note_id),
  CONSTRAINT note_answers_of FOREIGN KEY (note_id) REFERENCES notes (id) ON DELETE CASCADE,
  CONSTRAINT note_answers_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT note_answers_author FOREIGN KEY (author_id) REFERENCES people (id) ON DELETE SET NULL
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE changes
  MODIFY COLUMN kind ENUM('attempt', 'verdict', 'revision', 'job', 'revoked', 'people', 'note') NOT NULL;

-- Since when a person's newest attempts have had the lead that they have. As with the columns before, a process of an
-- earlier release leaves it behind, which is seen by newest_of.
ALTER TABLE standing ADD COLUMN IF NOT EXISTS entered_at DATETIME(6) INVISIBLE NULL;

UPDATE standing AS s LEFT JOIN (
    SELECT person_id, course_id, exercise, MIN(IF(id > broke, created_at, NULL)) AS entered
    FROM (SELECT *, MAX(IF(led = last_led, 0, id)) OVER (PARTITION BY person_id, course_id, exercise) AS broke
      FROM (SELECT a.person_id, a.course_id, a.exercise, a.id, a.created_at,
          CONCAT(v.verdict = 'agrees', v.lead_code, '\n', v.lead_output) AS led,
          FIRST_VALUE(CONCAT(v.verdict = 'agrees', v.lead_code, '\n', v.lead_output)) OVER (PARTITION BY a.person_id,
            a.course_id, a.exercise ORDER BY a.id DESC) AS last_led
        FROM attempts AS a JOIN verdicts AS v ON v.attempt_id = a.id) AS each_one) AS broken
    GROUP BY person_id, course_id, exercise) AS x
  ON x.person_id = s.person_id AND x.course_id = s.course_id AND x.exercise = s.exercise
SET s.entered_at = x.entered;

ALTER TABLE standing
  DROP KEY IF EXISTS standing_alike,
  ADD KEY standing_alike (course_id, exercise, verdict, lead_code, lead_output, newest_id, newest_at, tries, newest_of,
    entered_at);

ALTER TABLE attempts ADD KEY IF NOT EXISTS attempts_came (course_id, created_at);

-- Whoever ever was in a knot is read from this index alone.
ALTER TABLE verdicts
  DROP KEY IF EXISTS verdicts_exercise_lead,
  ADD KEY verdicts_exercise_lead (course_id, exercise, lead_code, attempt_id, lead_output, person_id);
