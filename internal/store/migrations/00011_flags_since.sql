-- +goose Up
-- Flags are looked for from the last moment on at which anything changed by itself, not from the day's beginning.
ALTER TABLE found_flags RENAME COLUMN day TO since;

-- +goose Down
ALTER TABLE found_flags RENAME COLUMN since TO day;
