package sharing

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// States of a link with the exchange.
const (
	Linked   = "linked"
	Question = "question" // somebody there may be the patient, and a person says
	Nobody   = "nobody"   // nobody there is like the patient
	Failed   = "failed"   // the exchange did not answer
	Unlinked = "unlinked" // ended by hand
)

// AtExchange is somebody at the exchange who may be the patient, as it is written there.
type AtExchange struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Born   string   `json:"born"`
	Sex    string   `json:"sex"`
	Lives  string   `json:"lives"`
	Phone  string   `json:"phone"`
	Agree  []string `json:"agree"`
	Differ []string `json:"differ"`
	Why    string   `json:"why" doc:"Why it is not certain"`
}

// ExchangeLink is how a patient is linked with the exchange.
type ExchangeLink struct {
	State      string       `json:"state" enum:",linked,question,nobody,failed,unlinked"`
	Person     string       `json:"person" doc:"Whom they are there, by its identifier"`
	Says       string       `json:"says" doc:"The cause, or why by hand"`
	Mends      string       `json:"mends" doc:"What would mend it"`
	Candidates []AtExchange `json:"candidates"`
	Ours       AtExchange   `json:"ours" doc:"The patient as we write them, as it was asked"`
	By         string       `json:"by"`
	At         string       `json:"at"`

	as    outside.Identity   // whom the patient is there, by which documents are told
	there []outside.Identity // of the candidates, in their order
}

// kept is what is kept of a link.
type kept struct {
	ExchangeLink
	As    outside.Identity   `json:"as"`
	There []outside.Identity `json:"there"`
}

func (a *Acts) link(q *store.Q, patient string) (out ExchangeLink, err error) {
	out.Candidates, out.Ours = []AtExchange{}, candidate("", outside.Identity{})
	all, err := q.InquiriesAbout(store.ExchangeLink, patient)
	if err != nil || len(all) == 0 {
		return out, err
	}
	var k kept
	if err := json.Unmarshal(all[0].Said, &k); err != nil {
		return out, err
	}
	out = k.ExchangeLink
	out.as, out.there, out.By, out.At = k.As, k.There, all[0].By, a.Say(all[0].At)
	if out.Candidates == nil {
		out.Candidates = []AtExchange{}
	}
	if out.Ours.Agree == nil {
		out.Ours = candidate("", outside.Identity{})
	}
	return out, nil
}

// identity is a patient as another party is asked for them.
func (a *Acts) identity(q *store.Q, p chart.Patient) (outside.Identity, error) {
	r, known, err := q.Registration(p.ID)
	if err != nil {
		return outside.Identity{}, err
	}
	if !known {
		r = chart.RegistrationOf(p)
	}
	id := outside.Identity{Family: p.Name.Family, Given: strings.TrimSpace(p.Name.Given + " " + r.Middle), BirthDate: p.BirthDate, Sex: p.Sex, Phone: p.Phone, Street: r.Address.Street, City: r.Address.City, Zip: r.Address.Zip}
	if len(r.Telephones) > 0 {
		id.Phone = r.Telephones[0].Number
	}
	return id, nil
}

func candidate(id string, x outside.Identity) AtExchange {
	c := AtExchange{ID: id, Name: strings.TrimSpace(x.Given + " " + x.Family), Born: x.BirthDate, Sex: x.Sex, Phone: x.Phone, Agree: []string{}, Differ: []string{}}
	c.Lives = strings.Trim(x.Street+", "+strings.TrimSpace(x.Zip+" "+x.City), ", ")
	return c
}

