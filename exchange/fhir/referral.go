package fhir

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strings"

	"deftledger/core/outside"
	"deftledger/core/referral"
)

// NumberSystem names the numbers that we give to what we order.
const NumberSystem = "https://deftledger.example/number"

// ItemSystem names what is in our list of imaging, procedures and supplies.
const ItemSystem = "https://deftledger.example/item"

func asList(x any) []m { l, _ := x.([]m); return l }

// RecordSystem names our record numbers.
const RecordSystem = "https://deftledger.example/record"

// Party is a practice, pharmacy or person as a message names them.
type Party struct{ Name, Account, Phone, NPI string }

func (p Party) reference() m {
	out := m{"display": p.Name}
	if p.Account != "" {
		out["identifier"] = m{"value": p.Account}
	}
	return out
}

// Whose is a patient as a message names them. Gender is of FHIR: female, male, other, unknown.
type Whose struct{ Record, Family, Given, BirthDate, Gender, Phone, Address string }

func (w Whose) resource(id, assigner string) m {
	out := m{"resourceType": "Patient", "id": id, "identifier": []m{{"system": RecordSystem, "value": w.Record, "assigner": m{"display": assigner}}},
		"name": []m{{"use": "official", "family": w.Family, "given": []string{w.Given}}}}
	for k, v := range map[string]string{"birthDate": w.BirthDate, "gender": w.Gender} {
		if v != "" {
			out[k] = v
		}
	}
	if w.Phone != "" {
		out["telecom"] = []m{{"system": "phone", "value": w.Phone}}
	}
	if w.Address != "" {
		out["address"] = []m{{"text": w.Address}}
	}
	return out
}

// Referral is a question to another practice as it goes out: a ServiceRequest with the Task of
// answering it, the letter, and the parts of the chart that go along. Moments are RFC 3339.
type Referral struct {
	Number, Sent, Question, Priority, Expected string // Priority: routine, urgent, stat; Expected YYYY-MM-DD
	Facility                                   string
	From, To                                   Party
	Signer                                     string
	Patient                                    Whose
	Diagnoses                                  []CodedText
	Letter                                     []byte // PDF
	Parts                                      []Attached
	Cancel                                     string    // why it is cancelled; "" for one that stands
	Answer                                     string    // to what they asked back
	Item                                       CodedText // what is ordered of our list; the zero value for a referral
	Kind, On                                   string    // of it: imaging, procedure, supply; the day YYYY-MM-DD, "" for as soon as can be
	Details                                    []string  // what else is said of it, in words
}

// Attached is a part of the chart that goes along, as text.
type Attached struct{ Title, Text string }

