package fhir

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"time"

	"deftledger/core/outside"
)

// Served is a resource as others read it: its kind and identifier, when it last changed (RFC 3339 or a day; "" for not known), and what
// it is searched by.
type Served struct {
	Kind, ID, Changed string
	Body              map[string]any
	by                map[string][]string // tokens, by search parameter
	days              map[string]string   // moments, by search parameter
}

// SearchParameters are those that are answered, by kind of resource (US Core 6.1.0, HL7 2023): t for a token, d for a date, s for words.
// What is not among them is refused, because a filter that is left out would answer more than was asked for.
var SearchParameters = map[string]map[string]string{
	"Patient":             {"_id": "t", "identifier": "t", "name": "s", "family": "s", "given": "s", "birthdate": "d", "gender": "t"},
	"Condition":           {"patient": "t", "category": "t", "clinical-status": "t", "code": "t", "onset-date": "d", "_id": "t"},
	"AllergyIntolerance":  {"patient": "t", "clinical-status": "t", "_id": "t"},
	"MedicationRequest":   {"patient": "t", "intent": "t", "status": "t", "authoredon": "d", "_id": "t"},
	"MedicationStatement": {"patient": "t", "status": "t", "_id": "t"},
	"Immunization":        {"patient": "t", "status": "t", "date": "d", "_id": "t"},
	"Observation":         {"patient": "t", "category": "t", "code": "t", "status": "t", "date": "d", "_id": "t"},
	"DiagnosticReport":    {"patient": "t", "category": "t", "code": "t", "status": "t", "date": "d", "_id": "t"},
	"DocumentReference":   {"patient": "t", "category": "t", "type": "t", "status": "t", "date": "d", "_id": "t"},
	"Encounter":           {"patient": "t", "class": "t", "type": "t", "date": "d", "status": "t", "_id": "t"},
	"Procedure":           {"patient": "t", "code": "t", "status": "t", "date": "d", "_id": "t"},
	"CareTeam":            {"patient": "t", "status": "t", "_id": "t"},
	"Provenance":          {"patient": "t", "target": "t", "_id": "t"},
}

// common parameters of every search.
var always = []string{"_lastUpdated", "_count", "_offset", "_summary", "_format", "_revinclude"}

// Capability is the CapabilityStatement of the interface.
func Capability(base, name string, at time.Time) map[string]any {
	var kinds []m
	for _, kind := range slices.Sorted(maps.Keys(SearchParameters)) {
		var params []m
		for _, p := range slices.Sorted(maps.Keys(SearchParameters[kind])) {
			params = append(params, m{"name": p, "type": map[string]string{"t": "token", "d": "date", "s": "string"}[SearchParameters[kind][p]]})
		}
		params = append(params, m{"name": "_lastUpdated", "type": "date"})
		r := m{"type": kind, "interaction": []m{{"code": "read"}, {"code": "search-type"}}, "versioning": "no-version", "searchParam": params}
		if p := profiles[kind]; p != "" {
			r["supportedProfile"] = []string{"http://hl7.org/fhir/us/core/StructureDefinition/" + p}
		}
		if kind != "Provenance" && kind != "Patient" {
			r["searchRevInclude"] = []string{"Provenance:target"}
		}
		kinds = append(kinds, r)
	}
	return m{"resourceType": "CapabilityStatement", "status": "active", "date": at.Format(time.RFC3339), "kind": "instance", "fhirVersion": "4.0.1", "format": []string{"json"},
		"implementation": m{"description": name + ", read-only", "url": base}, "software": m{"name": "Deft Ledger"},
		"rest": []m{{"mode": "server", "security": m{"description": "A bearer token that the practice gives, with scopes such as system/Observation.read. Only patients who agree that their chart goes out are found."}, "resource": kinds}}}
}

// Outcome is a refusal as FHIR has it.
func Outcome(code, words string) map[string]any {
	return m{"resourceType": "OperationOutcome", "issue": []m{{"severity": "error", "code": code, "diagnostics": words}}}
}

// PatientServed is the Patient of a record.
func PatientServed(id string, r outside.Record) Served {
	p := patientOf(r.Patient)
	var numbers []m
	s := Served{Kind: "Patient", ID: id, by: map[string][]string{"_id": {id}, "gender": {Gender(r.Patient.Sex)}}, days: map[string]string{"birthdate": r.Patient.BirthDate}}
	for _, n := range r.Patient.Records {
		numbers = append(numbers, m{"system": ourRecords, "value": n.Number})
		s.by["identifier"] = append(s.by["identifier"], n.Number, ourRecords+"|"+n.Number)
	}
	if len(numbers) > 0 {
		p["identifier"] = numbers
	}
	p["id"] = id
	p["meta"] = m{"profile": []string{"http://hl7.org/fhir/us/core/StructureDefinition/us-core-patient"}}
	s.Body = p
	return s
}

