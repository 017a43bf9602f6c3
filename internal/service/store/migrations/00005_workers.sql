-- Who checks attempts, by the signs of life that each process gives: waiting attempts are shared
-- among those that live.
-- +goose Up
CREATE TABLE IF NOT EXISTS workers (
  name VARCHAR(60) NOT NULL PRIMARY KEY,
  seen DATETIME(6) NOT NULL,
  KEY workers_seen (seen)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
