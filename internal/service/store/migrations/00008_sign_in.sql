-- Accounts begin with a link and not with somebody else's password; people see where they are signed in.
-- +goose Up
ALTER TABLE people ADD COLUMN IF NOT EXISTS state ENUM('active', 'left') NOT NULL DEFAULT 'active';

CREATE TABLE IF NOT EXISTS links (
  person_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  secret_hash BINARY(32) NOT NULL,
  forgotten BOOLEAN NOT NULL,
  created_at DATETIME(6) NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  UNIQUE KEY links_secret (secret_hash),
  KEY links_expires (expires_at),
  CONSTRAINT links_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;

ALTER TABLE sessions
  ADD COLUMN IF NOT EXISTS last_used DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS address VARCHAR(64) NOT NULL DEFAULT '';
ALTER TABLE tokens
  ADD COLUMN IF NOT EXISTS last_used DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS address VARCHAR(64) NOT NULL DEFAULT '';
