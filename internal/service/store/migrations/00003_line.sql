-- The line of waiting attempts, the number of each attempt, indexes for every query, and
-- one character set whatever the database's own.
-- +goose Up
ALTER TABLE people CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE sessions CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE tokens CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE courses CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE memberships CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE revisions CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE attempts CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE verdicts CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE findings CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE changes CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE audit CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
ALTER TABLE predictions CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE attempts
  ADD COLUMN IF NOT EXISTS number INT UNSIGNED NOT NULL DEFAULT 0 AFTER person_id,
  ADD COLUMN IF NOT EXISTS behind BOOLEAN NOT NULL DEFAULT FALSE AFTER state,
  ADD COLUMN IF NOT EXISTS due DATETIME(6) NULL AFTER behind,
  DROP KEY IF EXISTS attempts_work,
  ADD KEY IF NOT EXISTS attempts_line (state, behind, course_id, due, id),
  ADD KEY IF NOT EXISTS attempts_claims (state, claimed_until),
  ADD KEY IF NOT EXISTS attempts_person (person_id, state),
  ADD KEY IF NOT EXISTS attempts_exercise (course_id, exercise, id),
  ADD KEY IF NOT EXISTS attempts_newest (course_id, person_id, exercise, id),
  ADD KEY IF NOT EXISTS attempts_mine (person_id, course_id, id);

UPDATE attempts AS a
  JOIN (SELECT id, ROW_NUMBER() OVER (PARTITION BY person_id, course_id, exercise ORDER BY id) AS n FROM attempts) AS numbered ON numbered.id = a.id
  SET a.number = numbered.n, a.due = a.created_at;

ALTER TABLE verdicts
  ADD COLUMN IF NOT EXISTS exercise VARCHAR(64) NOT NULL DEFAULT '' AFTER course_id,
  ADD COLUMN IF NOT EXISTS person_id BIGINT UNSIGNED NOT NULL DEFAULT 0 AFTER exercise,
  ADD COLUMN IF NOT EXISTS open_code VARCHAR(64) NOT NULL DEFAULT '' AFTER lead_output,
  ADD COLUMN IF NOT EXISTS open_output VARCHAR(120) NOT NULL DEFAULT '' AFTER open_code,
  ADD COLUMN IF NOT EXISTS from_cause BOOLEAN NOT NULL DEFAULT FALSE AFTER open_output,
  ADD KEY IF NOT EXISTS verdicts_lead (course_id, lead_code, attempt_id),
  ADD KEY IF NOT EXISTS verdicts_exercise_lead (course_id, exercise, lead_code, attempt_id),
  ADD KEY IF NOT EXISTS verdicts_word (course_id, verdict, attempt_id),
  ADD KEY IF NOT EXISTS verdicts_exercise_word (course_id, exercise, verdict, attempt_id),
  ADD KEY IF NOT EXISTS verdicts_own (person_id, course_id, verdict, attempt_id);

UPDATE verdicts AS v JOIN attempts AS a ON a.id = v.attempt_id
  SET v.exercise = a.exercise, v.person_id = a.person_id;