// Ask asks the exchange who the patient is there. It links by itself only where that is certain (core/outside.Linker); else it says why
// not, with both spellings. An exchange is asked only about somebody who agreed to share in one direction at least.
func (a *Acts) Ask(ctx context.Context, who act.Actor, patient string) (out SharingPage, err error) {
	if err := act.Allow(who, act.Share); err != nil {
		return out, err
	}
	var us outside.Identity
	var p chart.Patient
	if err := a.Look(ctx, who, act.Share, func(q *store.Q) error {
		if p, err = q.Person(patient); err != nil {
			return act.NotFound(err, "patient")
		}
		all, err := a.consents(q, p.ID)
		if err != nil {
			return err
		}
		switch {
		case a.Elsewhere.Exchange == "":
			return act.Refuse(act.Conflict, "No exchange is connected.")
		case !agreed(all, In) && !agreed(all, Out):
			return act.Refuse(act.Conflict, "The patient has not agreed to share: nobody is asked about them.")
		}
		us, err = a.identity(q, p)
		return err
	}); err != nil {
		return out, err
	}
	asking, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	reply, failed := fhir.Match(asking, a.Elsewhere.Exchange, us)
	k := kept{ExchangeLink: ExchangeLink{Ours: candidate("", us)}}
	switch {
	case failed != nil:
		slog.Warn("the exchange could not be asked", "error", failed)
		k.State, k.Says, k.Mends = Failed, "The exchange does not answer.", "Ask it again later; nothing else waits for it."
		if errors.Is(failed, fhir.ErrUnreadable) {
			k.Says = "The exchange sent something that cannot be read: " + strings.TrimPrefix(failed.Error(), fhir.ErrUnreadable.Error()+": ") + "."
		}
	default:
		there := make([]outside.Identity, len(reply.Taken))
		for i, x := range reply.Taken {
			there[i] = x.Identity
		}
		a.judge(&k, us, reply.Taken, outside.Linker{Short: a.Nicknames}.Link(us, there))
	}
	if err := a.keep(context.WithoutCancel(ctx), who, p.ID, k, "ask the exchange who the patient is"); err != nil {
		return out, err
	}
	if k.State == Linked {
		return a.Fetch(ctx, who, patient)
	}
	return a.Page(ctx, who, patient)
}

// judge says what an answer of the exchange means.
func (a *Acts) judge(k *kept, us outside.Identity, known []fhir.Known, ranked []outside.Alike) {
	for _, x := range ranked[:min(3, len(ranked))] {
		c := candidate(known[x.At].ID, known[x.At].Identity)
		c.Agree, c.Differ, c.Why = append(c.Agree, x.Agree...), append(c.Differ, x.Differ...), x.Unsure
		k.Candidates, k.There = append(k.Candidates, c), append(k.There, known[x.At].Identity)
	}
	switch {
	case len(ranked) == 0:
		k.State, k.Says, k.Mends = Nobody, "Nobody there is like "+us.Given+" "+us.Family+".", "See that name and birth date are right here; they may never have been at a house of the exchange."
	case ranked[0].Unsure == "":
		k.State, k.Person, k.As, k.Says = Linked, known[ranked[0].At].ID, known[ranked[0].At].Identity, "What agrees: "+strings.Join(ranked[0].Agree, ", ")+"."
		k.Candidates, k.There = nil, nil
	default:
		k.State, k.Says = Question, strings.ToUpper(ranked[0].Unsure[:1])+ranked[0].Unsure[1:]+"."
		k.Mends = "Ask the patient which is right. Where it is ours that is wrong, correct the registration and ask again; where it is theirs, say that it is the same person, and why."
	}
}

// keep keeps how a link stands. What is as it was is not kept twice.
func (a *Acts) keep(ctx context.Context, who act.Actor, patient string, k kept, name string) error {
	return a.Act(ctx, who, act.Share, func(t *act.Tx) error {
		if _, err := t.Person(patient); err != nil {
			return act.NotFound(err, "patient")
		}
		now, err := a.link(t.Q, patient)
		if err != nil {
			return err
		}
		switch {
		case now.State == Linked && k.State == Linked && now.Person == k.Person:
			return nil
		case k.State == Unlinked && now.State == Unlinked:
			return nil
		case k.State == Unlinked && now.State != Linked:
			return act.Refuse(act.Conflict, "The patient is not linked.")
		}
		body, err := json.Marshal(k)
		if err != nil {
			return err
		}
		id := act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.ExchangeLink, Source: "exchange", Origin: "link " + id, PatientID: patient, ByID: who.ID, Said: body, At: t.Now}); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, patient, patient)
		return t.Audit(name, patient, id, k.State)
	})
}