// Build writes it as a Bundle of FHIR R4, a collection with the Task first.
func (r Referral) Build() ([]byte, error) {
	number := []m{{"system": NumberSystem, "value": r.Number}}
	status, taskStatus := "active", "requested"
	if r.Cancel != "" {
		status, taskStatus = "revoked", "cancelled"
	}
	task := m{"resourceType": "Task", "id": "task", "identifier": number, "status": taskStatus, "intent": "order", "priority": r.Priority, "authoredOn": r.Sent,
		"code": m{"coding": []m{{"system": "http://hl7.org/fhir/CodeSystem/task-code", "code": "fulfill"}}}, "focus": m{"reference": "ServiceRequest/request"}, "for": m{"reference": "Patient/patient"},
		"requester": m{"reference": "Organization/from"}, "owner": r.To.reference(), "restriction": m{"period": m{"end": r.Expected}}}
	if r.Cancel != "" {
		task["statusReason"] = m{"text": r.Cancel}
	}
	if r.Answer != "" {
		task["note"] = []m{{"text": r.Answer, "time": r.Sent}}
	}
	request := m{"resourceType": "ServiceRequest", "id": "request", "identifier": number, "status": status, "intent": "order", "priority": r.Priority, "authoredOn": r.Sent,
		"category": []m{{"coding": []m{{"system": "http://snomed.info/sct", "code": "3457005", "display": "Patient referral"}}}},
		"code":     m{"text": "Referral"}, "subject": m{"reference": "Patient/patient"}, "requester": m{"reference": "Practitioner/signer"},
		"performer": []m{r.To.reference()}}
	if r.Item.Text != "" {
		request["code"] = m{"coding": []m{{"system": ItemSystem, "code": r.Item.Code}}, "text": r.Item.Text}
		request["category"] = []m{{"text": r.Kind}}
	}
	if r.On != "" {
		request["occurrenceDateTime"] = r.On
	}
	if r.Question != "" {
		request["note"] = []m{{"text": r.Question}}
	}
	for _, d := range r.Details {
		request["orderDetail"] = append(asList(request["orderDetail"]), m{"text": d})
	}
	entries := []m{task, request, r.Patient.resource("patient", r.Facility),
		{"resourceType": "Organization", "id": "from", "name": r.From.Name, "telecom": []m{{"system": "phone", "value": cmp.Or(r.From.Phone, "not given")}}},
		{"resourceType": "Practitioner", "id": "signer", "name": []m{{"text": r.Signer}}}}
	var reasons []m
	for i, d := range r.Diagnoses {
		id := fmt.Sprintf("condition-%d", i+1)
		entries = append(entries, m{"resourceType": "Condition", "id": id, "subject": m{"reference": "Patient/patient"},
			"code": m{"coding": []m{{"system": ICD10CM, "code": d.Code, "display": d.Text}}}})
		reasons = append(reasons, m{"reference": "Condition/" + id})
	}
	if len(reasons) > 0 {
		request["reasonReference"] = reasons
	}
	var supporting []m
	document := func(id, title, kind string, content []byte) {
		entries = append(entries, m{"resourceType": "DocumentReference", "id": id, "status": "current", "type": m{"text": title}, "subject": m{"reference": "Patient/patient"},
			"date": r.Sent, "content": []m{{"attachment": m{"contentType": kind, "title": title, "data": base64.StdEncoding.EncodeToString(content)}}}})
		supporting = append(supporting, m{"reference": "DocumentReference/" + id})
	}
	if len(r.Letter) > 0 {
		document("letter", "Referral letter", "application/pdf", r.Letter)
	}
	for i, p := range r.Parts {
		document(fmt.Sprintf("part-%d", i+1), p.Title, "text/plain; charset=utf-8", []byte(p.Text))
	}
	if len(supporting) > 0 {
		request["supportingInfo"] = supporting
	}
	bundle := []m{}
	for _, e := range entries {
		bundle = append(bundle, m{"fullUrl": "https://deftledger.example/fhir/" + e["resourceType"].(string) + "/" + e["id"].(string), "resource": e})
	}
	return json.Marshal(m{"resourceType": "Bundle", "type": "collection", "identifier": number[0], "timestamp": r.Sent, "entry": bundle})
}

// Answered is what another practice's system says of a referral.
type Answered struct {
	Origin   string // names this saying, so that the same said again is one
	Number   string // ours
	Says     referral.Event
	Happened string // as precise as given
	Words    string
	Report   []byte // of a report: the document
	Kind     string // its type: application/pdf or text/plain
	Subject  outside.Identity
	Named    bool
	Doubt    string // why it is not certain, "" when it is
}

type task struct {
	common
	Identifier                   []identifier
	Status                       string
	StatusReason, BusinessStatus concept
	For                          *reference
	ExecutionPeriod              struct{ Start, End string }
	Note                         []struct{ Text string }
	Output                       []struct{ ValueReference *reference }
	Meta                         struct{ VersionID string }
	LastModified                 string
}

// stages are words of a business status, which FHIR leaves free, that say where a patient is.
var stages = []struct {
	says  referral.Event
	words []string
}{
	{referral.Misses, []string{"no show", "no-show", "noshow", "did not come", "missed", "did not attend", "failed to attend"}},
	{referral.Schedules, []string{"schedul", "booked", "appointment"}},
	{referral.Sees, []string{"seen", "visit done", "visited", "arrived", "attended"}},
}

