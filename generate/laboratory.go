package generate

import (
	"cmp"
	"crypto/sha256"
	"fmt"
	"math"
	"slices"
	"strconv"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/core/visit"
	"deftledger/store"
)

// order orders tests; what comes back comes later.
func (m *maker) order(p *person, v visit.Visit, ds []note.Diagnosis, codes []string, at time.Time) ([]event, error) {
	r, who := p.rng, m.doctor(p)
	m.placer++
	o := store.Order{ID: p.id(at), PatientID: p.ID, VisitID: v.ID, ClinicianID: who.ID, Placer: fmt.Sprintf("SK%d", m.placer),
		Laboratory: m.Laboratory.Name, Priority: "R", State: order.Received, SignedAt: at, CollectedAt: at, RequestID: p.id(at)}
	titles := []store.CodedTitle{}
	for _, d := range ds {
		titles = append(titles, store.CodedTitle{Code: d.Code, Title: d.Title})
	}
	type sealedTest struct {
		Code      string             `json:"code"`
		Name      string             `json:"name"`
		Diagnoses []store.CodedTitle `json:"diagnoses"`
	}
	var sealed []sealedTest
	for _, c := range codes {
		t := m.tests[c]
		o.Tests = append(o.Tests, store.OrderTest{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube,
			Diagnoses: titles})
		sealed = append(sealed, sealedTest{t.Code, t.Name, titles})
	}
	refused := r.IntN(300) == 0
	if refused { // and ordered again by telephone
		o.State, o.Reason = order.Cancelled, "The laboratory had no specimen; ordered anew"
	}
	if err := m.q.AddOrder(o); err != nil {
		return nil, err
	}
	m.counts.Orders++
	m.counts.Lines++
	if err := m.q.OpenLine(p.id(at), line.Order, o.ID, p.ID, who.ID, line.Waiting, at); err != nil {
		return nil, err
	}
	if _, err := m.seal(p, who, "order", o.ID, 0, map[string]any{"placer": o.Placer, "laboratory": o.Laboratory, "priority": "routine",
		"tests": sealed, "collected": at.In(m.Location).Format(time.RFC3339)}, at); err != nil {
		return nil, err
	}
	if err := m.audit(at, who, "sign order", p, o.ID); err != nil {
		return nil, err
	}
	if refused {
		return nil, m.q.CloseLine(line.Order, o.ID, who.ID, "cancelled", at.Add(time.Hour))
	}
	back := at.Add(time.Duration(18+r.IntN(60)) * time.Hour)
	if r.IntN(400) == 0 || back.After(m.Until) { // never answered, or not yet
		return nil, nil
	}
	return []event{{at: back.Unix(), do: func(m *maker, p *person, at time.Time) error { return m.report(p, o, at) }}}, nil
}