// Confirm links the patient with somebody of the exchange by hand, with the reason; the exchange had named them last time.
func (a *Acts) Confirm(ctx context.Context, who act.Actor, patient, person, reason string) (out SharingPage, err error) {
	if err := act.Allow(who, act.Share); err != nil {
		return out, err
	}
	reason = chart.Tidy(reason)
	var k kept
	if err := a.Look(ctx, who, act.Share, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		now, err := a.link(q, p.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(now.Candidates, func(c AtExchange) bool { return c.ID == person })
		switch {
		case now.State == Linked && now.Person == person:
			return nil
		case i < 0:
			return act.Refuse(act.Conflict, "The exchange did not name them: ask it again.")
		case reason == "":
			return act.Refuse(act.Invalid, "Say why it is the same person.")
		}
		k = kept{ExchangeLink: ExchangeLink{State: Linked, Person: person, Says: "By hand: " + reason, Ours: now.Ours}, As: now.there[i]}
		return nil
	}); err != nil {
		return out, err
	}
	if k.State != "" {
		if err := a.keep(ctx, who, patient, k, "say whom the patient is at the exchange"); err != nil {
			return out, err
		}
	}
	return a.Fetch(ctx, who, patient)
}

// Unlink ends a link by hand: it was somebody else, or the patient wishes so. What came stays.
func (a *Acts) Unlink(ctx context.Context, who act.Actor, patient, reason string) (out SharingPage, err error) {
	if err := act.Allow(who, act.Share); err != nil {
		return out, err
	}
	if reason = chart.Tidy(reason); reason == "" {
		return out, act.Refuse(act.Invalid, "Say why.")
	}
	if err := a.keep(ctx, who, patient, kept{ExchangeLink: ExchangeLink{State: Unlinked, Says: reason}}, "end a link with the exchange"); err != nil {
		return out, err
	}
	return a.Page(ctx, who, patient)
}

// waits is how long the exchange may take for a list, and for each document.
const waits = 20 * time.Second

// arrived is what is kept of a document that the exchange has.
type arrived struct {
	Document string `json:"document"`
	House    string `json:"house"`
	Title    string `json:"title"`
	At       string `json:"at"`
	From     string `json:"from"`
	To       string `json:"to"`
	URL      string `json:"url"`
	Record   string `json:"record"` // ours; "" where it was not taken
	Why      string `json:"why"`    // in what it differs

	id, received string
}

// Fetch asks the exchange for documents of a patient who is linked and has agreed that they come in. Each new one becomes a record from
// elsewhere, a question to the patient first; one of a house where they said they were never is not fetched. What is here is not fetched
// again.
func (a *Acts) Fetch(ctx context.Context, who act.Actor, patient string) (out SharingPage, err error) {
	if err := act.Allow(who, act.Share); err != nil {
		return out, err
	}
	var p chart.Patient
	var l ExchangeLink
	var refused []string
	if err := a.Look(ctx, who, act.Share, func(q *store.Q) error {
		p, l, refused, err = a.mayFetch(q, patient)
		return err
	}); err != nil {
		return out, err
	}
	if l.Person == "" || a.Elsewhere.Exchange == "" {
		return a.Page(ctx, who, patient)
	}
	problems := a.fetch(ctx, who, p, l, refused)
	out, err = a.Page(context.WithoutCancel(ctx), who, patient)
	out.Problems = append(out.Problems, problems...)
	return out, err
}

// mayFetch is whom a patient is at the exchange, nobody where they are not linked or do not agree that records come in; and the houses where
// they were never.
func (a *Acts) mayFetch(q *store.Q, patient string) (p chart.Patient, l ExchangeLink, refused []string, err error) {
	if p, err = q.Person(patient); err != nil {
		return p, l, nil, act.NotFound(err, "patient")
	}
	in, err := a.agrees(q, p.ID, In)
	if err != nil {
		return p, l, nil, err
	}
	if l, err = a.link(q, p.ID); err != nil {
		return p, l, nil, err
	}
	if !in || l.State != Linked { // linked to give only, or not at all
		l.Person = ""
	}
	said, err := q.OutsideSources(p.ID)
	seen := map[string]bool{}
	for _, s := range said {
		if !seen[s.House] && s.Says == "refused" {
			refused = append(refused, s.House)
		}
		seen[s.House] = true
	}
	return p, l, refused, err
}