// Tasks reads what another practice's system answers about referrals (FHIR R4 Task): what it
// says in words of its own is read where it is plain, and is unclear where it is not.
func Tasks(body []byte) (out Reply[Answered], err error) {
	err = resources(body, "Task", &out, func(t task, bundled map[string]json.RawMessage) {
		var numbers []string
		for _, i := range t.Identifier {
			if i.System == NumberSystem {
				numbers = append(numbers, i.Value)
			}
		}
		switch {
		case len(numbers) == 0:
			out.left("a Task with no number of ours")
			return
		case len(numbers) > 1:
			out.left("a Task that carries two numbers of ours")
			return
		case t.Status == "entered-in-error":
			out.left("a Task that was entered in error")
			return
		}
		a := Answered{Number: numbers[0], Doubt: t.doubt()}
		a.Words = strings.TrimSpace(t.StatusReason.words())
		var notes []string
		for _, n := range t.Note {
			notes = append(notes, strings.TrimSpace(n.Text))
		}
		if said := strings.Join(notes, " "); said != "" {
			a.Words = said // what a person wrote says more than a code
		}
		a.says(t, bundled)
		t.Subject = t.For
		a.Subject, a.Named = t.subjectOf(bundled)
		a.Origin = strings.Join([]string{cmp.Or(t.LastModified, t.Meta.VersionID), t.Status, string(a.Says), a.Happened, a.Words, fmt.Sprint(len(a.Report))}, "|")
		out.Taken = append(out.Taken, a)
	})
	return out, err
}

// says reads which event a task tells.
func (a *Answered) says(t task, bundled map[string]json.RawMessage) {
	business := strings.ToLower(t.BusinessStatus.words() + " " + t.BusinessStatus.code())
	stage := referral.Nothing
	for _, s := range stages {
		for _, w := range s.words {
			if stage == referral.Nothing && strings.Contains(business, w) {
				stage = s.says
			}
		}
	}
	negated := strings.Contains(business, "unschedul") || strings.Contains(business, "to be ") || strings.Contains(business, "not ") && stage != referral.Misses
	if negated || strings.Contains(business, "cancel") {
		stage = referral.Nothing
		if t.Status != "completed" && t.Status != "rejected" && t.Status != "cancelled" {
			a.Says, a.Words = referral.Unclear, strings.TrimSpace(a.Words+" They say: "+t.BusinessStatus.words())
			return
		}
	}
	switch t.Status {
	case "draft", "requested", "received":
		a.Says = referral.Nothing
		if stage != referral.Nothing {
			a.Says = stage
		}
	case "accepted", "ready", "in-progress":
		a.Says = referral.Accepts
		if stage != referral.Nothing {
			a.Says = stage
		}
	case "on-hold":
		switch {
		case stage != referral.Nothing:
			a.Says = stage
		case strings.TrimSpace(a.Words) != "":
			a.Says = referral.Asks
		default:
			a.Says, a.Words = referral.Unclear, "on hold, without a reason"
		}
	case "rejected", "cancelled", "failed":
		a.Says = referral.Declines
		if stage == referral.Misses {
			a.Says = stage
		}
	case "completed":
		a.Says = referral.Sees
		for _, o := range t.Output {
			if content, kind := document(t.find(o.ValueReference, bundled)); len(content) > 0 {
				a.Says, a.Report, a.Kind = referral.Reports, content, kind
				if kind != "application/pdf" {
					a.Words = strings.TrimSpace(string(content))
				}
			}
		}
		switch {
		case a.Says == referral.Sees && stage == referral.Misses:
			a.Says = stage
		case a.Says == referral.Sees:
			a.Words = strings.TrimSpace("completed without a report " + a.Words)
		}
	default:
		a.Says, a.Words = referral.Unclear, fmt.Sprintf("its status is %q", t.Status)
	}
	switch a.Says {
	case referral.Schedules, referral.Misses:
		a.Happened = t.ExecutionPeriod.Start
	case referral.Sees:
		a.Happened = cmp.Or(t.ExecutionPeriod.End, t.ExecutionPeriod.Start)
	}
}

// document is the first attachment of a DocumentReference, or the form of a DiagnosticReport,
// that can be read here.
func document(raw json.RawMessage) (content []byte, kind string) {
	type attachment struct {
		ContentType string
		Data        []byte
	}
	var d struct {
		ResourceType, Status, Conclusion string
		Content                          []struct{ Attachment attachment }
		PresentedForm                    []attachment
	}
	if json.Unmarshal(raw, &d) != nil || d.Status == "entered-in-error" {
		return nil, ""
	}
	all := d.PresentedForm
	for _, c := range d.Content {
		all = append(all, c.Attachment)
	}
	for _, x := range all {
		switch base, _, _ := strings.Cut(x.ContentType, ";"); {
		case base == "application/pdf" && bytes.HasPrefix(x.Data, []byte("%PDF-")):
			return x.Data, base
		case base == "text/plain" && len(x.Data) > 0:
			return x.Data, base
		}
	}
	if d.Conclusion != "" {
		return []byte(d.Conclusion), "text/plain"
	}
	return nil, ""
}
