package intake

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/store"
)

// Kit is the package a test is done with. Expires is YYYY-MM-DD.
type Kit struct {
	Lot     string `json:"lot" maxLength:"40"`
	Expires string `json:"expires" maxLength:"10"`
}

// HouseTestView is a test that can be done here, with the kit it was last done with.
type HouseTestView struct {
	result.HouseTest
	Last Kit `json:"last"`
}

// VaccineView is a vaccine that can be given here, with the package last used.
type VaccineView struct {
	chart.Vaccine
	Sites []string    `json:"sites"`
	Last  chart.Given `json:"last"`
}

// HouseView is what the practice does itself.
type HouseView struct {
	Tests    []HouseTestView `json:"tests"`
	Vaccines []VaccineView   `json:"vaccines"`
}

// HouseFind finds tests done in the house and vaccines given here by a few letters.
func (a *Acts) HouseFind(ctx context.Context, who act.Actor, query string) (out HouseView, err error) {
	out = HouseView{[]HouseTestView{}, []VaccineView{}}
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		tests, vaccines := result.FindHouse(a.House.Tests, query), chart.FindVaccines(a.House.Vaccines, query)
		var codes, cvx []string
		for _, t := range tests {
			codes = append(codes, t.Code)
		}
		for _, x := range vaccines {
			cvx = append(cvx, x.CVX)
		}
		kits, err := q.LastKits(codes)
		if err != nil {
			return err
		}
		lots, err := q.LastLots(cvx)
		if err != nil {
			return err
		}
		for _, t := range tests {
			v := HouseTestView{HouseTest: t}
			v.Analytes = slices.Clone(t.Analytes)
			for i := range v.Analytes {
				if v.Analytes[i].Choices == nil {
					v.Analytes[i].Choices = []string{} // an empty list is [], never null
				}
			}
			for _, k := range kits {
				if k.Test == t.Code && k.Expires >= a.Today() {
					v.Last = Kit{k.Lot, k.Expires}
				}
			}
			out.Tests = append(out.Tests, v)
		}
		for _, x := range vaccines {
			v := VaccineView{Vaccine: x, Sites: chart.Sites[x.Route]}
			for _, l := range lots {
				if l.CVX == x.CVX && l.Expires >= a.Today() {
					v.Last = l.Given
				}
			}
			out.Vaccines = append(out.Vaccines, v)
		}
		return nil
	})
	return out, err
}

// HouseEntry is a test done in the house as it was entered.
type HouseEntry struct {
	ID       string            `json:"id" maxLength:"64" doc:"Names this act, so that a repeated one counts once"`
	Test     string            `json:"test" maxLength:"20"`
	Values   map[string]string `json:"values"`
	Kit      Kit               `json:"kit"`
	Control  string            `json:"control" enum:"valid,not valid"`
	Corrects string            `json:"corrects,omitempty" maxLength:"64" doc:"The report that was entered wrongly"`
}

// HouseDone is a test done at this visit.
type HouseDone struct {
	Report  string            `json:"report"`
	Test    string            `json:"test"`
	Words   string            `json:"words"`
	Values  map[string]string `json:"values"`
	Flagged bool              `json:"flagged"`
	Kit     Kit               `json:"kit"`
	By      string            `json:"by"`
	At      string            `json:"at"`
	Status  string            `json:"status"`
	Signed  bool              `json:"signed"`
}

func (a *Acts) houseDone(q *store.Q, visit string) ([]HouseDone, error) {
	out := []HouseDone{}
	names, err := q.StaffNames()
	if err != nil {
		return out, err
	}
	rs, err := q.ReportsAt(visit)
	if err != nil {
		return out, err
	}
	hs, err := q.HouseResultsAt(visit)
	for _, r := range rs {
		d := HouseDone{Report: r.ID, Test: r.Code, Words: result.Sentence(r.Title, r.Values), Values: map[string]string{},
			Status: result.SayReport(r.Status), Signed: r.SignedIssue == r.Issue}
		for _, v := range r.Values {
			d.Values[v.Code] = v.Text
			d.Flagged = d.Flagged || result.Stand(v).Abnormal
		}
		for _, h := range hs {
			if h.ReportID == r.ID {
				d.Kit, d.By, d.At = Kit{h.Lot, h.Expires}, names[h.By], a.Say(h.At)
			}
		}
		out = append(out, d)
	}
	return out, err
}

