-- How a student stands in an exercise, in one row: the desk, lists and one's own state read it, and
-- nothing reads all attempts of a course. It is written with each verdict; what is there already is
-- summed up here, and what a process of an earlier release stores meanwhile by Store.Mend.
-- +goose Up
CREATE TABLE IF NOT EXISTS standing (
  course_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  exercise VARCHAR(64) NOT NULL,
  tries INT UNSIGNED NOT NULL,
  first_at DATETIME(6) NOT NULL,
  newest_id BIGINT UNSIGNED NOT NULL,
  newest_at DATETIME(6) NOT NULL,
  verdict ENUM('agrees', 'differs', 'failed', 'refused') NOT NULL,
  lead_code VARCHAR(64) NOT NULL,
  lead_output VARCHAR(120) NOT NULL,
  best_id BIGINT UNSIGNED NOT NULL,
  best_share DOUBLE NOT NULL,
  best_earned DOUBLE NOT NULL,
  agreed_at DATETIME(6) NULL,
  written_at DATETIME(6) NOT NULL,
  PRIMARY KEY (course_id, person_id, exercise),
  KEY standing_alike (course_id, exercise, verdict, lead_code, lead_output, newest_id, newest_at, tries),
  CONSTRAINT standing_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT standing_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

REPLACE INTO standing
SELECT course_id, person_id, exercise, MAX(number), MIN(created_at), MAX(id), MAX(IF(newest = 1, created_at, NULL)),
  MAX(IF(newest = 1, verdict, NULL)), MAX(IF(newest = 1, lead_code, NULL)), MAX(IF(newest = 1, lead_output, NULL)),
  MAX(IF(best = 1, id, NULL)), MAX(share), MAX(IF(best = 1, earned, NULL)), MIN(IF(verdict = 'agrees', created_at, NULL)),
  MAX(written_at)
FROM (SELECT *, ROW_NUMBER() OVER (PARTITION BY course_id, person_id, exercise ORDER BY id DESC) AS newest,
    ROW_NUMBER() OVER (PARTITION BY course_id, person_id, exercise ORDER BY share DESC, id) AS best
  FROM (SELECT a.course_id, a.person_id, a.exercise, a.number, a.created_at, a.id, v.verdict, v.lead_code, v.lead_output,
      v.earned, IF(v.possible > 0, v.earned / v.possible, 0) AS share, v.created_at AS written_at
    FROM verdicts AS v JOIN attempts AS a ON a.id = v.attempt_id) AS each_one) AS ordered
GROUP BY course_id, person_id, exercise;