// servedID is an identifier of ours as FHIR has it.
func servedID(ref string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' {
			return r
		}
		return '.'
	}, ref)
}

// ServedOf are the resources of a record of a patient: each entry, and each file as a DocumentReference whose bytes are read by its
// address. A medicine is served as MedicationStatement and, as US Core asks, as MedicationRequest. origins asks for a Provenance of each too.
func ServedOf(patient string, r outside.Record, origins bool) (out []Served) {
	w := recordWriter{subject: m{"reference": "Patient/" + patient}}
	add := func(x m, i outside.Item, id string) {
		kind := x["resourceType"].(string)
		s := Served{Kind: kind, ID: id, Changed: i.At, by: map[string][]string{"_id": {id}, "patient": {patient, "Patient/" + patient}}, days: map[string]string{}}
		x["id"] = id
		meta := m{}
		if p := profiles[kind]; p != "" {
			meta["profile"] = []string{"http://hl7.org/fhir/us/core/StructureDefinition/" + p}
		}
		if at := instantOf(i.At); at != "" {
			meta["lastUpdated"] = at
		}
		if len(meta) > 0 {
			x["meta"] = meta
		}
		s.Body = x
		s.index(i)
		out = append(out, s)
	}
	for _, i := range r.Items {
		id := servedID(i.Ref)
		if i.Ref == "" {
			id = named(patient + i.List + i.Title + i.Detail)
		}
		x := w.item(i)
		if i.List == outside.Medicines {
			asked := m{"resourceType": "MedicationRequest", "intent": "plan", "subject": w.subject, "medicationCodeableConcept": x["medicationCodeableConcept"], "status": map[string]string{outside.Active: "active", outside.Ended: "stopped"}[i.Status],
				"requester": m{"display": r.House}}
			if asked["status"] == "" {
				asked["status"] = "unknown"
			}
			if at := fhirMoment(i.Since); at != "" {
				asked["authoredOn"] = at
			}
			if i.Detail != "" {
				asked["dosageInstruction"] = []m{{"text": i.Detail}}
			}
			add(asked, i, id)
		}
		add(x, i, id)
	}
	for _, f := range r.Files {
		kind := "34133-9"
		if strings.HasPrefix(f.Type, "text/") {
			kind = "11506-3"
		}
		x := m{"resourceType": "DocumentReference", "status": "current", "subject": w.subject, "type": m{"text": f.Title, "coding": []m{{"system": "http://loinc.org", "code": kind}}},
			"category": []m{{"coding": []m{{"system": "http://hl7.org/fhir/us/core/CodeSystem/us-core-documentreference-category", "code": "clinical-note"}}}},
			"content":  []m{{"attachment": m{"contentType": f.Type, "title": f.Title, "url": "Binary/" + servedID(f.ID)}}}}
		if at := instantOf(f.At); at != "" {
			x["date"] = at
		}
		add(x, outside.Item{At: f.At}, servedID(f.ID))
	}
	for _, rep := range reportsOf(r.Items) {
		x := m{"resourceType": "DiagnosticReport", "status": "final", "subject": w.subject, "code": m{"text": rep.title}, "category": []m{coded("v2-0074", "LAB")}, "result": rep.results}
		if at := fhirMoment(rep.at); at != "" {
			x["effectiveDateTime"] = at
		}
		if at := instantOf(rep.changed); at != "" {
			x["issued"] = at
		}
		if rep.by != "" {
			x["performer"] = []m{{"display": rep.by}}
		}
		add(x, outside.Item{At: rep.changed, Since: rep.at}, rep.id)
	}
	if !origins {
		return out
	}
	for _, s := range slices.Clone(out) {
		at := instantOf(s.Changed)
		if at == "" {
			continue
		}
		x := m{"resourceType": "Provenance", "target": []m{{"reference": s.Kind + "/" + s.ID}}, "recorded": at, "agent": []m{{"type": coded("provenance-participant-type", "author"), "who": m{"display": r.House}}}}
		add(x, outside.Item{At: s.Changed}, servedID("p-" + s.Kind + "-" + s.ID)[:min(64, len("p-"+s.Kind+"-"+s.ID))])
		out[len(out)-1].by["target"] = []string{s.Kind + "/" + s.ID}
	}
	return out
}

type servedReport struct {
	id, title, at, by, changed string
	results                    []m
}

// reportsOf gathers results that came in one report: their references begin with its identifier.
func reportsOf(items []outside.Item) (out []servedReport) {
	at := map[string]int{}
	for _, i := range items {
		id, _, several := strings.Cut(i.Ref, " ")
		if i.List != outside.Results || !several {
			continue
		}
		n, there := at[id]
		if !there {
			n = len(out)
			at[id] = n
			out = append(out, servedReport{id: id, title: i.Title, at: i.Since, by: i.Author, changed: i.At})
		} else {
			out[n].title += ", " + i.Title
		}
		out[n].results = append(out[n].results, m{"reference": "Observation/" + servedID(i.Ref)})
	}
	return out
}

