-- When a visitor was first marked, for telling how far derivation lags behind.
ALTER TABLE marks ADD COLUMN marked_at BIGINT NOT NULL DEFAULT 0;

-- What derivation changed within the last minute, so that screens held by another process hear of it.
CREATE TABLE live_changes (
  no BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  -- The process that told its own screens already.
  origin CHAR(12) NOT NULL,
  at BIGINT NOT NULL,
  change_json TEXT NOT NULL,
  KEY live_time (at)
);

-- Derived rows belong to a derivation: one run over a site's log under settings and goals as they were when it began.
-- One of them is shown; while another one is filled, readers go on seeing the old one whole. `total` is the number of
-- visitors to go through, unknown until all are marked; `marked_to` how far marking got.
CREATE TABLE derivations (
  no INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  state ENUM('shown', 'filling', 'dropped') NOT NULL,
  -- JSON: { settings, goals: [{ no, goal }] }
  definition LONGTEXT NOT NULL,
  total INT UNSIGNED NULL,
  marked_to INT UNSIGNED NOT NULL DEFAULT 0,
  paused TINYINT NOT NULL DEFAULT 0,
  started_at BIGINT NOT NULL,
  ended_at BIGINT NULL,
  KEY derivation_site (site_id, state)
);
SET SESSION group_concat_max_len = 1073741824;
INSERT INTO derivations (site_id, state, definition, total, started_at, ended_at)
  SELECT s.id, 'shown', CONCAT('{"settings":', s.settings, ',"goals":[', IFNULL((SELECT GROUP_CONCAT(CONCAT('{"no":', g.no, ',"goal":', g.goal, '}') ORDER BY g.no) FROM goals g WHERE g.site_id = s.id), ''), ']}'), 0, s.created_at, s.created_at
  FROM sites s;

ALTER TABLE visits ADD COLUMN derivation_no INT UNSIGNED NOT NULL DEFAULT 0 FIRST;
UPDATE visits v JOIN derivations d ON d.site_id = v.site_id SET v.derivation_no = d.no;
ALTER TABLE visits DROP PRIMARY KEY, DROP KEY visit_time, DROP COLUMN site_id, ADD PRIMARY KEY (derivation_no, visitor_id, visit_no), ADD KEY visit_time (derivation_no, started_at, day);
ALTER TABLE conversions ADD COLUMN derivation_no INT UNSIGNED NOT NULL DEFAULT 0 FIRST;
UPDATE conversions c JOIN derivations d ON d.site_id = c.site_id SET c.derivation_no = d.no;
ALTER TABLE conversions DROP PRIMARY KEY, DROP KEY conversion_time, DROP KEY conversion_visit, DROP KEY conversion_order, DROP COLUMN site_id,
  ADD PRIMARY KEY (derivation_no, visitor_id, goal_no, at, uid),
  ADD KEY conversion_time (derivation_no, goal_no, counted, at, day, value),
  ADD KEY conversion_visit (derivation_no, goal_no, counted, visit_started_at, visitor_id, visit_no),
  ADD KEY conversion_order (derivation_no, goal_no, order_key);

-- `urgent`: something just happened, every derivation needs it, and it goes first. `bulk_no`: the derivation that is
-- being filled and asked for this visitor; 0 where none did. What waited for an old kind of run is just made afresh.
UPDATE marks SET bulk_no = 0;
ALTER TABLE marks ADD COLUMN urgent TINYINT NOT NULL DEFAULT 1, DROP KEY mark_order, ADD KEY mark_order (urgent, site_id, visitor_id), ADD KEY mark_bulk (bulk_no);
ALTER TABLE goals DROP COLUMN bulk_no, DROP COLUMN bulk_total;
DROP TABLE bulk_runs;
ALTER TABLE visitors ADD KEY visitor_site (site_id);

-- The log by quarters, so that old ones can be dropped whole, and without an index that holds every uid twice: what
-- was measured is in docs/decisions/010. A process adds the quarters that are needed; `later` is empty.
-- A uid is unique in a site whatever its time, which no partitioned table can promise; so uids have their own.
CREATE TABLE event_uids (
  site_id SMALLINT UNSIGNED NOT NULL,
  -- First half of the uid's SHA-256.
  hash BINARY(16) NOT NULL,
  at BIGINT NOT NULL,
  PRIMARY KEY (site_id, hash)
);
INSERT INTO event_uids (site_id, hash, at) SELECT site_id, UNHEX(LEFT(SHA2(uid, 256), 32)), at FROM events;
CREATE TABLE arrivals (
  site_id SMALLINT UNSIGNED NOT NULL,
  host VARCHAR(255) NOT NULL,
  -- All events ever recorded, and the time of the latest.
  events BIGINT UNSIGNED NOT NULL,
  last_at BIGINT NOT NULL,
  PRIMARY KEY (site_id, host)
);
INSERT INTO arrivals (site_id, host, events, last_at)
  SELECT e.site_id, LEFT(LOWER(SUBSTRING_INDEX(SUBSTRING_INDEX(SUBSTRING_INDEX(a.text, '/', 3), '//', -1), ':', 1)), 255) AS host, COUNT(*), MAX(e.at)
  FROM events e JOIN addresses a ON a.id = e.address_id GROUP BY e.site_id, host;
ALTER TABLE events DROP KEY event_uid, DROP KEY event_page;
ALTER TABLE events PARTITION BY RANGE (at) (PARTITION early VALUES LESS THAN (1735689600000), PARTITION later VALUES LESS THAN MAXVALUE);

-- Visits by day, so that a long range is not counted visit by visit. Several rows a day, so that derivers seldom wait
-- for each other; their sum counts.
CREATE TABLE visit_days (
  derivation_no INT UNSIGNED NOT NULL,
  day DATE NOT NULL,
  slot TINYINT UNSIGNED NOT NULL,
  visits INT NOT NULL,
  PRIMARY KEY (derivation_no, day, slot)
);
INSERT INTO visit_days (derivation_no, day, slot, visits) SELECT derivation_no, day, 0, COUNT(*) FROM visits GROUP BY derivation_no, day;
