-- A mark is a row of its own each time, so that a collector never waits for a worker that derives the same visitor, however
-- much that visitor has done. Workers keep out of each other's way by the visitor's row; marks are taken in order.
ALTER TABLE marks
  ADD COLUMN no BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  DROP PRIMARY KEY,
  ADD PRIMARY KEY (site_id, visitor_id, no),
  ADD KEY mark_order (no);