// instantOf is a moment as an instant: one that is only a day has no instant.
func instantOf(s string) string {
	if at := fhirMoment(s); len(at) > len(time.DateOnly) {
		return at
	}
	return ""
}

// index puts down what a resource is searched by.
func (s *Served) index(i outside.Item) {
	put := func(name string, values ...string) {
		for _, v := range values {
			if v != "" {
				s.by[name] = append(s.by[name], v)
			}
		}
	}
	for _, name := range []string{"status", "intent"} {
		if v, ok := s.Body[name].(string); ok {
			put(name, v)
		}
	}
	for field, name := range map[string]string{"category": "category", "clinicalStatus": "clinical-status", "code": "code", "vaccineCode": "code", "type": "type", "class": "class"} {
		for _, c := range codingsOf(s.Body[field]) {
			put(name, c.code, c.system+"|"+c.code, c.system+"|")
		}
	}
	switch s.Kind {
	case "Condition":
		s.days["onset-date"] = i.Since
	case "MedicationRequest":
		s.days["authoredon"] = i.Since
	case "DocumentReference":
		s.days["date"] = i.At
	default:
		s.days["date"] = i.Since
	}
}

type token struct{ system, code string }

// codingsOf are the codings of a concept, or of several, as they were written.
func codingsOf(x any) (out []token) {
	switch v := x.(type) {
	case []m:
		for _, y := range v {
			out = append(out, codingsOf(y)...)
		}
	case m:
		if c, ok := v["coding"].([]m); ok {
			return codingsOf(c)
		}
		system, _ := v["system"].(string)
		if code, ok := v["code"].(string); ok {
			out = append(out, token{system, code})
		}
	}
	return out
}

// Query is a search as it was asked.
type Query struct {
	Kind   string
	Params map[string][]string
	Count  int
	Offset int
}

// NewQuery reads a search; the error says in words what is not answered.
func NewQuery(kind string, params map[string][]string) (q Query, err error) {
	known, ok := SearchParameters[kind]
	if !ok {
		return q, fmt.Errorf("%s is not served here", kind)
	}
	q = Query{Kind: kind, Params: map[string][]string{}, Count: 50}
	for name, values := range params {
		plain, modifier, _ := strings.Cut(name, ":")
		switch {
		case known[plain] == "" && !slices.Contains(always, plain):
			return q, fmt.Errorf("the parameter %s is not answered for %s", plain, kind)
		case modifier != "" && !(modifier == "exact" && known[plain] == "s"):
			return q, fmt.Errorf("the modifier %q of %s is not answered", modifier, plain)
		}
		for _, v := range values {
			if known[plain] == "d" || plain == "_lastUpdated" {
				for one := range strings.SplitSeq(v, ",") {
					if _, day := prefixed(one); fhirMoment(day) == "" {
						return q, fmt.Errorf("%q is no date for %s", one, plain)
					}
				}
			}
		}
		switch plain {
		case "_count", "_offset":
			n := 0
			if _, err := fmt.Sscanf(values[0], "%d", &n); err != nil || n < 0 {
				return q, fmt.Errorf("%q is no number for %s", values[0], plain)
			}
			if plain == "_count" {
				q.Count = min(max(n, 1), 200)
			} else {
				q.Offset = n
			}
		case "_revinclude":
			for _, v := range values {
				if v != "Provenance:target" {
					return q, fmt.Errorf("%s is not included", v)
				}
			}
			q.Params[plain] = values
		case "_summary":
			if values[0] != "count" {
				return q, fmt.Errorf("the summary %q is not made", values[0])
			}
			q.Params[plain] = values
		case "_format":
		default:
			q.Params[name] = values
		}
	}
	return q, nil
}

// prefixed takes the comparison off a date.
func prefixed(v string) (how, day string) {
	for _, p := range []string{"eq", "ne", "ge", "le", "gt", "lt", "sa", "eb"} {
		if rest, ok := strings.CutPrefix(v, p); ok {
			return p, rest
		}
	}
	return "eq", v
}

// Matches says whether a resource is asked for.
func (q Query) Matches(s Served) bool {
	if s.Kind != q.Kind {
		return false
	}
	for name, values := range q.Params {
		plain, modifier, _ := strings.Cut(name, ":")
		switch plain {
		case "_revinclude", "_summary":
			continue
		}
		for _, v := range values { // all of several, any of a list
			if !slices.ContainsFunc(strings.Split(v, ","), func(one string) bool { return q.one(s, plain, modifier, one) }) {
				return false
			}
		}
	}
	return true
}

