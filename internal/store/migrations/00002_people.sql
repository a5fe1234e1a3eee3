-- +goose Up

-- Who may do what. The password is an argon2id hash in the PHC string format.
CREATE TABLE IF NOT EXISTS people (
  name VARCHAR(60) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
  full_name VARCHAR(120) NOT NULL,
  role VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL CHECK (role IN ('reader', 'manager', 'approver', 'administrator')),
  password VARCHAR(200) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  active TINYINT NOT NULL DEFAULT 1,
  created DATETIME(6) NOT NULL
);

-- Who is signed in. Only a hash of the cookie's token is kept.
CREATE TABLE IF NOT EXISTS sessions (
  token CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  person VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
  created DATETIME(6) NOT NULL,
  expires DATETIME(6) NOT NULL,
  KEY by_person (person),
  CONSTRAINT session_person FOREIGN KEY (person) REFERENCES people (name) ON DELETE CASCADE
);

-- Views of the board that somebody keeps by name: the address's query.
CREATE TABLE IF NOT EXISTS saved_views (
  person VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
  name VARCHAR(80) COLLATE utf8mb4_bin NOT NULL,
  query VARCHAR(2000) NOT NULL,
  PRIMARY KEY (person, name),
  CONSTRAINT view_person FOREIGN KEY (person) REFERENCES people (name) ON DELETE CASCADE
);

-- How many prices an edit moved, counted after it was saved.
ALTER TABLE log ADD COLUMN IF NOT EXISTS moved INT NULL;

-- +goose Down
ALTER TABLE log DROP COLUMN IF EXISTS moved;
DROP TABLE IF EXISTS saved_views;
DROP TABLE IF EXISTS sessions;
DROP TABLE IF EXISTS people;
