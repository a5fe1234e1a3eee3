-- +goose Up

-- Words of offers that are kept beside the book.
CREATE TABLE IF NOT EXISTS codes (
  rule VARCHAR(100) COLLATE utf8mb4_bin NOT NULL,
  word VARCHAR(40) COLLATE utf8mb4_bin NOT NULL,
  at DATETIME(6) NOT NULL,
  who VARCHAR(120) NOT NULL,
  PRIMARY KEY (rule, word),
  KEY of_word (word)
);

-- Uses of offers, each counted once by the key that a channel gave it.
CREATE TABLE IF NOT EXISTS redemptions (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  use_key VARCHAR(300) COLLATE utf8mb4_bin NOT NULL,
  rule VARCHAR(100) COLLATE utf8mb4_bin NOT NULL,
  word VARCHAR(40) COLLATE utf8mb4_bin NOT NULL, -- empty: without a code
  customer VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  applications INT NOT NULL,
  content CHAR(64) CHARACTER SET ascii NOT NULL, -- SHA-256 of what was asked
  at DATETIME(6) NOT NULL,
  given_back DATETIME(6) NULL,
  UNIQUE KEY once (channel, use_key),
  KEY of_word (rule, word, at)
);

-- How often, so that a limit is held however many ask at once: by word in orders, and with an empty word in applications
-- of the offer. An empty customer is everybody.
CREATE TABLE IF NOT EXISTS code_uses (
  rule VARCHAR(100) COLLATE utf8mb4_bin NOT NULL,
  word VARCHAR(40) COLLATE utf8mb4_bin NOT NULL,
  customer VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  uses INT NOT NULL,
  PRIMARY KEY (rule, word, customer),
  KEY of_word (word, customer)
);

-- Keys by which programs of a channel ask; only their hashes are kept.
CREATE TABLE IF NOT EXISTS channel_keys (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  name VARCHAR(120) NOT NULL,
  rights VARCHAR(100) CHARACTER SET ascii NOT NULL, -- parted by blanks
  hash CHAR(64) CHARACTER SET ascii NOT NULL, -- SHA-256
  who VARCHAR(120) NOT NULL,
  at DATETIME(6) NOT NULL,
  last_used DATETIME(6) NULL,
  revoked DATETIME(6) NULL,
  UNIQUE KEY of_hash (hash),
  KEY of_channel (channel)
);

-- Orders that channels reported, each once by its key; their lines are sales.
CREATE TABLE IF NOT EXISTS channel_orders (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  order_key VARCHAR(150) COLLATE utf8mb4_bin NOT NULL,
  content CHAR(64) CHARACTER SET ascii NOT NULL,
  answer MEDIUMTEXT NOT NULL, -- JSON
  at DATETIME(6) NOT NULL,
  cancelled DATETIME(6) NULL,
  UNIQUE KEY once (channel, order_key)
);
ALTER TABLE sales ADD COLUMN IF NOT EXISTS channel_order BIGINT NULL;
CREATE INDEX IF NOT EXISTS of_order ON sales (channel_order);

-- Mails to customers, until a mail server has taken them.
CREATE TABLE IF NOT EXISTS mails (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  recipient VARCHAR(200) NOT NULL,
  subject VARCHAR(200) NOT NULL,
  body TEXT NOT NULL,
  html TEXT NOT NULL,
  made DATETIME(6) NOT NULL,
  due DATETIME(6) NOT NULL,
  tries INT NOT NULL,
  sent DATETIME(6) NULL,
  problem VARCHAR(500) NOT NULL,
  KEY of_due (sent, due)
);

-- Images that rules show, by the SHA-256 of their bytes.
CREATE TABLE IF NOT EXISTS images (
  name CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
  data MEDIUMBLOB NOT NULL,
  who VARCHAR(120) NOT NULL,
  at DATETIME(6) NOT NULL
);