func (q Query) one(s Served, name, modifier, v string) bool {
	switch {
	case name == "_lastUpdated":
		return within(s.Changed, v)
	case SearchParameters[q.Kind][name] == "d":
		return within(s.days[name], v)
	case SearchParameters[q.Kind][name] == "s":
		return q.words(s, name, modifier, v)
	}
	return slices.Contains(s.by[name], v) || strings.HasPrefix(v, "|") && slices.Contains(s.by[name], v[1:])
}

func (q Query) words(s Served, name, modifier, v string) bool {
	names, _ := s.Body["name"].([]m)
	for _, n := range names {
		var all []string
		family, _ := n["family"].(string)
		given, _ := n["given"].([]string)
		if name != "given" {
			all = append(all, family)
		}
		if name != "family" {
			all = append(all, given...)
		}
		for _, w := range all {
			if modifier == "exact" && w == v || modifier == "" && v != "" && strings.HasPrefix(strings.ToLower(w), strings.ToLower(v)) {
				return true
			}
		}
	}
	return false
}

// within compares a moment with one that was asked for, each as precise as it is. What has no day is within nothing.
func within(at, asked string) bool {
	how, day := prefixed(asked)
	lowA, highA, okA := bounds(at)
	lowB, highB, okB := bounds(day)
	if !okA || !okB {
		return false
	}
	switch how {
	case "ne":
		return lowA.Before(lowB) || highA.After(highB)
	case "ge":
		return highA.After(lowB)
	case "gt", "sa":
		return !lowA.Before(highB)
	case "le":
		return lowA.Before(highB)
	case "lt", "eb":
		return !highA.After(lowB)
	}
	return !lowA.Before(lowB) && !highA.After(highB)
}

// bounds are when a moment as precise as it is begins and ends.
func bounds(s string) (from, to time.Time, ok bool) {
	for _, x := range []struct {
		layout string
		add    func(time.Time) time.Time
	}{{"2006", func(t time.Time) time.Time { return t.AddDate(1, 0, 0) }}, {"2006-01", func(t time.Time) time.Time { return t.AddDate(0, 1, 0) }},
		{time.DateOnly, func(t time.Time) time.Time { return t.AddDate(0, 0, 1) }}, {"2006-01-02T15:04Z07:00", func(t time.Time) time.Time { return t.Add(time.Minute) }},
		{time.RFC3339, func(t time.Time) time.Time { return t.Add(time.Second) }}} {
		if t, err := time.Parse(x.layout, s); err == nil {
			return t, x.add(t), true
		}
	}
	return from, to, false
}

// Page is a page of what was found, with the address of the next. What was included besides is not counted.
func (q Query) Page(base string, found, included []Served) map[string]any {
	b := m{"resourceType": "Bundle", "type": "searchset", "total": len(found)}
	self := q.address(base, q.Offset)
	b["link"] = []m{{"relation": "self", "url": self}}
	if q.Params["_summary"] != nil {
		return b
	}
	page := found[min(q.Offset, len(found)):min(q.Offset+q.Count, len(found))]
	if q.Offset+q.Count < len(found) {
		b["link"] = append(b["link"].([]m), m{"relation": "next", "url": q.address(base, q.Offset+q.Count)})
	}
	entries := []m{}
	for _, s := range page {
		entries = append(entries, m{"fullUrl": base + "/" + s.Kind + "/" + s.ID, "resource": s.Body, "search": m{"mode": "match"}})
		if q.Params["_revinclude"] != nil {
			for _, p := range included {
				if p.Kind == "Provenance" && slices.Contains(p.by["target"], s.Kind+"/"+s.ID) {
					entries = append(entries, m{"fullUrl": base + "/Provenance/" + p.ID, "resource": p.Body, "search": m{"mode": "include"}})
				}
			}
		}
	}
	b["entry"] = entries
	return b
}

// address is the search again from an offset on. Words that are of people travel in the body only, and are not in it.
func (q Query) address(base string, offset int) string {
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(q.Params)) {
		if SearchParameters[q.Kind][strings.Split(name, ":")[0]] == "s" || name == "birthdate" || name == "identifier" {
			continue
		}
		for _, v := range q.Params[name] {
			parts = append(parts, name+"="+url.QueryEscape(v))
		}
	}
	parts = append(parts, fmt.Sprint("_count=", q.Count), fmt.Sprint("_offset=", offset))
	return base + "/" + q.Kind + "?" + strings.Join(parts, "&")
}

// NDJSON writes resources of a kind, one a line (FHIR Bulk Data Access, HL7 2021).
func NDJSON(all []Served, kind string) ([]byte, error) {
	var out []byte
	for _, s := range all {
		if s.Kind != kind {
			continue
		}
		line, err := json.Marshal(s.Body)
		if err != nil {
			return nil, err
		}
		out = append(append(out, line...), '\n')
	}
	return out, nil
}
