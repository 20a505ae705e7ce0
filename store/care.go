package store

import (
	"strings"
	"time"

	"deftledger/core/chart"
)

// Kinds of care entry.
const (
	CareDecision = "decision" // on a reminder: Name is its rule
	CareAnswer   = "answer"   // to a question of the rulebook
	CareService  = "service"  // had elsewhere, or found done
	CareDose     = "dose"     // a vaccine had elsewhere: Name is its CVX code, Reason "lot " and its lot where that is known
)

// CareEntry is what somebody said that reminders read. Day is as precisely as known.
type CareEntry struct {
	ID, PatientID, Kind, Name, Says, Day, Until, Reason, Source string
	Version                                                     int
	VisitID, ByID, RequestID                                    string
	At, BackAt                                                  time.Time
	BackBy, BackReason                                          string
	By, Back                                                    string // names
}

// Decision is an entry of that kind as rules read it.
func (c CareEntry) Decision() chart.Decision {
	return chart.Decision{ID: c.ID, Rule: c.Name, Says: c.Says, On: c.Day, Until: c.Until, Reason: c.Reason, Source: c.Source, By: c.By, At: c.At, TakenBack: !c.BackAt.IsZero()}
}

const careCols = "c.id, c.patient_id, c.kind, c.name, c.says, c.day, c.until, c.reason, c.source, c.version, c.visit_id, c.by_id, c.request_id, c.at, c.back_at, c.back_by, c.back_reason, " +
	"coalesce((SELECT given || ' ' || family FROM staff WHERE id = c.by_id), ''), coalesce((SELECT given || ' ' || family FROM staff WHERE id = c.back_by), '')"

func scanCare(s scanner, c *CareEntry) error {
	var at, back string
	err := s.Scan(&c.ID, &c.PatientID, &c.Kind, &c.Name, &c.Says, &c.Day, &c.Until, &c.Reason, &c.Source, &c.Version, &c.VisitID, &c.ByID, &c.RequestID, &at, &back,
		&c.BackBy, &c.BackReason, &c.By, &c.Back)
	c.At, c.BackAt = Moment(at), Moment(back)
	return err
}

// AddCare stores what was said; added is false where the same act stored it before.
func (q *Q) AddCare(c CareEntry) (added bool, err error) {
	n, err := q.exec("INSERT INTO care_entry(id, patient_id, kind, name, says, day, until, reason, source, version, visit_id, by_id, at, request_id) "+
		"VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT(request_id, kind, name) DO NOTHING",
		c.ID, c.PatientID, c.Kind, c.Name, c.Says, c.Day, c.Until, c.Reason, c.Source, c.Version, c.VisitID, c.ByID, Stamp(c.At), c.RequestID)
	return n > 0, err
}

// CareOf lists all that was said of a person, what was taken back too, oldest first.
func (q *Q) CareOf(patient string) ([]CareEntry, error) {
	return careOf(patient).read(q)
}

func careOf(patient string) rows[CareEntry] {
	return rows[CareEntry]{cols: careCols, from: "care_entry c WHERE c.patient_id " + samePerson, order: "c.at, c.id", args: []any{patient}, scan: scanCare}
}

func careAt(visit string) rows[CareEntry] {
	return rows[CareEntry]{cols: careCols, from: "care_entry c WHERE c.visit_id = ? AND c.visit_id <> '' AND c.kind = 'decision' AND c.back_at = ''", order: "c.at, c.id",
		args: []any{visit}, scan: scanCare}
}

// CareOfRequest lists what one act said.
func (q *Q) CareOfRequest(request string) ([]CareEntry, error) {
	return list(q, scanCare, "SELECT "+careCols+" FROM care_entry c WHERE c.request_id = ? ORDER BY c.id", request)
}

// TakeCareBack takes back what one act said; false where it was before.
func (q *Q) TakeCareBack(request, by, reason string, at time.Time) (bool, error) {
	n, err := q.exec("UPDATE care_entry SET back_at = ?, back_by = ?, back_reason = ? WHERE request_id = ? AND back_at = ''", Stamp(at), by, reason, request)
	return n > 0, err
}

// awaited reads what is ordered of the list and not done: imaging, procedures, vaccines; and
// done what of it came back. Says is the state.
func awaited(patient string) rows[awaitedRow] {
	return rows[awaitedRow]{
		cols: "o.id, coalesce(o.detail ->> '$.item.id', ''), coalesce(o.detail ->> '$.item.name', ''), coalesce(o.detail ->> '$.rule', ''), coalesce(nullif(o.signed_at, ''), o.written_at), o.signed_at = '', o.state, " +
			"coalesce((SELECT max(coalesce(nullif(e.happened, ''), e.at)) FROM further_event e WHERE e.order_id = o.id AND e.says IN ('sees', 'reports')), '')",
		from:  "further_order o WHERE o.patient_id " + samePerson + " AND o.kind = 'referral' AND " + settles,
		order: "o.written_at, o.id", args: []any{patient},
		scan: func(s scanner, a *awaitedRow) error {
			return s.Scan(&a.ID, &a.Item, &a.Name, &a.Rule, &a.Day, &a.Prepared, &a.State, &a.Done)
		},
	}
}

// settles says of a referral that it is of the list, or was written for a reminder.
const settles = "(o.detail ->> '$.item.id' <> '' OR o.detail ->> '$.rule' <> '')"

type awaitedRow struct {
	ID, Item, Name, Rule, Day string
	Prepared                  bool
	State, Done               string
}

// taken brings what was said and what is awaited into a record. Days are moments here.
func taken(r *chart.Record, entries []CareEntry, waits []awaitedRow) {
	for _, c := range entries {
		back := !c.BackAt.IsZero()
		switch c.Kind {
		case CareDecision:
			r.Decisions = append(r.Decisions, c.Decision())
		case CareAnswer:
			if !back {
				r.Answers = append(r.Answers, chart.Answer{ID: c.ID, Question: c.Name, Value: c.Says, Day: c.Day, By: c.By, Source: c.Source})
			}
		case CareService:
			if !back {
				r.Services = append(r.Services, chart.Service{ID: c.ID, Name: c.Name, On: c.Day, Value: c.Says, Source: c.Source, Ref: c.ID})
			}
		case CareDose:
			if !back {
				lot, said := strings.CutPrefix(c.Reason, "lot ")
				if !said {
					lot = ""
				}
				r.Immunizations = append(r.Immunizations, chart.Immunization{ID: c.ID, PatientID: c.PatientID, Name: c.Says, Given: chart.Given{CVX: c.Name, Lot: lot}, On: c.Day, Source: c.Source})
			}
		}
	}
	for _, w := range waits {
		switch w.State {
		case "closed", "report to be read", "seen":
			if w.Done != "" && w.Item != "" {
				r.Services = append(r.Services, chart.Service{ID: w.ID, Name: w.Item, On: w.Done, Ref: w.ID})
			}
		case "cancelled", "being cancelled", "declined":
		default:
			cvx, _ := strings.CutPrefix(w.Item, "cvx-")
			r.Awaited = append(r.Awaited, chart.Awaited{ID: w.ID, Item: w.Item, CVX: cvx, Rule: w.Rule, Day: w.Day, Prepared: w.Prepared})
		}
	}
}
