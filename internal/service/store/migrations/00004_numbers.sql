-- Numbers of one person's attempts do not repeat, whichever database node takes them: of two that
-- are given at once on two nodes the cluster refuses one, which is then given anew.
-- +goose Up
ALTER TABLE attempts
  ADD UNIQUE KEY IF NOT EXISTS attempts_number (person_id, course_id, exercise, number);
