-- +goose Up

-- How a channel is told, when, and who has to agree.
ALTER TABLE links
  MODIFY address VARCHAR(2000) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS sends VARCHAR(20) NOT NULL DEFAULT 'by-hand',
  ADD COLUMN IF NOT EXISTS approval VARCHAR(40) NOT NULL DEFAULT 'none', -- none, always, or a percent
  ADD COLUMN IF NOT EXISTS give_up_after BIGINT NOT NULL DEFAULT 1800000, -- milliseconds
  ADD COLUMN IF NOT EXISTS compare BIGINT NOT NULL DEFAULT 0, -- milliseconds; 0: not by itself
  ADD COLUMN IF NOT EXISTS reference VARCHAR(10) NOT NULL DEFAULT 'lowest30';

-- What there is to know of a channel that something was published to. revision rises with everything that changes what
-- it shows, or what is known of that.
CREATE TABLE IF NOT EXISTS channel_states (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL PRIMARY KEY,
  revision BIGINT NOT NULL DEFAULT 0,
  version BIGINT NULL, -- of the last publication by hand of which anything was taken
  due_after BIGINT NULL, -- wall clock: due moments up to it are dealt with
  compared DATETIME(6) NULL
);

ALTER TABLE publications
  ADD COLUMN IF NOT EXISTS kind VARCHAR(10) NOT NULL DEFAULT 'by-hand',
  ADD COLUMN IF NOT EXISTS of_publication BIGINT NULL,
  ADD COLUMN IF NOT EXISTS whole TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS decided_by VARCHAR(100) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS decided DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS reason VARCHAR(500) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS told TEXT NULL, -- what is named with it, as JSON
  ADD COLUMN IF NOT EXISTS rules LONGTEXT NULL, -- that go along and that are withdrawn, as JSON
  ADD COLUMN IF NOT EXISTS owner VARCHAR(40) NULL, -- who sends it
  ADD COLUMN IF NOT EXISTS lease_until DATETIME(6) NULL, -- by the database's clock
  ADD COLUMN IF NOT EXISTS parts INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS total INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS taken INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS refused INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS unanswered INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS left_out INT NOT NULL DEFAULT 0,
  ADD INDEX IF NOT EXISTS by_state (status, channel, id);

ALTER TABLE publication_rows
  ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL,
  ADD COLUMN IF NOT EXISTS digest BINARY(16) NULL,
  ADD COLUMN IF NOT EXISTS reduced TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS kept_reference DECIMAL(24,6) NULL,
  ADD COLUMN IF NOT EXISTS blocked VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS part INT NOT NULL DEFAULT 0;

-- The bytes that go out, fixed before the first of them does, and what became of each part.
CREATE TABLE IF NOT EXISTS publication_parts (
  publication BIGINT NOT NULL,
  part INT NOT NULL,
  body LONGBLOB NOT NULL, -- packed
  state VARCHAR(10) NOT NULL DEFAULT 'waiting', -- waiting, review, answered
  first_tried DATETIME(6) NULL,
  told_to_wait BIGINT NOT NULL DEFAULT 0, -- milliseconds
  not_before DATETIME(6) NULL,
  review VARCHAR(1000) NOT NULL DEFAULT '',
  review_since DATETIME(6) NULL,
  PRIMARY KEY (publication, part),
  CONSTRAINT part_publication FOREIGN KEY (publication) REFERENCES publications (id)
);

ALTER TABLE published_prices
  ADD COLUMN IF NOT EXISTS line MEDIUMTEXT NULL, -- as the channel took it; NULL: taken before whole lines were kept
  ADD COLUMN IF NOT EXISTS digest BINARY(16) NULL,
  ADD COLUMN IF NOT EXISTS reduced TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS kept_reference DECIMAL(24,6) NULL;

-- Lines of which a channel does not show, or may not show, what the book says: without a known answer, refused, left
-- out, or held back because they were taken back.
CREATE TABLE IF NOT EXISTS open_lines (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  why VARCHAR(10) NOT NULL,
  publication BIGINT NOT NULL,
  price DECIMAL(24,6) NULL, -- the price that was taken back
  PRIMARY KEY (channel, sku, why)
);

