package sharing

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// Client is another program that reads charts over FHIR, by a token that an administrator gave it.
type Client struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Scopes []string `json:"scopes" doc:"Such as system/Observation.read, or system/*.read"`
	By     string   `json:"by"`
	At     string   `json:"at"`
	Ended  string   `json:"ended" doc:"By whom, when and why; empty for one that holds"`
}

// keptClient is what is kept of a token: its hash only, by which it is found again.
type keptClient struct {
	Name   string   `json:"name"`
	Scopes []string `json:"scopes"`
}

// PerSecond is how many requests a client may make in a second, for a while, and Burst at once.
const (
	PerSecond = 20
	Burst     = 40
)

type limits struct {
	mu sync.Mutex
	of map[string]*rate.Limiter
}

func (l *limits) allow(client string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.of == nil {
		l.of = map[string]*rate.Limiter{}
	}
	if l.of[client] == nil {
		l.of[client] = rate.NewLimiter(PerSecond, Burst)
	}
	return l.of[client].Allow()
}

func tokenOrigin(token string) string {
	h := sha256.Sum256([]byte(token))
	return "fhir token " + hex.EncodeToString(h[:])
}

// Clients lists who was given a token, newest first.
func (a *Acts) Clients(ctx context.Context, who act.Actor) (out []Client, err error) {
	out = []Client{}
	err = a.Look(ctx, who, act.SetConnections, func(q *store.Q) error {
		all, err := q.InquiriesFrom("fhir token ")
		for _, i := range all {
			c, err := a.client(i)
			if err != nil {
				return err
			}
			out = append(out, c)
		}
		slices.SortFunc(out, func(x, y Client) int { return strings.Compare(y.At, x.At) })
		return err
	})
	return out, err
}

func (a *Acts) client(i store.Inquiry) (c Client, err error) {
	var k keptClient
	if err := json.Unmarshal(i.Said, &k); err != nil {
		return c, err
	}
	c = Client{ID: i.ID, Name: k.Name, Scopes: k.Scopes, By: i.By, At: a.Say(i.At)}
	if i.State != store.InquiryOpen {
		c.Ended = i.Done + ", " + chart.SayDay(a.DayOf(store.Stamp(i.DoneAt))) + ": " + i.Answer
	}
	return c, nil
}

// GiveToken gives a token to a program. It is shown once, and kept as its hash only.
func (a *Acts) GiveToken(ctx context.Context, who act.Actor, name string, scopes []string) (token string, err error) {
	if err := act.Allow(who, act.SetConnections); err != nil {
		return "", err
	}
	if name = chart.Tidy(name); name == "" || len(name) > 200 {
		return "", act.Refuse(act.Invalid, "Say who gets it.")
	}
	if len(scopes) == 0 {
		return "", act.Refuse(act.Invalid, "Say what it may read.")
	}
	for _, s := range scopes {
		kind, ok := strings.CutPrefix(strings.TrimSuffix(s, ".read"), "system/")
		if _, served := fhir.SearchParameters[kind]; !ok || !strings.HasSuffix(s, ".read") || kind != "*" && !served {
			return "", act.Refuse(act.Invalid, "%q is no scope of reading, such as system/Observation.read.", s)
		}
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw)
	token = "dl_" + base64.RawURLEncoding.EncodeToString(raw)
	body, err := json.Marshal(keptClient{name, scopes})
	if err != nil {
		return "", err
	}
	return token, a.Act(ctx, who, act.SetConnections, func(t *act.Tx) error {
		id := act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.FHIRToken, Source: "here", Origin: tokenOrigin(token), ByID: who.ID, Said: body, At: t.Now}); err != nil {
			return err
		}
		return t.Audit("give a token for reading over FHIR", "", id, strings.Join(scopes, " "))
	})
}

// EndToken ends a token, from this moment on.
func (a *Acts) EndToken(ctx context.Context, who act.Actor, id, reason string) error {
	if reason = chart.Tidy(reason); reason == "" {
		if err := act.Allow(who, act.SetConnections); err != nil {
			return err
		}
		return act.Refuse(act.Invalid, "Say why it ends.")
	}
	return a.Act(ctx, who, act.SetConnections, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil || i.Kind != store.FHIRToken {
			return act.Refuse(act.Missing, "There is no such token.")
		}
		if i.State != store.InquiryOpen {
			return nil // it has ended
		}
		if err := t.AnswerInquiry(id, "ended", reason, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		return t.Audit("end a token for reading over FHIR", "", id, "")
	})
}

