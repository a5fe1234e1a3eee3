-- +goose Up

-- The number of the format that pieces and what the log keeps of them are written in (docs/book.md).
ALTER TABLE book ADD COLUMN IF NOT EXISTS format INT NOT NULL DEFAULT 1;
ALTER TABLE log ADD COLUMN IF NOT EXISTS format INT NOT NULL DEFAULT 1;
