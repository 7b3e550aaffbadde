-- Every definition a goal had, so that a series can show where it changed.
CREATE TABLE goal_versions (
  goal_no INT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  goal LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL,
  changed_by VARCHAR(200) NOT NULL,
  PRIMARY KEY (goal_no, revision)
);
INSERT INTO goal_versions (goal_no, revision, goal, changed_at, changed_by) SELECT no, revision, goal, changed_at, '' FROM goals;
ALTER TABLE goals ADD COLUMN archived_at BIGINT NULL;

CREATE TABLE funnels (
  id VARCHAR(24) NOT NULL PRIMARY KEY,
  site_id SMALLINT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  funnel LONGTEXT NOT NULL,
  changed_at BIGINT NOT NULL,
  changed_by VARCHAR(200) NOT NULL,
  KEY funnel_site (site_id)
);
