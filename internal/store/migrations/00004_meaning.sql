-- +goose Up

-- Each statement can be repeated: a migration that broke off is simply run again.

-- Stock and units sold of products, which change without anything else of them (see measures.go).
CREATE TABLE IF NOT EXISTS measures (
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL PRIMARY KEY,
  stock VARCHAR(60) CHARACTER SET ascii NULL,
  sold VARCHAR(60) CHARACTER SET ascii NULL
);
INSERT INTO measures (sku, stock, sold)
  SELECT code, JSON_VALUE(doc, '$.stock'), JSON_VALUE(doc, '$.sold') FROM items
  WHERE kind = 'products' AND (JSON_EXISTS(doc, '$.stock') OR JSON_EXISTS(doc, '$.sold'))
  ON DUPLICATE KEY UPDATE stock = VALUES(stock), sold = VALUES(sold);
UPDATE items SET doc = JSON_REMOVE(JSON_REMOVE(doc, '$.stock'), '$.sold')
  WHERE kind = 'products' AND (JSON_EXISTS(doc, '$.stock') OR JSON_EXISTS(doc, '$.sold'));

-- A blank at the end of a code is a blank, not nothing.
ALTER TABLE items MODIFY code VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE log_pieces MODIFY code VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE links MODIFY channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE publications MODIFY channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE publication_rows MODIFY sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE published_prices MODIFY channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL, MODIFY sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;
ALTER TABLE sales MODIFY customer VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL, MODIFY sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  MODIFY channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL;

-- What is asked often is found by an index: which entries are not counted yet, what a channel shows now, how a
-- publication's rows were answered, the next place of an item.
ALTER TABLE log ADD INDEX IF NOT EXISTS uncounted (moved, version);
ALTER TABLE published_prices ADD INDEX IF NOT EXISTS shown_now (channel, shows_now);
ALTER TABLE publication_rows ADD INDEX IF NOT EXISTS answered (publication, answer);
ALTER TABLE items ADD INDEX IF NOT EXISTS next_place (seq);
ALTER TABLE sales ADD INDEX IF NOT EXISTS at_moment (moment);

-- +goose Down
ALTER TABLE sales DROP INDEX IF EXISTS at_moment;
ALTER TABLE items DROP INDEX IF EXISTS next_place;
ALTER TABLE publication_rows DROP INDEX IF EXISTS answered;
ALTER TABLE published_prices DROP INDEX IF EXISTS shown_now;
ALTER TABLE log DROP INDEX IF EXISTS uncounted;
UPDATE items JOIN measures ON items.kind = 'products' AND items.code = measures.sku SET doc = JSON_SET(doc, '$.stock', stock) WHERE stock IS NOT NULL;
UPDATE items JOIN measures ON items.kind = 'products' AND items.code = measures.sku SET doc = JSON_SET(doc, '$.sold', sold) WHERE sold IS NOT NULL;
DROP TABLE IF EXISTS measures;