// EnterTest files a test done in the house as a final result that waits for the
// visit's physician; one that corrects another becomes its next issue.
func (a *Acts) EnterTest(ctx context.Context, who act.Actor, visitID string, e HouseEntry) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	i := slices.IndexFunc(a.House.Tests, func(t result.HouseTest) bool { return t.Code == e.Test })
	if i < 0 {
		return IntakeView{}, act.Refuse(act.Invalid, "There is no test %q done in the house.", e.Test)
	}
	if e.ID == "" {
		return IntakeView{}, act.Refuse(act.Invalid, "The entry has no identifier.")
	}
	test := a.House.Tests[i]
	values, err := test.Enter(e.Values)
	if err != nil {
		return IntakeView{}, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	e.Kit.Lot = strings.TrimSpace(e.Kit.Lot)
	if e.Kit.Lot == "" {
		return IntakeView{}, act.Refuse(act.Invalid, "Write down the lot of the kit.")
	}
	if _, err := time.Parse(time.DateOnly, e.Kit.Expires); err != nil {
		return IntakeView{}, act.Refuse(act.Invalid, "Write down when the kit expires, as 2027-06-30.")
	}
	switch {
	case e.Kit.Expires < a.Today():
		return IntakeView{}, act.Refuse(act.Invalid, "This kit expired on %s; its result does not count. Repeat the test with another.",
			e.Kit.Expires)
	case e.Control != "valid":
		return IntakeView{}, act.Refuse(act.Invalid,
			"The control was not valid, so the result does not count and is not kept. Repeat the test with a new kit.")
	}
	return a.Change(ctx, who, visitID, "enter a test done in the house", func(t *act.Tx, v store.Visit) error {
		// What was entered is kept as it came, like a message of a laboratory.
		raw, err := json.Marshal(e)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(raw)
		r := store.Report{PatientID: v.PatientID, VisitID: v.ID, Filler: "house:" + e.ID, Code: test.Code, Title: test.Name, LOINC: test.LOINC,
			OwnerID: v.ClinicianID, MatchedBy: who.ID,
			Status: "F", Issue: 1, CollectedAt: a.Say(t.Now), ReportedAt: a.Say(t.Now), ReceivedAt: t.Now,
			Performer: a.Practice + ", done in the house",
			Notes:     fmt.Sprintf("Kit lot %s, expires %s; control valid. Done by %s.", e.Kit.Lot, e.Kit.Expires, who.Name), Values: values}
		r.Source = result.Source("house", r.Filler, "", r.Code, "")
		if known, err := t.ReportsBySource(r.Source); err != nil || len(known) > 0 {
			return err // the same act sent again after a lost answer
		}
		if e.Corrects != "" {
			old, err := t.ReportByID(e.Corrects)
			if err != nil || old.VisitID != v.ID || old.Code != test.Code {
				return act.Refuse(act.Missing, "There is no such test of this visit.")
			}
			r.Filler, r.Source, r.Status, r.CollectedAt = old.Filler, old.Source, "C", old.CollectedAt
			for i := range r.Values {
				r.Values[i].Status = "C"
			}
			r.Notes = "Corrected: it was entered wrongly before. " + r.Notes
		}
		if r.InboxID, err = t.AddIncoming(store.Incoming{ReceivedAt: t.Now, Sender: "house|" + who.ID, Control: e.ID, Raw: raw,
			State: result.Filed}, "in the house", sum[:]); err != nil {
			return err
		}
		if err := a.Result.FileReport(t, r); err != nil {
			return err
		}
		known, err := t.ReportsBySource(r.Source)
		if err != nil {
			return err
		}
		filed := known[0]
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return t.AddHouseResult(store.HouseResult{ReportID: filed.ID, Issue: filed.Issue, Test: test.Code, Lot: e.Kit.Lot, Expires: e.Kit.Expires,
			Control: e.Control, By: who.ID, At: t.Now})
	})
}

// GivenView is a vaccine given.
type GivenView struct {
	ID    string      `json:"id"`
	Name  string      `json:"name"`
	Given chart.Given `json:"given"`
	By    string      `json:"by"`
	At    string      `json:"at"`
}

// GivenViews writes vaccines given, as they were read.
func (a *Acts) GivenViews(q *store.Q, rows []chart.Immunization, err error) ([]GivenView, error) {
	out := []GivenView{}
	if err != nil || len(rows) == 0 {
		return out, err
	}
	names, err := q.StaffNames()
	for _, i := range rows {
		out = append(out, GivenView{ID: i.ID, Name: i.Name, Given: i.Given, By: names[i.GivenBy], At: a.Say(i.GivenAt)})
	}
	return out, err
}