-- Rules that a channel took.
CREATE TABLE IF NOT EXISTS channel_rules (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  code VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  doc MEDIUMTEXT NOT NULL,
  publication BIGINT NOT NULL,
  PRIMARY KEY (channel, code)
);

-- Versions of the book that a channel may show, packed.
CREATE TABLE IF NOT EXISTS published_books (
  version BIGINT NOT NULL PRIMARY KEY,
  book LONGBLOB NOT NULL
);

-- Where a channel does not show what it took.
CREATE TABLE IF NOT EXISTS drifts (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  took VARCHAR(40) NULL,
  shows VARCHAR(40) NULL,
  since DATETIME(6) NOT NULL,
  accepted TINYINT NOT NULL DEFAULT 0,
  PRIMARY KEY (channel, sku)
);

-- Rows without an answer were never known to be taken: they are unanswered, and a difference whatever it is.
UPDATE publication_rows SET answer = 'unanswered' WHERE answer IN ('', 'failed');
UPDATE publications SET status = 'partly' WHERE status IN ('sending', 'broken-off');
INSERT IGNORE INTO open_lines (channel, sku, why, publication)
  SELECT p.channel, r.sku, 'unanswered', MAX(p.id) FROM publication_rows r JOIN publications p ON p.id = r.publication
  WHERE r.answer = 'unanswered' GROUP BY p.channel, r.sku;
UPDATE publications p JOIN (SELECT publication, COUNT(*) AS n, SUM(answer = 'taken') AS t, SUM(answer = 'refused') AS f,
    SUM(answer = 'unanswered') AS u FROM publication_rows GROUP BY publication) c ON c.publication = p.id
  SET p.total = c.n, p.taken = c.t, p.refused = c.f, p.unanswered = c.u;
INSERT IGNORE INTO channel_states (channel, revision) SELECT DISTINCT channel, 1 FROM publications;

-- +goose Down
DROP TABLE IF EXISTS drifts;
DROP TABLE IF EXISTS published_books;
DROP TABLE IF EXISTS channel_rules;
DROP TABLE IF EXISTS open_lines;
ALTER TABLE published_prices DROP COLUMN IF EXISTS kept_reference, DROP COLUMN IF EXISTS reduced, DROP COLUMN IF EXISTS digest, DROP COLUMN IF EXISTS line;
DROP TABLE IF EXISTS publication_parts;
ALTER TABLE publication_rows DROP COLUMN IF EXISTS part, DROP COLUMN IF EXISTS blocked, DROP COLUMN IF EXISTS kept_reference, DROP COLUMN IF EXISTS reduced,
  DROP COLUMN IF EXISTS digest, DROP COLUMN IF EXISTS line;
ALTER TABLE publications DROP INDEX IF EXISTS by_state, DROP COLUMN IF EXISTS left_out, DROP COLUMN IF EXISTS unanswered, DROP COLUMN IF EXISTS refused,
  DROP COLUMN IF EXISTS taken, DROP COLUMN IF EXISTS total, DROP COLUMN IF EXISTS parts, DROP COLUMN IF EXISTS lease_until, DROP COLUMN IF EXISTS owner, DROP COLUMN IF EXISTS rules,
  DROP COLUMN IF EXISTS told, DROP COLUMN IF EXISTS reason, DROP COLUMN IF EXISTS decided, DROP COLUMN IF EXISTS decided_by, DROP COLUMN IF EXISTS whole,
  DROP COLUMN IF EXISTS of_publication, DROP COLUMN IF EXISTS kind;
DROP TABLE IF EXISTS channel_states;
ALTER TABLE links DROP COLUMN IF EXISTS reference, DROP COLUMN IF EXISTS compare, DROP COLUMN IF EXISTS give_up_after, DROP COLUMN IF EXISTS approval,
  DROP COLUMN IF EXISTS sends;
