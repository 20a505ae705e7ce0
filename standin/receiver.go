package standin

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"
)

// Sent is what a receiving practice keeps of a referral, once for each number.
type Sent struct {
	Number, Owner, Question, Priority string
	Item                              string // what is ordered, where it is no referral
	Status, Business, Start, End      string
	Words                             []string // what they say to it, the newest last
	Report                            string
	Parts                             []string // titles of the documents that came along
	Cancelled                         bool
	Times                             int
	At                                time.Time
	version                           int
	patient                           json.RawMessage
	other                             json.RawMessage // somebody else, named by mistake
}

// Tell changes what a practice says of a referral.
func (e *Elsewhere) Tell(number string, f func(*Sent)) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if s := e.referrals[number]; s != nil {
		f(s)
		s.version++
	}
}

// Mistake lets a practice answer about somebody else than was referred.
func (s *Sent) Mistake(family, given, born string) {
	s.other, _ = json.Marshal(map[string]any{"resourceType": "Patient", "id": "p", "birthDate": born, "name": []any{map[string]any{"family": family, "given": []string{given}}}})
}

// Referrals returns what was taken, by our number.
func (e *Elsewhere) Referrals() map[string]Sent {
	e.mu.Lock()
	defer e.mu.Unlock()
	out := map[string]Sent{}
	for k, v := range maps.All(e.referrals) {
		out[k] = *v
	}
	return out
}

// referral takes a referral: the same number is one, and a cancelled one stays so.
func (e *Elsewhere) referral(w http.ResponseWriter, r *http.Request) {
	var b struct {
		ResourceType string
		Entry        []struct{ Resource json.RawMessage }
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 20<<20)).Decode(&b); err != nil || b.ResourceType != "Bundle" {
		refuse(w, http.StatusBadRequest, "that is no Bundle")
		return
	}
	x := Sent{At: time.Now(), Status: "received"}
	for _, entry := range b.Entry {
		var c struct {
			ResourceType, Status, Priority string
			Identifier                     []struct{ System, Value string }
			Owner                          struct{ Identifier struct{ Value string } }
			Note                           []struct{ Text string }
			Code                           struct{ Text string }
			Type                           struct{ Text string }
		}
		if json.Unmarshal(entry.Resource, &c) != nil {
			refuse(w, http.StatusBadRequest, "a resource in it cannot be read")
			return
		}
		switch c.ResourceType {
		case "Task":
			x.Cancelled, x.Owner = c.Status == "cancelled", c.Owner.Identifier.Value
			if len(c.Identifier) > 0 {
				x.Number = c.Identifier[0].Value
			}
			if len(c.Note) > 0 {
				x.Words = []string{c.Note[0].Text}
			}
		case "ServiceRequest":
			x.Priority = c.Priority
			if c.Code.Text != "Referral" {
				x.Item = c.Code.Text
			}
			if len(c.Note) > 0 {
				x.Question = c.Note[0].Text
			}
		case "Patient":
			x.patient = entry.Resource
		case "DocumentReference":
			x.Parts = append(x.Parts, c.Type.Text)
		}
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	switch {
	case x.Number == "" || x.Question == "" && x.Item == "" || x.patient == nil:
		refuse(w, http.StatusUnprocessableEntity, "a referral needs its number, a question and the patient")
		return
	case !slices.Contains(e.Receivers, x.Owner):
		refuse(w, http.StatusUnprocessableEntity, "no practice "+x.Owner+" is known here")
		return
	}
	had := e.referrals[x.Number]
	if had == nil {
		if e.Pace > 0 {
			x.Status = "received"
		}
		e.referrals[x.Number] = &x
		had = &x
	} else if x.Cancelled {
		had.Cancelled = true
	}
	had.Times++
	w.WriteHeader(http.StatusCreated)
}

// paced moves a referral on by itself, as a practice at work would.
func (e *Elsewhere) paced(s *Sent) {
	if e.Pace == 0 || s.Cancelled || s.Status == "completed" || s.version > 0 {
		return
	}
	day := s.At.AddDate(0, 0, 6)
	switch n := time.Since(s.At) / e.Pace; {
	case n >= 4 && begins(s.Item, "Ultrasound", "X-ray", "CT", "MRI", "Mammogram", "Bone", "Nuclear", "PET"):
		s.Status, s.Business, s.Report = "completed", "", s.Item+"\n\nImpression: Nothing that explains the question “"+s.Question+"”.\n\nFindings: Pictures as asked, of good quality. No earlier ones to compare with."
	case n >= 4:
		s.Status, s.Business, s.Report = "completed", "", "Seen as asked. Thank you for the referral: to the question “"+s.Question+"” our answer is that nothing more has to be done now. "+
			"We would see the patient again if it comes back."
	case n >= 2:
		s.Status, s.Business, s.Start = "accepted", "scheduled", day.Format("2006-01-02")+"T09:30:00"+day.Format("-07:00")
	case n >= 1:
		s.Status = "accepted"
	}
}

func begins(item string, with ...string) bool {
	return slices.ContainsFunc(with, func(w string) bool { return strings.HasPrefix(item, w) })
}

// tasks answers how referrals stand.
func (e *Elsewhere) tasks(w http.ResponseWriter, r *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	for _, id := range strings.Split(r.FormValue("identifier"), ",") {
		_, number, _ := strings.Cut(id, "|")
		s := e.referrals[number]
		if s == nil {
			continue
		}
		e.paced(s)
		patient := s.patient
		if s.other != nil {
			patient = s.other
		}
		var whose map[string]any
		_ = json.Unmarshal(patient, &whose)
		whose["id"] = "p"
		contained := []any{whose}
		t := map[string]any{"resourceType": "Task", "id": "task-" + number, "status": s.Status, "intent": "order",
			"identifier": []any{map[string]any{"system": "https://deftledger.example/number", "value": number}}, "for": map[string]any{"reference": "#p"},
			"meta": map[string]any{"versionId": fmt.Sprint(s.version)}}
		if s.Business != "" {
			t["businessStatus"] = map[string]any{"text": s.Business}
		}
		if s.Start != "" || s.End != "" {
			period := map[string]any{}
			if s.Start != "" {
				period["start"] = s.Start
			}
			if s.End != "" {
				period["end"] = s.End
			}
			t["executionPeriod"] = period
		}
		if len(s.Words) > 0 {
			t["note"] = []any{map[string]any{"text": s.Words[len(s.Words)-1]}}
		}
		if s.Report != "" {
			contained = append(contained, map[string]any{"resourceType": "DocumentReference", "id": "report", "status": "current",
				"content": []any{map[string]any{"attachment": map[string]any{"contentType": "text/plain", "data": []byte(s.Report)}}}})
			t["output"] = []any{map[string]any{"type": map[string]any{"text": "report"}, "valueReference": map[string]any{"reference": "#report"}}}
		}
		t["contained"] = contained
		out = append(out, t)
	}
	bundle(w, out)
}

// refuse answers with an OperationOutcome.
func refuse(w http.ResponseWriter, status int, words string) {
	w.Header().Set("Content-Type", "application/fhir+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"resourceType": "OperationOutcome",
		"issue": []any{map[string]any{"severity": "error", "code": "processing", "details": map[string]any{"text": words}}}})
}

// Restored is a referral about the one who was referred again, after a Mistake.
func Restored(s Sent) Sent {
	s.other = nil
	return s
}