// AskForWhoIsHere asks the exchange once a day for documents of everybody who is linked, agrees that they come in, and is here today; what
// is new stands as a question before anybody sits down with the patient.
func (a *Acts) AskForWhoIsHere(ctx context.Context) error {
	if a.Elsewhere.Exchange == "" {
		return nil
	}
	var here []string
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		here, err = q.LinkedHere(a.Today())
		return err
	}); err != nil {
		return err
	}
	for _, id := range here {
		if !a.today.first(a.Today(), id) {
			continue
		}
		var p chart.Patient
		var l ExchangeLink
		var refused []string
		if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
			p, l, refused, err = a.mayFetch(q, id)
			return err
		}); err != nil {
			return err
		}
		if l.Person == "" {
			a.today.forget(id)
			continue
		}
		a.fetch(ctx, act.Actor{}, p, l, refused)
	}
	return nil
}

// Run asks by itself until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	act.Repeat(ctx, every, "the exchange could not be asked for who is here", a.AskForWhoIsHere)
}

// askedToday remembers whom the exchange was asked about on a day.
type askedToday struct {
	mu  sync.Mutex
	day string
	of  map[string]bool
}

// first says whether somebody is asked about for the first time on a day.
func (x *askedToday) first(day, patient string) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.day != day {
		x.day, x.of = day, map[string]bool{}
	}
	was := x.of[patient]
	x.of[patient] = true
	return !was
}

func (x *askedToday) forget(patient string) {
	x.mu.Lock()
	defer x.mu.Unlock()
	delete(x.of, patient)
}

func (a *Acts) fetch(ctx context.Context, who act.Actor, p chart.Patient, l ExchangeLink, refused []string) (problems []string) {
	asking, cancel := context.WithTimeout(ctx, waits)
	defer cancel()
	body, err := fhir.Search(asking, a.Elsewhere.Exchange+"/fhir", "DocumentReference", url.Values{"patient": {"Patient/" + l.Person}, "status": {"current"}})
	var reply fhir.Reply[fhir.SharedDocument]
	if err == nil {
		reply, err = fhir.SharedDocuments(body, l.Person)
	}
	if err != nil {
		slog.Warn("the exchange could not be asked for documents", "error", err)
		return []string{"The exchange could not be asked for documents: ask again later."}
	}
	for _, why := range reply.Left {
		problems = append(problems, "Of what the exchange has, something was not taken: "+why+".")
	}
	for _, d := range reply.Taken {
		if slices.Contains(refused, d.House) {
			problems = append(problems, d.Title+" of "+d.House+" was not fetched: "+p.Name.Given+" was not there, as they said.")
			continue
		}
		if why := a.fetchOne(ctx, who, p, l, d); why != "" {
			problems = append(problems, d.Title+" of "+act.OrUnknown(d.House, "a house that is not named")+": "+why)
		}
	}
	return problems
}

// origin is by what a document of the exchange is known again.
func origin(patient, document string) string { return "exchange document " + patient + " " + document }

func (a *Acts) fetchOne(ctx context.Context, who act.Actor, p chart.Patient, l ExchangeLink, d fhir.SharedDocument) (why string) {
	known := false
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		all, err := q.InquiriesKnown([]string{origin(p.ID, d.ID)})
		known = all[origin(p.ID, d.ID)]
		return err
	}); err != nil || known {
		return ""
	}
	asking, cancel := context.WithTimeout(ctx, waits)
	defer cancel()
	raw, err := fhir.FetchDocument(asking, a.Elsewhere.Exchange, d)
	if err != nil {
		return "it could not be fetched; it is asked for again next time."
	}
	x := arrived{Document: d.ID, House: d.House, Title: d.Title, At: d.At, From: d.From, To: d.To, URL: d.URL}
	_, err = a.Record.ReceiveShared(context.WithoutCancel(ctx), who, p.ID, raw, l.as, "", func(t *act.Tx, record, differs string) error {
		x.Record, x.Why = record, differs
		return a.keepArrived(t, p.ID, x)
	})
	if err != nil {
		slog.Error("a document of the exchange could not be kept", "error", err)
		return "it could not be kept; it is asked for again next time."
	}
	return ""
}