// Known finds the client of a token; Unproven for one that nobody gave, or that has ended.
func (a *Acts) Known(ctx context.Context, token string) (c Client, err error) {
	err = a.Store.Read(ctx, func(q *store.Q) error {
		i, err := q.InquiryOfOrigin(tokenOrigin(token))
		if store.IsNotFound(err) || err == nil && i.State != store.InquiryOpen {
			return act.Refuse(act.Unproven, "This token was not given here, or has ended.")
		}
		if err != nil {
			return err
		}
		c, err = a.client(i)
		return err
	})
	if err == nil && !a.limits.allow(c.ID) {
		err = act.Refuse(act.TooOften, "Too many requests: %d in a second are answered.", PerSecond)
	}
	return c, err
}

// may says whether a client may read a kind of resource.
func (c Client) may(kind string) error {
	if slices.Contains(c.Scopes, "system/*.read") || slices.Contains(c.Scopes, "system/"+kind+".read") {
		return nil
	}
	return act.Refuse(act.Forbidden, "This token may not read %s.", kind)
}

// noSuch is the answer for what is not there, and for what is of a patient who does not agree: it tells neither from the other.
func noSuch() error { return act.Refuse(act.Missing, "There is nothing like that.") }

// shown is a patient who agrees that the chart goes out.
func (a *Acts) shown(q *store.Q, patient string) (p chart.Patient, k outside.Keeper, err error) {
	if p, err = q.Person(patient); err != nil {
		if store.IsNotFound(err) {
			err = noSuch()
		}
		return p, k, err
	}
	ok, err := a.agrees(q, p.ID, Out)
	if err == nil && !ok {
		err = noSuch()
	}
	if err == nil {
		k, err = a.Keeper(q, p.ID)
	}
	return p, k, err
}

// behind are the lists of the chart behind a kind of resource; of one that is not among them, all of it.
var behind = map[string][]string{"Patient": {"none"}, "Condition": {outside.Problems}, "AllergyIntolerance": {outside.Allergies}, "MedicationRequest": {outside.Medicines}, "MedicationStatement": {outside.Medicines},
	"Immunization": {outside.Immunizations}, "Observation": {outside.Results, outside.Vitals, outside.Social}, "DiagnosticReport": {outside.Results}, "DocumentReference": {"none"},
	"Encounter": {outside.Encounters}, "Procedure": {outside.Procedures}, "CareTeam": {outside.Team}}

// served are the resources of a patient of a kind, "" for all, with the origins of each where they are asked for.
func (a *Acts) served(q *store.Q, p chart.Patient, k outside.Keeper, kind string, origins bool) ([]fhir.Served, error) {
	r, err := a.Whole(q, p, behind[kind]...)
	if err != nil {
		return nil, err
	}
	a.withhold(k, &r)
	if kind == "DocumentReference" || kind == "Provenance" || kind == "" {
		told, err := a.Note.Told(q, p.ID)
		if err != nil {
			return nil, err
		}
		for _, x := range told {
			if k.Why(a.tellsText(k, x.ID, outside.NotesPart, x.Title, x.Text)) == "" {
				r.Files = append(r.Files, outside.RecordFile{ID: x.ID, At: x.At, Type: "text/plain", Title: x.Title, Body: []byte(x.Text)})
			}
		}
		all, err := q.DocumentsOf(p.ID)
		if err != nil {
			return nil, err
		}
		for _, d := range all {
			if k.Why(a.tellsText(k, d.ID, outside.DocumentsPart, d.Title, "")) == "" {
				r.Files = append(r.Files, outside.RecordFile{ID: d.ID, At: a.Say(d.MadeAt), Type: "application/pdf", Title: d.Title})
			}
		}
		reports, err := a.given(q, p.ID)
		if err != nil {
			return nil, err
		}
		for _, rep := range reports {
			for _, f := range filesOf(rep) {
				if k.Why(unread(rep.ID, f)) == "" {
					r.Files = append(r.Files, f.RecordFile)
				}
			}
		}
	}
	return append([]fhir.Served{fhir.PatientServed(p.ID, r)}, fhir.ServedOf(p.ID, r, origins || kind == "Provenance" || kind == "")...), nil
}