// report files what the laboratory found, and has it signed unless it still waits.
func (m *maker) report(p *person, o store.Order, at time.Time) error {
	r, who := p.rng, m.doctor(p)
	m.filler++
	raw := fmt.Sprintf("MSH|^~\\&|BRINEHOUSE|BRINEHOUSE|DEFTLEDGER|SKERROW|%s||ORU^R01|G%d|P|2.5.1\r",
		at.UTC().Format("20060102150405"), m.filler)
	sum := sha256.Sum256([]byte(raw))
	inbox, err := m.q.AddIncoming(store.Incoming{ReceivedAt: at, Sender: "BRINEHOUSE|BRINEHOUSE", Control: fmt.Sprintf("G%d", m.filler),
		Raw: []byte(raw), State: result.Filed}, "generated", sum[:])
	if err != nil {
		return err
	}
	// One physician has been away for long; what came for them waits.
	waits := p.clinician == 0 && at.After(m.Until.AddDate(-1, 0, 0)) || at.After(m.Until.AddDate(0, 0, -2))
	signed := 0
	for i, t := range o.Tests {
		test := m.tests[t.Code]
		rep := store.Report{ID: p.id(at), PatientID: p.ID, OrderID: o.ID, Position: i + 1, Filler: fmt.Sprintf("BH%d-%d", m.filler, i+1),
			Code: t.Code, Title: t.Name, LOINC: t.LOINC, OwnerID: who.ID, Status: "F", Issue: 1,
			CollectedAt: o.CollectedAt.In(m.Location).Format(time.RFC3339), ReportedAt: at.In(m.Location).Format(time.RFC3339), ReceivedAt: at,
			Performer: m.Laboratory.Name, InboxID: inbox}
		rep.Source = result.Source("BRINEHOUSE|BRINEHOUSE", rep.Filler, rep.OrderID, rep.Code, "")
		if len(test.Analytes) == 0 {
			rep.Values = []result.Value{{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Text: []string{"Negative", "Positive"}[r.IntN(8)/7],
				Status: "F"}}
		}
		for _, a := range test.Analytes {
			rep.Values = append(rep.Values, m.value(p, a, at.Format(time.DateOnly)))
		}
		if err := m.q.AddReport(rep); err != nil {
			return err
		}
		if err := m.q.AddIssue(rep); err != nil {
			return err
		}
		m.counts.Reports++
		m.counts.Values += len(rep.Values)
		m.counts.Lines++
		if err := m.q.OpenLine(p.id(at), line.Report, rep.ID, p.ID, who.ID, line.Open, at); err != nil {
			return err
		}
		if err := m.audit(at, act.Actor{}, "file report", p, rep.ID); err != nil {
			return err
		}
		if waits {
			continue
		}
		signed++
		then := at.Add(5 * time.Hour)
		if err := m.review(p, rep, 1, then); err != nil {
			return err
		}
		if r.IntN(70) == 0 && len(rep.Values) > 0 { // corrected, and signed again
			rep.Status, rep.Issue, rep.ReceivedAt = "C", 2, then.Add(time.Hour)
			rep.Values = slices.Clone(rep.Values)
			for k := range rep.Values {
				rep.Values[k].Status = "C"
			}
			if err := m.q.AddIssue(rep); err != nil {
				return err
			}
			if err := m.q.NextIssue(rep); err != nil {
				return err
			}
			if err := m.q.OpenLine(p.id(at), line.Report, rep.ID, p.ID, who.ID, line.Open, then); err != nil {
				return err
			}
			if err := m.review(p, rep, 3, then.Add(2*time.Hour)); err != nil {
				return err
			}
		}
	}
	state := order.Final
	if signed == len(o.Tests) {
		state = order.Reviewed
		if err := m.q.CloseLine(line.Order, o.ID, who.ID, "all tests final and signed", at.Add(5*time.Hour)); err != nil {
			return err
		}
	}
	return m.q.SetOrderState(o.ID, state, "")
}

// review signs a report.
func (m *maker) review(p *person, rep store.Report, version int, at time.Time) error {
	who := m.doctor(p)
	told := "letter"
	if p.UsesPortal {
		told = "portal"
	}
	folio, err := m.seal(p, who, "result review", rep.ID, 0, map[string]any{"report": rep.Title, "issue": rep.Issue, "comment": "As expected.",
		"told": told, "values": rep.Values}, at)
	if err != nil {
		return err
	}
	if err := m.q.AddReview(store.Review{ReportID: rep.ID, Issue: rep.Issue, Comment: "As expected.", Told: told, SignedBy: who.ID,
		SignedAt: at, Folio: folio}, version); err != nil {
		return err
	}
	if err := m.q.CloseLine(line.Report, rep.ID, who.ID, "signed", at); err != nil {
		return err
	}
	return m.audit(at, who, "sign result", p, rep.ID)
}

// value is one measured value: about where this person's values lie, most in range.
func (m *maker) value(p *person, x order.Analyte, day string) result.Value {
	a, known := x.RangeFor(p.Sex, p.BirthDate, day)
	if !known && x.Unit == "" {
		return result.Value{Code: x.Code, Name: x.Name, LOINC: x.LOINC, Text: cmp.Or(x.Expected, "Not detected"), Status: "F"}
	}
	if !known {
		a.Low, a.High = "1.0", "9.0" // the laboratory gives no range for this person, and none is written
	}
	low, high := 0.0, 0.0
	if a.Low != "" {
		low, _ = strconv.ParseFloat(a.Low, 64)
	}
	if a.High != "" {
		high, _ = strconv.ParseFloat(a.High, 64)
	} else {
		high = low * 1.9
	}
	at, had := p.values[x.Code]
	if !had {
		at = 0.5 + p.rng.NormFloat64()*0.28
		p.values[x.Code] = at
	}
	amount := low + (high-low)*(at+p.rng.NormFloat64()*0.09)
	amount = math.Max(amount, high/1000)
	v := result.Value{Code: x.Code, Name: x.Name, LOINC: x.LOINC, Text: strconv.FormatFloat(amount, 'f', max(decimals(a.Low), decimals(a.High)),
		64), Unit: x.Unit, Status: "F"}
	if !known {
		return v
	}
	v.Range = a.Says()
	got, _ := strconv.ParseFloat(v.Text, 64)
	switch {
	case a.Low != "" && got < low:
		v.Flag = "L"
	case a.High != "" && got > high:
		v.Flag = "H"
	}
	if x.Code == "K" && got > 6.2 {
		v.Flag = "HH"
	}
	return v
}
