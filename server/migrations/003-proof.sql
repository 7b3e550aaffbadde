-- Findings of the checkup that somebody accepted as they are, with the reason.
CREATE TABLE checkup_accepted (
  site_id SMALLINT UNSIGNED NOT NULL,
  finding VARCHAR(200) NOT NULL,
  reason VARCHAR(1000) NOT NULL,
  accepted_by VARCHAR(200) NOT NULL,
  accepted_at BIGINT NOT NULL,
  PRIMARY KEY (site_id, finding)
);

-- Hosts whose events were refused because they are not the site's; forgotten a month after the last one.
CREATE TABLE refused_hosts (
  site_id SMALLINT UNSIGNED NOT NULL,
  host VARCHAR(255) NOT NULL,
  events INT UNSIGNED NOT NULL,
  last_at BIGINT NOT NULL,
  PRIMARY KEY (site_id, host)
);

-- What a channel itself says it brought, by day of the site.
CREATE TABLE channel_claims (
  site_id SMALLINT UNSIGNED NOT NULL,
  channel_id VARCHAR(24) NOT NULL,
  day DATE NOT NULL,
  conversions INT UNSIGNED NOT NULL,
  PRIMARY KEY (site_id, channel_id, day)
);

-- A rehearsal that somebody kept: its name, and the draft as it was then.
ALTER TABLE probes ADD COLUMN name VARCHAR(200) NULL, ADD COLUMN wiring LONGTEXT NULL;
-- When a page first asked for the script of a probe.
ALTER TABLE probes ADD COLUMN asked_at BIGINT NULL;