func (a *Acts) givenAt(q *store.Q, visit string) ([]GivenView, error) {
	rows, err := q.ImmunizationsAt(visit)
	return a.GivenViews(q, rows, err)
}

// VaccineEntry is a vaccine given, as it was entered.
type VaccineEntry struct {
	ID        string      `json:"id" maxLength:"64" doc:"Names this act, so that a repeated one counts once"`
	Given     chart.Given `json:"given"`
	Confirmed bool        `json:"confirmed" doc:"What was asked about is answered: it is right"`
}

// Asked is the answer to an act that may be asked about first.
type Asked struct {
	Questions []string    `json:"questions"`
	Intake    *IntakeView `json:"intake,omitempty"`
}

// GiveVaccine records a vaccine given at this visit. What is unusual is asked about
// and recorded once confirmed.
func (a *Acts) GiveVaccine(ctx context.Context, who act.Actor, visitID string, e VaccineEntry) (Asked, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return Asked{}, err
	}
	out := Asked{Questions: []string{}}
	i := slices.IndexFunc(a.House.Vaccines, func(v chart.Vaccine) bool { return v.CVX == e.Given.CVX })
	if i < 0 {
		return out, act.Refuse(act.Invalid, "There is no vaccine with the code %q here.", e.Given.CVX)
	}
	if e.ID == "" {
		return out, act.Refuse(act.Invalid, "The entry has no identifier.")
	}
	vaccine := a.House.Vaccines[i]
	if err := e.Given.Check(a.Today()); err != nil {
		return out, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	asked := false
	view, err := a.Change(ctx, who, visitID, "give a vaccine", func(t *act.Tx, v store.Visit) error {
		had, err := t.Immunizations(v.PatientID)
		if err != nil {
			return err
		}
		var earlier []string
		for _, h := range had {
			if h.ID == e.ID {
				return nil // the same act sent again after a lost answer
			}
			if h.CVX == e.Given.CVX {
				earlier = append(earlier, h.GivenAt.In(a.Location).Format(time.DateOnly))
			}
		}
		out.Questions = vaccine.Questions(a.Months(v), a.Today(), earlier)
		// What another house tells of and nobody has decided on is asked about: nobody here knows what is in each vaccine.
		told, err := t.ReportedOf(v.PatientID)
		if err != nil {
			return err
		}
		for _, x := range told {
			out.Questions = append(out.Questions, "Severe allergy reported by "+x.House+", not confirmed: "+strings.TrimSuffix(x.Substance+", "+x.Reaction, ", ")+". See that the vaccine holds nothing of it.")
		}
		if len(out.Questions) > 0 && !e.Confirmed {
			asked = true
			return act.ErrAsked
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		i := chart.Immunization{ID: e.ID, PatientID: v.PatientID, VisitID: v.ID, Name: vaccine.Name, Given: e.Given, GivenAt: t.Now, GivenBy: who.ID}
		if _, err = t.AddImmunization(i); err != nil {
			return err
		}
		return a.Registry.Report(t, i, false)
	})
	if asked {
		return out, nil
	}
	if err == nil {
		out.Questions, out.Intake = []string{}, &view
	}
	return out, err
}

// StrikeVaccine takes a wrong record of a vaccine back, with a reason; it stays, struck.
func (a *Acts) StrikeVaccine(ctx context.Context, who act.Actor, visitID, id, reason string) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	if strings.TrimSpace(reason) == "" {
		return IntakeView{}, act.Refuse(act.Invalid, "Say why it is struck.")
	}
	return a.Change(ctx, who, visitID, "strike a vaccine", func(t *act.Tx, v store.Visit) error {
		if v.NoteFolio > 0 {
			return act.Refuse(act.Conflict, "The note of this visit is signed. Write an amendment instead.")
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		had, err := t.Immunizations(v.PatientID)
		if err != nil {
			return err
		}
		if err := t.StrikeImmunization(v.ID, id, who.ID, reason, t.Now); err != nil {
			return act.NotFound(err, "vaccine")
		}
		for _, i := range had {
			if i.ID == id {
				return a.Registry.Report(t, i, true)
			}
		}
		return nil
	})
}
