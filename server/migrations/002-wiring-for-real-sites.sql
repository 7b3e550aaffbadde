-- Recipes belong to a site: changing one must not change what another site's pages load.
DROP TABLE recipes;
CREATE TABLE recipes (
  site_id SMALLINT UNSIGNED NOT NULL,
  id VARCHAR(60) NOT NULL,
  recipe LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL,
  PRIMARY KEY (site_id, id)
);

-- JSON of the ids of tags that fired at one event, sorted.
CREATE TABLE tag_sets (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  hash BINARY(16) NOT NULL,
  text TEXT NOT NULL,
  UNIQUE (site_id, hash)
);
ALTER TABLE events ADD COLUMN fired_id INT UNSIGNED NULL AFTER order_ref;

-- Somebody watching the site in their own browser: a test visit, choosing an element, a rehearsal.
CREATE TABLE probes (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  token_hash BINARY(32) NOT NULL UNIQUE,
  kind VARCHAR(20) NOT NULL,
  address TEXT NOT NULL,
  -- In a rehearsal: whether nothing leaves to channels.
  hold_back TINYINT NOT NULL DEFAULT 0,
  created_by VARCHAR(200) NOT NULL,
  created_at BIGINT NOT NULL,
  expires_at BIGINT NOT NULL,
  KEY probe_site (site_id)
);
CREATE TABLE probe_reports (
  no BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  probe_id INT UNSIGNED NOT NULL,
  report TEXT NOT NULL,
  KEY probe_report (probe_id, no),
  FOREIGN KEY (probe_id) REFERENCES probes (id) ON DELETE CASCADE
);

-- Surveys of a site's pages. `state`: running, done, stopped.
CREATE TABLE surveys (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  state VARCHAR(10) NOT NULL,
  started_at BIGINT NOT NULL,
  ended_at BIGINT NULL,
  started_by VARCHAR(200) NOT NULL,
  -- Where the loader should have come from.
  origin VARCHAR(300) NOT NULL,
  waiting INT UNSIGNED NOT NULL DEFAULT 0,
  note TEXT NOT NULL,
  KEY survey_site (site_id, id)
);
CREATE TABLE survey_pages (
  survey_id INT UNSIGNED NOT NULL,
  no INT UNSIGNED NOT NULL,
  page TEXT NOT NULL,
  PRIMARY KEY (survey_id, no),
  FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE
);
