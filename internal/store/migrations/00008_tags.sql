-- +goose Up

-- The live tags that a channel took with a price, as JSON {"Add": [...], "Remove": [...]}; NULL: none.
ALTER TABLE published_prices ADD COLUMN IF NOT EXISTS tags TEXT NULL;
