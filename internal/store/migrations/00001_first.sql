-- +goose Up

-- The book: one row with the version of everything that decides a price. Every write of book contents locks this row,
-- so versions are consecutive and each belongs to one log entry.
CREATE TABLE IF NOT EXISTS book (
  id INT NOT NULL PRIMARY KEY CHECK (id = 1),
  version BIGINT NOT NULL,
  settings LONGTEXT NOT NULL CHECK (JSON_VALID(settings))
);

-- Products, rules and the smaller parts of the book, each as its piece of the document (docs/book.md). The document is
-- the one form that is validated, priced and exported; columns beside it would only be copies that can disagree.
CREATE TABLE IF NOT EXISTS items (
  kind VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  code VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  seq BIGINT NOT NULL,
  doc LONGTEXT NOT NULL CHECK (JSON_VALID(doc)),
  PRIMARY KEY (kind, code),
  KEY in_order (kind, seq)
);

-- Who changed what, when: the pieces before and after, so that a change can be shown and taken back.
CREATE TABLE IF NOT EXISTS log (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(6) NOT NULL,
  who VARCHAR(100) NOT NULL,
  version BIGINT NOT NULL UNIQUE,
  summary VARCHAR(500) NOT NULL,
  changes LONGTEXT NOT NULL CHECK (JSON_VALID(changes)),
  undoes BIGINT NULL UNIQUE,
  CONSTRAINT log_undoes FOREIGN KEY (undoes) REFERENCES log (id)
);

-- How a channel is reached.
CREATE TABLE IF NOT EXISTS links (
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
  kind VARCHAR(20) NOT NULL,
  address VARCHAR(500) NOT NULL,
  token VARCHAR(200) NOT NULL DEFAULT ''
);

CREATE TABLE IF NOT EXISTS publications (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  version BIGINT NOT NULL,
  priced_at DATETIME NOT NULL COMMENT 'wall clock of the book',
  started DATETIME(6) NOT NULL,
  ended DATETIME(6) NULL,
  who VARCHAR(100) NOT NULL,
  status VARCHAR(20) NOT NULL,
  problem VARCHAR(1000) NOT NULL DEFAULT '',
  KEY by_channel (channel, id)
);

CREATE TABLE IF NOT EXISTS publication_rows (
  publication BIGINT NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  kind VARCHAR(10) NOT NULL,
  was DECIMAL(24,6) NULL,
  price DECIMAL(24,6) NULL,
  reference DECIMAL(24,6) NULL,
  currency CHAR(3) NOT NULL,
  override VARCHAR(500) NOT NULL DEFAULT '',
  answer VARCHAR(20) NOT NULL DEFAULT '',
  message VARCHAR(500) NOT NULL DEFAULT '',
  PRIMARY KEY (publication, sku),
  CONSTRAINT row_publication FOREIGN KEY (publication) REFERENCES publications (id)
);

-- Every price that a channel took, from when until when. The row without an end is what the channel shows now; a row
-- without a price says that the product was taken off the channel.
CREATE TABLE IF NOT EXISTS published_prices (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  price DECIMAL(24,6) NULL,
  reference DECIMAL(24,6) NULL,
  currency CHAR(3) NOT NULL,
  from_at DATETIME(6) NOT NULL,
  until_at DATETIME(6) NULL,
  publication BIGINT NOT NULL,
  shows_now TINYINT AS (IF(until_at IS NULL, 1, NULL)) PERSISTENT,
  UNIQUE KEY one_now (channel, sku, shows_now),
  KEY over_time (channel, sku, from_at),
  CONSTRAINT price_publication FOREIGN KEY (publication) REFERENCES publications (id)
);

-- Single facts about this installation, such as the demo's today.
CREATE TABLE IF NOT EXISTS facts (
  name VARCHAR(50) NOT NULL PRIMARY KEY,
  value VARCHAR(500) NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS facts;
DROP TABLE IF EXISTS published_prices;
DROP TABLE IF EXISTS publication_rows;
DROP TABLE IF EXISTS publications;
DROP TABLE IF EXISTS links;
DROP TABLE IF EXISTS log;
DROP TABLE IF EXISTS items;
DROP TABLE IF EXISTS book;
