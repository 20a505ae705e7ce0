-- +goose Up
-- Where a line stands on its owner's desk: 0 critical, 1 to act on now, 2 in hand or out of
-- range, 3 waiting or as expected, 4 preliminary.
ALTER TABLE line ADD COLUMN rank INTEGER NOT NULL DEFAULT 2;
UPDATE line SET rank = CASE state WHEN 'open' THEN 1 WHEN 'in hand' THEN 2 ELSE 3 END WHERE closed_at = '' AND kind <> 'report';
UPDATE line SET rank = (SELECT CASE
    WHEN EXISTS (SELECT 1 FROM report_value v WHERE v.report_id = r.id AND v.issue = r.issue AND v.flag IN ('HH', 'LL', 'AA')) THEN 0
    WHEN r.status NOT IN ('F', 'C', 'X') THEN 4
    WHEN r.signed_issue > 0 THEN 1
    WHEN EXISTS (SELECT 1 FROM report_value v WHERE v.report_id = r.id AND v.issue = r.issue AND v.flag NOT IN ('', 'N')) THEN 2
    ELSE 3 END FROM report r WHERE r.id = line.subject)
  WHERE closed_at = '' AND kind = 'report' AND EXISTS (SELECT 1 FROM report r WHERE r.id = line.subject);
DROP INDEX line_desk;
CREATE INDEX line_desk ON line(owner_id, kind, rank, opened_at) WHERE closed_at = '';
