-- +goose Up

-- The live tags that a channel took with a price, as JSON {"add": [...], "remove": [...]}; NULL: none.
ALTER TABLE published_prices ADD COLUMN IF NOT EXISTS tags TEXT NULL;
