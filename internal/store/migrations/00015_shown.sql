-- +goose Up
-- What a channel shows is apart from what it showed: both are found by their key, in the order in which they are read
-- and written, and what is past never changes but where a line that was to begin later was replaced.
CREATE TABLE IF NOT EXISTS shown_prices (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  price DECIMAL(24,6) NULL, -- NULL: it was taken off the channel
  reference DECIMAL(24,6) NULL,
  currency CHAR(3) NOT NULL,
  from_at DATETIME(6) NOT NULL, -- later than now where the channel was told ahead
  publication BIGINT NOT NULL,
  digest BINARY(16) NULL,
  reduced TINYINT NOT NULL DEFAULT 0,
  kept_reference DECIMAL(24,6) NULL,
  PRIMARY KEY (channel, sku)
);
CREATE TABLE IF NOT EXISTS past_prices (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  price DECIMAL(24,6) NULL,
  reference DECIMAL(24,6) NULL,
  currency CHAR(3) NOT NULL,
  from_at DATETIME(6) NOT NULL,
  until_at DATETIME(6) NOT NULL,
  publication BIGINT NOT NULL, -- a product is told at most once by each, in rising order
  digest BINARY(16) NULL,
  reduced TINYINT NOT NULL DEFAULT 0,
  kept_reference DECIMAL(24,6) NULL,
  PRIMARY KEY (channel, sku, publication)
);
CREATE TABLE IF NOT EXISTS published_prices LIKE past_prices; -- it is gone where this was broken off
INSERT IGNORE INTO shown_prices SELECT channel, sku, price, reference, currency, from_at, publication, digest, reduced, kept_reference
  FROM published_prices WHERE until_at IS NULL ORDER BY channel, sku;
INSERT IGNORE INTO past_prices SELECT channel, sku, price, reference, currency, from_at, until_at, publication, digest, reduced, kept_reference
  FROM published_prices WHERE until_at IS NOT NULL ORDER BY channel, sku, publication;
DROP TABLE published_prices;

-- An answer has its place in the row from the start.
ALTER TABLE publication_rows MODIFY answer CHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE publication_rows MODIFY answer VARCHAR(20) NOT NULL DEFAULT '';
CREATE TABLE IF NOT EXISTS published_prices (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  price DECIMAL(24,6) NULL,
  reference DECIMAL(24,6) NULL,
  currency CHAR(3) NOT NULL,
  from_at DATETIME(6) NOT NULL,
  until_at DATETIME(6) NULL,
  publication BIGINT NOT NULL,
  shows_now TINYINT AS (IF(until_at IS NULL, 1, NULL)) PERSISTENT,
  tags TEXT NULL,
  digest BINARY(16) NULL,
  reduced TINYINT NOT NULL DEFAULT 0,
  kept_reference DECIMAL(24,6) NULL,
  UNIQUE KEY one_shown (channel, shows_now, sku),
  KEY over_time (channel, sku, from_at),
  CONSTRAINT price_publication FOREIGN KEY (publication) REFERENCES publications (id)
);
INSERT INTO published_prices (channel, sku, price, reference, currency, from_at, until_at, publication, digest, reduced, kept_reference)
  SELECT channel, sku, price, reference, currency, from_at, until_at, publication, digest, reduced, kept_reference FROM past_prices
  UNION ALL SELECT channel, sku, price, reference, currency, from_at, NULL, publication, digest, reduced, kept_reference FROM shown_prices
  ORDER BY publication;
DROP TABLE IF EXISTS shown_prices;
DROP TABLE IF EXISTS past_prices;
