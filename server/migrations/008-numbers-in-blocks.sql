-- Numbers of dictionary entries are handed out in blocks, so that a text can be added in the very transaction that stores the
-- first event with it: its number is known before.
CREATE TABLE dictionary_numbers (
  dictionary VARCHAR(32) NOT NULL PRIMARY KEY,
  -- The first number that nobody has taken.
  next INT UNSIGNED NOT NULL
);
INSERT INTO dictionary_numbers (dictionary, next)
SELECT 'visitors', COALESCE(MAX(id), 0) + 1 FROM visitors
UNION ALL SELECT 'event_names', COALESCE(MAX(id), 0) + 1 FROM event_names
UNION ALL SELECT 'addresses', COALESCE(MAX(id), 0) + 1 FROM addresses
UNION ALL SELECT 'address_rests', COALESCE(MAX(id), 0) + 1 FROM address_rests
UNION ALL SELECT 'titles', COALESCE(MAX(id), 0) + 1 FROM titles
UNION ALL SELECT 'referrers', COALESCE(MAX(id), 0) + 1 FROM referrers
UNION ALL SELECT 'agents', COALESCE(MAX(id), 0) + 1 FROM agents
UNION ALL SELECT 'places', COALESCE(MAX(id), 0) + 1 FROM places
UNION ALL SELECT 'sources', COALESCE(MAX(id), 0) + 1 FROM sources
UNION ALL SELECT 'tag_sets', COALESCE(MAX(id), 0) + 1 FROM tag_sets;
