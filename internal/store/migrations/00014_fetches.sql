-- +goose Up
-- When each feed of a channel was fetched last, by which key, and whether it had changed since.
CREATE TABLE IF NOT EXISTS feed_fetches (
  channel VARCHAR(190) COLLATE utf8mb4_nopad_bin NOT NULL,
  form VARCHAR(10) CHARACTER SET ascii NOT NULL,
  key_id BIGINT NOT NULL,
  at DATETIME(6) NOT NULL,
  whole_at DATETIME(6) NULL, -- when it was sent whole last; before: it was unchanged
  PRIMARY KEY (channel, form, key_id),
  CONSTRAINT fetch_key FOREIGN KEY (key_id) REFERENCES channel_keys (id)
);

-- +goose Down
DROP TABLE IF EXISTS feed_fetches;
