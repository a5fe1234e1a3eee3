-- +goose Up
-- Flags are looked for from the last moment on at which anything changed by itself, not from the day's beginning.
ALTER TABLE found_flags CHANGE COLUMN IF EXISTS day since BIGINT NOT NULL;

-- +goose Down
ALTER TABLE found_flags CHANGE COLUMN IF EXISTS since day BIGINT NOT NULL;
