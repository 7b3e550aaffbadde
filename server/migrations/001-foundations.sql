-- Texts are compared by code point everywhere: utf8mb4_nopad_bin also tells trailing spaces apart.
-- Times are milliseconds since 1970 UTC, money is ten-thousandths of a unit, both whole numbers.

CREATE TABLE people (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  email VARCHAR(255) NOT NULL UNIQUE,
  name VARCHAR(200) NOT NULL,
  password_hash VARCHAR(255) NOT NULL,
  created_at BIGINT NOT NULL
);

CREATE TABLE sessions (
  token_hash BINARY(32) NOT NULL PRIMARY KEY,
  person_id INT UNSIGNED NOT NULL,
  expires_at BIGINT NOT NULL,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

CREATE TABLE sites (
  id SMALLINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_key VARCHAR(24) NOT NULL UNIQUE,
  revision INT UNSIGNED NOT NULL,
  settings LONGTEXT NOT NULL,
  created_at BIGINT NOT NULL
);

CREATE TABLE members (
  site_id SMALLINT UNSIGNED NOT NULL,
  person_id INT UNSIGNED NOT NULL,
  role ENUM('reader', 'editor', 'publisher', 'owner') NOT NULL,
  PRIMARY KEY (site_id, person_id),
  FOREIGN KEY (site_id) REFERENCES sites (id) ON DELETE CASCADE,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- Dictionaries: each distinct text once in a site, found by the first half of its SHA-256.
CREATE TABLE visitors (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text VARCHAR(64) NOT NULL,
  UNIQUE (site_id, hash)
);
CREATE TABLE event_names (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text VARCHAR(100) NOT NULL,
  UNIQUE (site_id, hash)
);
-- An address up to its query or fragment; few, so rules on path and host are judged few times.
CREATE TABLE addresses (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
-- The rest of an address, from "?" or "#" on, as received.
CREATE TABLE address_rests (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
CREATE TABLE titles (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
CREATE TABLE referrers (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
CREATE TABLE agents (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
-- JSON of [country, region, city], each a text or null.
CREATE TABLE places (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
-- JSON of [kind, source, medium, campaign, content, term].
CREATE TABLE sources (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);

-- The event log: the truth from which everything below it is derived. Rows are never changed.
-- Clustered by visitor, because derivation reads all of a visitor's events in order.
CREATE TABLE events (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  site_id SMALLINT UNSIGNED NOT NULL,
  visitor_id INT UNSIGNED NOT NULL,
  at BIGINT NOT NULL,
  uid VARCHAR(128) NOT NULL,
  name_id INT UNSIGNED NOT NULL,
  address_id INT UNSIGNED NOT NULL,
  rest_id INT UNSIGNED NULL,
  title_id INT UNSIGNED NULL,
  referrer_id INT UNSIGNED NULL,
  agent_id INT UNSIGNED NULL,
  place_id INT UNSIGNED NULL,
  data TEXT NULL,
  value BIGINT NULL,
  currency VARCHAR(16) NULL,
  order_ref VARCHAR(255) NULL,
  received_at BIGINT NOT NULL,
  PRIMARY KEY (site_id, visitor_id, at, id),
  UNIQUE KEY event_uid (site_id, uid),
  KEY event_time (site_id, at),
  KEY event_page (site_id, address_id, at),
  KEY event_id (id)
);

-- Visitors whose derived rows are out of date. `bulk_no` 0: something just happened; else the number
-- of the bulk run (a recount) that asked for it.
CREATE TABLE marks (
  site_id SMALLINT UNSIGNED NOT NULL,
  visitor_id INT UNSIGNED NOT NULL,
  bulk_no INT UNSIGNED NOT NULL DEFAULT 0,
  PRIMARY KEY (site_id, visitor_id),
  KEY mark_order (bulk_no, site_id, visitor_id)
);

CREATE TABLE goals (
  no INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  id VARCHAR(24) NOT NULL UNIQUE,
  site_id SMALLINT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  goal LONGTEXT NOT NULL,
  bulk_no INT UNSIGNED NOT NULL DEFAULT 0,
  bulk_total INT UNSIGNED NOT NULL DEFAULT 0,
  created_at BIGINT NOT NULL,
  changed_at BIGINT NOT NULL,
  KEY goal_site (site_id)
);

-- Numbers for bulk runs, ascending over all processes.
CREATE TABLE bulk_runs (
  no INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  started_at BIGINT NOT NULL
);

-- Derived: visits. `visit_no` counts a visitor's visits from 0; `day` is the site's day of the start.
CREATE TABLE visits (
  site_id SMALLINT UNSIGNED NOT NULL,
  visitor_id INT UNSIGNED NOT NULL,
  visit_no INT UNSIGNED NOT NULL,
  started_at BIGINT NOT NULL,
  ended_at BIGINT NOT NULL,
  day DATE NOT NULL,
  source_id INT UNSIGNED NOT NULL,
  landing_id INT UNSIGNED NULL,
  exit_id INT UNSIGNED NULL,
  page_views INT UNSIGNED NOT NULL,
  events INT UNSIGNED NOT NULL,
  PRIMARY KEY (site_id, visitor_id, visit_no),
  KEY visit_time (site_id, started_at, day)
);

-- Derived: conversions. `counted` is 0 where another event of the site has the same order first.
CREATE TABLE conversions (
  site_id SMALLINT UNSIGNED NOT NULL,
  goal_no INT UNSIGNED NOT NULL,
  visitor_id INT UNSIGNED NOT NULL,
  at BIGINT NOT NULL,
  uid VARCHAR(128) NOT NULL,
  visit_no INT UNSIGNED NOT NULL,
  visit_started_at BIGINT NOT NULL,
  day DATE NOT NULL,
  counted TINYINT NOT NULL,
  amount BIGINT NOT NULL,
  currency VARCHAR(16) NOT NULL,
  value BIGINT NULL,
  order_ref VARCHAR(255) NULL,
  order_key VARCHAR(255) NULL,
  address_id INT UNSIGNED NOT NULL,
  source_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (site_id, visitor_id, goal_no, at, uid),
  KEY conversion_time (goal_no, counted, at),
  KEY conversion_visit (goal_no, counted, visit_started_at, visitor_id, visit_no),
  KEY conversion_order (goal_no, order_key)
);

CREATE TABLE recipes (
  id VARCHAR(60) NOT NULL PRIMARY KEY,
  recipe LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL
);

CREATE TABLE channels (
  id VARCHAR(24) NOT NULL PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  channel LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL,
  KEY channel_site (site_id)
);

CREATE TABLE drafts (
  site_id SMALLINT UNSIGNED NOT NULL PRIMARY KEY,
  revision INT UNSIGNED NOT NULL,
  wiring LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL,
  changed_by VARCHAR(200) NOT NULL
);

CREATE TABLE releases (
  site_id SMALLINT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  name VARCHAR(200) NOT NULL,
  note TEXT NOT NULL,
  released_at BIGINT NOT NULL,
  released_by VARCHAR(200) NOT NULL,
  restores INT UNSIGNED NULL,
  checksum CHAR(64) NOT NULL,
  document LONGTEXT NOT NULL,
  PRIMARY KEY (site_id, number)
);