// SearchOver answers a search of a client. Of a patient, or of those whom a number, or a name with a birth date, names; only of those who
// agree. That it was read is recorded.
func (a *Acts) SearchOver(ctx context.Context, c Client, q fhir.Query) (found, besides []fhir.Served, err error) {
	if err := c.may(q.Kind); err != nil {
		return nil, nil, err
	}
	if q.Params["_revinclude"] != nil {
		if err := c.may("Provenance"); err != nil {
			return nil, nil, err
		}
	}
	var read []string
	err = a.Store.Read(ctx, func(s *store.Q) error {
		people, err := a.meant(s, q)
		if err != nil {
			return err
		}
		for _, id := range people {
			p, k, err := a.shown(s, id)
			var no *act.Refusal
			if errors.As(err, &no) {
				continue
			}
			if err != nil {
				return err
			}
			all, err := a.served(s, p, k, q.Kind, q.Params["_revinclude"] != nil)
			if err != nil {
				return err
			}
			besides = all
			before := len(found)
			for _, x := range all {
				if q.Matches(x) {
					found = append(found, x)
				}
			}
			if q.Kind != "Patient" || len(found) > before { // who only shares a birth date was not read
				read = append(read, p.ID)
			}
		}
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	return found, besides, a.readBy(ctx, c, read, "search "+q.Kind)
}

// meant are the patients a search may be about.
func (a *Acts) meant(s *store.Q, q fhir.Query) ([]string, error) {
	one := func(name string) string {
		if v := q.Params[name]; len(v) > 0 {
			return v[0]
		}
		return ""
	}
	if q.Kind != "Patient" {
		patient := strings.TrimPrefix(one("patient"), "Patient/")
		if patient != "" {
			return []string{patient}, nil
		}
		if id := one("_id"); id != "" {
			owner, err := ownerOf(s, strings.Split(id, ".")[0])
			if store.IsNotFound(err) {
				return nil, nil
			}
			return []string{owner}, err
		}
		return nil, act.Refuse(act.Invalid, "Say of which patient: patient=<id>.")
	}
	if id := one("_id"); id != "" {
		return []string{id}, nil
	}
	if n := one("identifier"); n != "" {
		_, number, several := strings.Cut(n, "|")
		if !several {
			number = n
		}
		people, err := s.PeopleNumbered(number)
		var out []string
		for _, p := range people {
			out = append(out, p.ID)
		}
		return out, err
	}
	named := slices.ContainsFunc(slices.Collect(maps.Keys(q.Params)), func(k string) bool {
		return strings.HasPrefix(k, "name") || strings.HasPrefix(k, "family") || strings.HasPrefix(k, "given")
	})
	if born := strings.TrimPrefix(one("birthdate"), "eq"); born != "" && named {
		people, err := s.PeopleBorn(born)
		var out []string
		for _, p := range people {
			out = append(out, p.ID)
		}
		return out, err
	}
	return nil, act.Refuse(act.Invalid, "Say who: by _id, by identifier, or by a name with the birth date.")
}

// ownerOf is the patient of an entry, or of a care team.
func ownerOf(s *store.Q, entry string) (string, error) {
	if patient, team := strings.CutPrefix(entry, teamOf); team {
		return patient, nil
	}
	return s.OwnerOfEntry(entry)
}

// ReadOver reads one resource for a client.
func (a *Acts) ReadOver(ctx context.Context, c Client, kind, id string) (found fhir.Served, err error) {
	if err := c.may(kind); err != nil {
		return found, err
	}
	var of string
	err = a.Store.Read(ctx, func(s *store.Q) error {
		owner := id
		if kind != "Patient" {
			entry := strings.TrimPrefix(strings.Split(id, ".")[0], "p-")
			if kind == "Provenance" {
				_, entry, _ = strings.Cut(entry, "-")
			}
			if owner, err = ownerOf(s, entry); err != nil {
				if store.IsNotFound(err) {
					return noSuch()
				}
				return err
			}
		}
		p, k, err := a.shown(s, owner)
		if err != nil {
			return err
		}
		all, err := a.served(s, p, k, kind, false)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(x fhir.Served) bool { return x.Kind == kind && x.ID == id })
		if i < 0 {
			return noSuch()
		}
		found, of = all[i], p.ID
		return nil
	})
	if err != nil {
		return found, err
	}
	return found, a.readBy(ctx, c, []string{of}, "read "+kind)
}

// BytesOver reads the bytes of a note or a document for a client.
func (a *Acts) BytesOver(ctx context.Context, c Client, id string) (kind string, body []byte, err error) {
	if err := c.may("DocumentReference"); err != nil {
		return "", nil, err
	}
	var of string
	err = a.Store.Read(ctx, func(s *store.Q) error {
		entry, _, ofReport := strings.Cut(id, ".")
		owner, err := s.OwnerOfEntry(entry)
		if store.IsNotFound(err) {
			return noSuch()
		}
		if err != nil {
			return err
		}
		p, k, err := a.shown(s, owner)
		if err != nil {
			return err
		}
		of = p.ID
		if ofReport {
			kind, body, err = a.reportBytes(s, k, p.ID, id)
			return err
		}
		if d, err := s.DocumentByID(id); err == nil {
			if k.Why(a.tellsText(k, d.ID, outside.DocumentsPart, d.Title, "")) != "" {
				return noSuch()
			}
			kind, body = "application/pdf", d.PDF
			return nil
		} else if !store.IsNotFound(err) {
			return err
		}
		told, err := a.Note.Told(s, p.ID)
		for _, x := range told {
			if x.ID == id && k.Why(a.tellsText(k, x.ID, outside.NotesPart, x.Title, x.Text)) == "" {
				kind, body = "text/plain; charset=utf-8", []byte(x.Text)
			}
		}
		if err == nil && body == nil {
			err = noSuch()
		}
		return err
	})
	if err != nil {
		return "", nil, err
	}
	return kind, body, a.readBy(ctx, c, []string{of}, "read Binary")
}

// reportBytes are the bytes of a file that came with a report.
func (a *Acts) reportBytes(s *store.Q, k outside.Keeper, patient, id string) (kind string, body []byte, err error) {
	reports, err := a.given(s, patient)
	if err != nil {
		return "", nil, err
	}
	for _, rep := range reports {
		for _, f := range filesOf(rep) {
			if f.ID == id && k.Why(unread(rep.ID, f)) == "" {
				body, err = a.Result.FileOf(s, rep, f.sum)
				return f.Type, body, err
			}
		}
	}
	return "", nil, noSuch()
}

// readBy records what a client has read.
func (a *Acts) readBy(ctx context.Context, c Client, patients []string, what string) error {
	if len(patients) == 0 {
		patients = []string{""}
	}
	return a.Store.Write(context.WithoutCancel(ctx), func(q *store.Q) error {
		for _, p := range patients {
			if err := q.Audit(store.Stamp(a.Clock()), "", "read over FHIR", p, c.ID, what+" by "+c.Name); err != nil {
				return err
			}
		}
		return nil
	})
}

// Everything are the resources of a patient for a bulk export: of one who agrees, else none; of anybody where the practice itself moves.
func (a *Acts) Everything(q *store.Q, patient string, anybody bool) ([]fhir.Served, error) {
	p, err := q.Person(patient)
	var k outside.Keeper
	if err == nil && !anybody {
		p, k, err = a.shown(q, patient)
	}
	var no *act.Refusal
	if errors.As(err, &no) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return a.served(q, p, k, "", true)
}

// Query is a search of another program, as it was asked.
type Query = fhir.Query

// NewQuery reads a search; the error says in words what is not answered.
func NewQuery(kind string, params map[string][]string) (Query, error) {
	return fhir.NewQuery(kind, params)
}

// Capability is the CapabilityStatement of the interface at an address.
func (a *Acts) Capability(base string) map[string]any {
	return fhir.Capability(base, a.Practice, a.Began.Truncate(time.Second))
}

// Outcome is a refusal as FHIR has it.
func Outcome(code, words string) map[string]any { return fhir.Outcome(code, words) }

// Serves says whether a kind of resource is served.
func Serves(kind string) bool {
	_, served := fhir.SearchParameters[kind]
	return served
}
