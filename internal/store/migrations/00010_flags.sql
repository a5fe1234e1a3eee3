-- +goose Up

-- What was found in a version of the book, as packed JSON.
CREATE TABLE IF NOT EXISTS found_flags (
  version BIGINT NOT NULL,
  day BIGINT NOT NULL, -- seconds since 1970 on the book's wall clock
  flags LONGBLOB NOT NULL,
  PRIMARY KEY (version, day)
);

-- Since which version a flag is raised, and by which it was cleared.
CREATE TABLE IF NOT EXISTS flag_history (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_hash CHAR(64) CHARACTER SET ascii NOT NULL, -- SHA-256
  subject TEXT NOT NULL,
  raised BIGINT NULL, -- version; NULL: before anybody looked
  raised_at DATETIME(6) NULL,
  cleared BIGINT NULL, -- version; NULL: it is raised
  cleared_at DATETIME(6) NULL,
  KEY of_subject (subject_hash, id)
);

CREATE TABLE IF NOT EXISTS flag_acknowledgements (
  subject_hash CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY, -- SHA-256
  subject TEXT NOT NULL,
  who VARCHAR(120) NOT NULL,
  at DATETIME(6) NOT NULL,
  until DATETIME(6) NOT NULL,
  reason VARCHAR(500) NOT NULL
);
