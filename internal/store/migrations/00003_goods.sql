-- +goose Up

-- Expected prices: an expectation as docs/book.md writes it, kept beside the book.
CREATE TABLE IF NOT EXISTS checks (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  doc TEXT NOT NULL,
  who VARCHAR(120) NOT NULL,
  at DATETIME(6) NOT NULL
);

-- Sales as they were brought in, one file after the other.
CREATE TABLE IF NOT EXISTS sales_files (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(255) NOT NULL,
  who VARCHAR(120) NOT NULL,
  at DATETIME(6) NOT NULL,
  entry BIGINT NULL -- of the log, which counted its units sold into the book
);
CREATE TABLE IF NOT EXISTS sales (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  file BIGINT NOT NULL,
  moment BIGINT NOT NULL, -- the book's wall clock, in seconds since 1970
  customer VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  sku VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  quantity INT NOT NULL,
  paid VARCHAR(60) CHARACTER SET ascii NOT NULL, -- for all pieces; empty: unknown
  channel VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  KEY of_customer (customer, moment),
  KEY of_product (sku, moment),
  CONSTRAINT sale_file FOREIGN KEY (file) REFERENCES sales_files (id) ON DELETE CASCADE
);

-- Which day an exchange rate is of. The newest row with the book's rate is that of the book.
CREATE TABLE IF NOT EXISTS rate_days (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  rate VARCHAR(60) CHARACTER SET ascii NOT NULL,
  day DATE NOT NULL,
  KEY of_currency (currency, id)
);

-- How the columns of a kind of file were matched last, by its headers.
CREATE TABLE IF NOT EXISTS import_mappings (
  kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
  headers CHAR(64) CHARACTER SET ascii NOT NULL, -- SHA-256
  mapping TEXT NOT NULL,
  PRIMARY KEY (kind, headers)
);

-- What an entry changed, in parts: JSON, packed with gzip.
CREATE TABLE IF NOT EXISTS log_parts (
  entry BIGINT NOT NULL,
  part INT NOT NULL,
  changes LONGBLOB NOT NULL,
  PRIMARY KEY (entry, part)
);

-- Which pieces an entry changed, so that the history of one is found.
CREATE TABLE IF NOT EXISTS log_pieces (
  kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
  code VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
  entry BIGINT NOT NULL,
  part INT NOT NULL,
  PRIMARY KEY (kind, code, entry)
);

-- +goose Down
DROP TABLE IF EXISTS log_pieces;
DROP TABLE IF EXISTS log_parts;
DROP TABLE IF EXISTS import_mappings;
DROP TABLE IF EXISTS rate_days;
DROP TABLE IF EXISTS sales;
DROP TABLE IF EXISTS sales_files;
DROP TABLE IF EXISTS checks;
