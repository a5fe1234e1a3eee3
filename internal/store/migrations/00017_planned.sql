-- +goose Up
-- What was decided of lines when a publication was prepared, for the moments at which they will differ by themselves.
CREATE TABLE IF NOT EXISTS planned_lines (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  publication BIGINT NOT NULL,
  reason VARCHAR(500) NOT NULL DEFAULT '', -- why it goes although it is blocked then; empty: it is left out
  until BIGINT NOT NULL, -- the last moment for which that was decided, on the book's wall clock
  PRIMARY KEY (channel, sku)
);
ALTER TABLE links ADD COLUMN IF NOT EXISTS pages VARCHAR(500) NOT NULL DEFAULT ''; -- of goods, for people; {sku} stands for the SKU

-- +goose Down
ALTER TABLE links DROP COLUMN IF EXISTS pages;
DROP TABLE IF EXISTS planned_lines;
