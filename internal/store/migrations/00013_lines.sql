-- +goose Up
-- The text of a line is kept once, apart from what is written anew with each answer.
CREATE TABLE IF NOT EXISTS publication_lines (
  publication BIGINT NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  line MEDIUMTEXT NOT NULL,
  PRIMARY KEY (publication, sku),
  CONSTRAINT line_publication FOREIGN KEY (publication) REFERENCES publications (id)
);
ALTER TABLE publication_rows ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL; -- it is gone where this was broken off
INSERT IGNORE INTO publication_lines SELECT publication, sku, line FROM publication_rows WHERE line IS NOT NULL;
ALTER TABLE publication_rows DROP COLUMN IF EXISTS line;
ALTER TABLE published_prices ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL;
INSERT IGNORE INTO publication_lines SELECT publication, sku, line FROM published_prices WHERE line IS NOT NULL;
ALTER TABLE published_prices DROP COLUMN IF EXISTS line;

-- Lines are found by their part, which stays, and not by their answer: an index of that is written anew with each.
ALTER TABLE publication_rows ADD INDEX IF NOT EXISTS in_part (publication, part);
ALTER TABLE publication_rows DROP INDEX IF EXISTS answered;

-- One index says what a channel shows now and that it is one price for each product.
ALTER TABLE published_prices ADD UNIQUE INDEX IF NOT EXISTS one_shown (channel, shows_now, sku);
ALTER TABLE published_prices DROP INDEX IF EXISTS one_now, DROP INDEX IF EXISTS shown_now;

-- +goose Down
ALTER TABLE published_prices ADD UNIQUE INDEX IF NOT EXISTS one_now (channel, sku, shows_now), ADD INDEX IF NOT EXISTS shown_now (channel, shows_now);
ALTER TABLE published_prices DROP INDEX IF EXISTS one_shown;
ALTER TABLE publication_rows ADD INDEX IF NOT EXISTS answered (publication, answer);
ALTER TABLE publication_rows DROP INDEX IF EXISTS in_part;
ALTER TABLE publication_rows ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL;
ALTER TABLE published_prices ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL;
UPDATE publication_rows r JOIN publication_lines l ON l.publication = r.publication AND l.sku = r.sku SET r.line = l.line;
UPDATE published_prices r JOIN publication_lines l ON l.publication = r.publication AND l.sku = r.sku SET r.line = l.line;
DROP TABLE IF EXISTS publication_lines;
