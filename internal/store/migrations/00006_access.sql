-- +goose Up

-- Browsers from which somebody has signed in before: the right password is taken from there while others guess. Only a
-- hash of the cookie's token is kept.
CREATE TABLE IF NOT EXISTS devices (
  token CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  person VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
  seen DATETIME(6) NOT NULL,
  KEY by_person (person, seen),
  CONSTRAINT device_person FOREIGN KEY (person) REFERENCES people (name) ON DELETE CASCADE
);

-- What happened beside the book: who came in, who was refused, what became of people and pinned prices.
CREATE TABLE IF NOT EXISTS journal (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(6) NOT NULL,
  who VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
  what VARCHAR(40) CHARACTER SET ascii NOT NULL,
  detail VARCHAR(500) NOT NULL DEFAULT ''
);

-- A password that everybody knows, or nobody: it has to be set before somebody else does it.
ALTER TABLE people ADD COLUMN IF NOT EXISTS must_change TINYINT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE people DROP COLUMN IF EXISTS must_change;
DROP TABLE IF EXISTS journal;
DROP TABLE IF EXISTS devices;