// keepArrived keeps what became of a document of the exchange.
func (a *Acts) keepArrived(t *act.Tx, patient string, x arrived) error {
	body, err := json.Marshal(x)
	if err != nil {
		return err
	}
	from := origin(patient, x.Document)
	if x.Record != "" && x.Why != "" {
		from += " taken"
	}
	_, err = t.AddInquiry(store.Inquiry{ID: act.NewID(), Kind: store.FromExchange, Source: "exchange", Origin: from, PatientID: patient, ByID: t.Who.ID, Said: body, At: t.Now})
	return err
}

// TakeShared takes a document of the exchange that names somebody who differs, with the reason why it is the patient's all the same.
func (a *Acts) TakeShared(ctx context.Context, who act.Actor, patient, document, reason string) (out SharingPage, err error) {
	if err := act.Allow(who, act.Share); err != nil {
		return out, err
	}
	if reason = chart.Tidy(reason); reason == "" {
		return out, act.Refuse(act.Invalid, "Say why it is the patient's all the same.")
	}
	var p chart.Patient
	var l ExchangeLink
	var x arrived
	if err := a.Look(ctx, who, act.Share, func(q *store.Q) error {
		if p, err = q.Person(patient); err != nil {
			return act.NotFound(err, "patient")
		}
		in, err := a.agrees(q, p.ID, In)
		if err != nil {
			return err
		}
		if l, err = a.link(q, p.ID); err != nil {
			return err
		}
		all, err := a.arrived(q, p.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(x arrived) bool { return x.Document == document })
		switch {
		case i < 0:
			return act.Refuse(act.Missing, "There is no such document.")
		case !in || l.State != Linked:
			return act.Refuse(act.Conflict, "The patient is not linked, or does not agree that records come in.")
		}
		x = all[i]
		return nil
	}); err != nil {
		return out, err
	}
	if x.Record != "" { // taken before
		return a.Page(ctx, who, patient)
	}
	asking, cancel := context.WithTimeout(ctx, waits)
	defer cancel()
	raw, err := fhir.FetchDocument(asking, a.Elsewhere.Exchange, fhir.SharedDocument{ID: x.Document, URL: x.URL})
	if err != nil {
		return out, act.Refuse(act.Unreachable, "The exchange does not hand it out: try again later.")
	}
	if _, err := a.Record.ReceiveShared(context.WithoutCancel(ctx), who, p.ID, raw, l.as, reason, func(t *act.Tx, record, _ string) error {
		x.Record = record
		return a.keepArrived(t, p.ID, x)
	}); err != nil {
		return out, err
	}
	return a.Page(ctx, who, patient)
}

// arrived lists the documents of the exchange, each as it stands last.
func (a *Acts) arrived(q *store.Q, patient string) (out []arrived, err error) {
	all, err := q.InquiriesAbout(store.FromExchange, patient)
	for _, i := range all { // newest first
		var x arrived
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return out, err
		}
		x.id, x.received = i.ID, a.Say(i.At)
		if !slices.ContainsFunc(out, func(y arrived) bool { return y.Document == x.Document }) {
			out = append(out, x)
		}
	}
	return out, err
}

// Refused sends a document of the exchange back, because the patient was never where it comes from; the record room tells of it.
func (a *Acts) Refused(t *act.Tx, patient, record, words string) error {
	all, err := a.arrived(t.Q, patient)
	if err != nil {
		return err
	}
	for _, d := range all {
		if d.Record != record || a.Elsewhere.Exchange == "" {
			continue
		}
		control := "back-" + d.id
		if _, _, err := t.OutgoingByControl(control); err == nil {
			continue // it was sent back before
		} else if !store.IsNotFound(err) {
			return err
		}
		body, err := fhir.SentBack(control, d.Document, "The patient says that they were not there: "+words, t.Now)
		if err != nil {
			return err
		}
		if err := a.send(t, patient, store.Outgoing{Control: control, Kind: outBack, Subject: d.id, Body: body}); err != nil {
			return err
		}
	}
	return nil
}
