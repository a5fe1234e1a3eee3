-- +goose Up
-- A channel runs on a book of its own: the whole one that it was given first, with the pieces that publications brought
-- since. Those are kept with the publication and applied in the order of its number.
ALTER TABLE channel_states
  ADD COLUMN IF NOT EXISTS base BIGINT NULL, -- of published_books; NULL: nothing was published there
  ADD COLUMN IF NOT EXISTS base_by BIGINT NOT NULL DEFAULT 0, -- the publication that brought it; 0: it is not known
  ADD COLUMN IF NOT EXISTS book BIGINT NOT NULL DEFAULT 0; -- rises with everything that changes the published book
UPDATE channel_states SET base = version, book = 1 WHERE base IS NULL AND version IS NOT NULL;

CREATE TABLE IF NOT EXISTS publication_pieces (
  publication BIGINT NOT NULL,
  part INT NOT NULL,
  pieces LONGBLOB NOT NULL, -- packed
  PRIMARY KEY (publication, part),
  CONSTRAINT pieces_publication FOREIGN KEY (publication) REFERENCES publications (id)
);
CREATE TABLE IF NOT EXISTS published_by (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  publication BIGINT NOT NULL,
  PRIMARY KEY (channel, publication)
);
-- Pieces that were taken back: nothing brings them until somebody names them or they are edited.
CREATE TABLE IF NOT EXISTS held_pieces (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  kind VARCHAR(20) NOT NULL,
  code VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  doc LONGBLOB NULL, -- packed; as the saved book has it; NULL: it is gone there
  PRIMARY KEY (channel, kind, code)
);

ALTER TABLE open_lines
  ADD COLUMN IF NOT EXISTS since BIGINT NOT NULL DEFAULT 0, -- the first publication since which it is open
  ADD COLUMN IF NOT EXISTS digest BINARY(16) NULL; -- of one that is left out: what it was when it was
UPDATE open_lines SET since = publication WHERE since = 0;
-- What was left out before comes again, as not chosen.
INSERT IGNORE INTO open_lines (channel, sku, why, publication, price, since)
  SELECT channel, sku, 'not-chosen', publication, price, since FROM open_lines WHERE why = 'left-out' AND digest IS NULL;
DELETE FROM open_lines WHERE why = 'left-out' AND digest IS NULL;

ALTER TABLE publication_rows ADD COLUMN IF NOT EXISTS left_digest BINARY(16) NULL; -- of one that is left out: its prices and what blocks it
ALTER TABLE publications
  ADD COLUMN IF NOT EXISTS note VARCHAR(500) NOT NULL DEFAULT '', -- from whoever sent it to whoever decides
  ADD COLUMN IF NOT EXISTS sent DATETIME(6) NULL, -- when somebody sent it
  ADD COLUMN IF NOT EXISTS stop_by VARCHAR(100) NOT NULL DEFAULT '', -- who stops it while it is sent
  ADD COLUMN IF NOT EXISTS brings VARCHAR(10) NOT NULL DEFAULT ''; -- pieces, book (its whole version), none (the book goes)
UPDATE publications SET brings = 'book' WHERE kind IN ('by-hand') AND status IN ('queued', 'sending') AND brings = '';
UPDATE publications SET status = 'dropped', ended = UTC_TIMESTAMP(6) WHERE status IN ('prepared', 'waiting') AND brings = '';

-- +goose Down
ALTER TABLE publications DROP COLUMN IF EXISTS brings, DROP COLUMN IF EXISTS stop_by, DROP COLUMN IF EXISTS sent, DROP COLUMN IF EXISTS note;
ALTER TABLE publication_rows DROP COLUMN IF EXISTS left_digest;
DELETE FROM open_lines WHERE why = 'not-chosen';
ALTER TABLE open_lines DROP COLUMN IF EXISTS digest, DROP COLUMN IF EXISTS since;
DROP TABLE IF EXISTS held_pieces;
DROP TABLE IF EXISTS published_by;
DROP TABLE IF EXISTS publication_pieces;
ALTER TABLE channel_states DROP COLUMN IF EXISTS book, DROP COLUMN IF EXISTS base_by, DROP COLUMN IF EXISTS base;
