-- A derivation goes over a site's visitors part by part, each a span of their numbers, instead of marking every one
-- of them; marks only say with whom something just happened.
CREATE TABLE derivation_parts (
  derivation_no INT UNSIGNED NOT NULL,
  first_id INT UNSIGNED NOT NULL,
  last_id INT UNSIGNED NOT NULL,
  visitors INT UNSIGNED NOT NULL,
  PRIMARY KEY (derivation_no, first_id)
);
DELETE FROM marks WHERE urgent = 0;
ALTER TABLE marks DROP KEY mark_order, DROP KEY mark_bulk, DROP COLUMN urgent, DROP COLUMN bulk_no;
-- What was being filled begins once more.
UPDATE derivations SET total = NULL, marked_to = 0 WHERE state = 'filling';
ALTER TABLE derivations CHANGE COLUMN marked_to split_to INT UNSIGNED NOT NULL DEFAULT 0;

-- Conversions by day, so that a long range is not counted one by one; as with visits, several rows a day add up.
CREATE TABLE conversion_days (
  derivation_no INT UNSIGNED NOT NULL,
  goal_no INT UNSIGNED NOT NULL,
  day DATE NOT NULL,
  slot TINYINT UNSIGNED NOT NULL,
  -- By the day of their event; `value` in ten-thousandths, `unconverted` those without a rate.
  conversions INT NOT NULL,
  value DECIMAL(38, 0) NOT NULL,
  unconverted INT NOT NULL,
  -- Visits with a conversion, by the day of the visit's start.
  visits INT NOT NULL,
  PRIMARY KEY (derivation_no, goal_no, day, slot)
);
INSERT INTO conversion_days (derivation_no, goal_no, day, slot, conversions, value, unconverted, visits)
  SELECT derivation_no, goal_no, day, 0, COUNT(*), IFNULL(SUM(value), 0), SUM(value IS NULL), 0 FROM conversions WHERE counted = 1 GROUP BY derivation_no, goal_no, day;
INSERT INTO conversion_days (derivation_no, goal_no, day, slot, conversions, value, unconverted, visits)
  SELECT c.derivation_no, c.goal_no, v.day, 1, 0, 0, 0, COUNT(DISTINCT c.visitor_id, c.visit_no)
  FROM conversions c JOIN visits v ON v.derivation_no = c.derivation_no AND v.visitor_id = c.visitor_id AND v.visit_no = c.visit_no
  WHERE c.counted = 1 GROUP BY c.derivation_no, c.goal_no, v.day;

-- When the process that runs a survey was last known to; without sign of life for a while it is over.
ALTER TABLE surveys ADD COLUMN seen_at BIGINT NOT NULL DEFAULT 0;

-- What is done once a night, whatever the number of processes: when one of them took it last.
CREATE TABLE nightly_jobs (
  job VARCHAR(60) NOT NULL PRIMARY KEY,
  taken_at BIGINT NOT NULL
);
