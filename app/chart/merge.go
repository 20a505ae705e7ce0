package chart

import (
	"context"
	"fmt"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/store"
)

// MergeView is a record that was merged into this chart.
type MergeView struct {
	ID     string `json:"id"`
	Record string `json:"record"`
	Name   string `json:"name"`
	Reason string `json:"reason"`
	By     string `json:"by"`
	At     string `json:"at"`
}

func (a *Acts) merges(q *store.Q, person string) ([]MergeView, error) {
	out := []MergeView{}
	ms, err := q.Merges(person)
	if err != nil || len(ms) == 0 {
		return out, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return out, err
	}
	for _, m := range ms {
		p, err := q.PatientByID(m.OtherID)
		if err != nil {
			return out, err
		}
		out = append(out, MergeView{ID: m.ID, Record: p.Record, Name: p.Name.Given + " " + p.Name.Family, Reason: m.Reason, By: names[m.ByID],
			At: a.Say(m.At)})
	}
	return out, nil
}

// MergeSide is one of two records that may be of one person.
type MergeSide struct {
	Patient act.PatientView `json:"patient"`
	Holds   []string        `json:"holds" doc:"What was written in it: 3 visits"`
}

// Comparison sets two records side by side before they are merged.
type Comparison struct {
	Kept   MergeSide `json:"kept"`
	Other  MergeSide `json:"other"`
	Agree  []string  `json:"agree"`
	Differ []string  `json:"differ"`
}

// Compare sets two records side by side: what of their identity agrees, and what
// each holds.
func (a *Acts) Compare(ctx context.Context, who act.Actor, kept, other string) (out Comparison, err error) {
	out = Comparison{Agree: []string{}, Differ: []string{}}
	err = a.Look(ctx, who, act.MergeRecords, func(q *store.Q) error {
		k, err := q.Person(kept)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		o, err := q.Person(other)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		for _, side := range []struct {
			p   chart.Patient
			out *MergeSide
		}{{k, &out.Kept}, {o, &out.Other}} {
			*side.out = MergeSide{Patient: a.Patient(side.p), Holds: []string{}}
			rows, err := q.RowsOf(side.p.ID, a.Clock())
			if err != nil {
				return err
			}
			for _, r := range rows {
				if r.All > 0 {
					side.out.Holds = append(side.out.Holds, fmt.Sprintf("%s: %d", r.What, r.All))
				}
			}
		}
		for _, f := range []struct {
			what string
			same bool
		}{
			{"family name", chart.Fold(k.Name.Family) == chart.Fold(o.Name.Family)},
			{"given name", chart.Fold(k.Name.Given) == chart.Fold(o.Name.Given)},
			{"birth date", k.BirthDate == o.BirthDate}, {"sex", k.Sex == o.Sex}, {"phone", k.Phone != "" && k.Phone == o.Phone},
		} {
			if f.same {
				out.Agree = append(out.Agree, f.what)
			} else {
				out.Differ = append(out.Differ, f.what)
			}
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "compare records", kept, other)
	}
	return out, err
}

// sealedMerge is the sealed content of a merge, and of taking apart, in each chart.
type sealedMerge struct {
	Kept   string `json:"kept"` // record numbers
	Other  string `json:"other"`
	Reason string `json:"reason"`
}

// Merge says that two records are of one person: the other is read as part of the
// one that is kept. Nothing is moved or rewritten, and both charts seal it.
func (a *Acts) Merge(ctx context.Context, who act.Actor, secret, kept, other, reason string) error {
	if err := act.Allow(who, act.MergeRecords); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" || len(reason) > 2000 {
		return act.Refuse(act.Invalid, "Say how you know that both records are of one person.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.MergeRecords, func(t *act.Tx) error {
		k, err := t.Person(kept)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		o, err := t.PatientByID(other)
		switch {
		case err != nil:
			return act.NotFound(err, "patient")
		case k.ID == o.PersonID && k.ID != o.ID:
			return nil // merged already: the same act again changes nothing
		case k.ID == o.ID:
			return act.Refuse(act.Invalid, "That is this very record. Choose the other one.")
		case o.PersonID != o.ID:
			return act.Refuse(act.Conflict, "Record %s is part of another chart already.", o.Record)
		}
		folio, err := a.sealMerge(t, "merge", k, o, reason)
		if err != nil {
			return err
		}
		if err := t.AddMerge(store.Merge{ID: act.NewID(), KeptID: k.ID, OtherID: o.ID, Reason: strings.TrimSpace(reason), ByID: who.ID, At: t.Now,
			Folio: folio}); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, k.ID, k.ID)
		t.Tell(act.MergeEvent, o.ID, "")
		if err := t.Audit("merge into another record", o.ID, k.ID, ""); err != nil {
			return err
		}
		return t.Audit("merge a record", k.ID, o.ID, "")
	})
}

// sealMerge seals what was said of two records in the charts of both.
func (a *Acts) sealMerge(t *act.Tx, kind string, kept, other chart.Patient, reason string) (int, error) {
	c := sealedMerge{kept.Record, other.Record, strings.TrimSpace(reason)}
	e, err := t.Seal(kept.ID, kind, other.ID, 0, c)
	if err != nil {
		return 0, err
	}
	_, err = t.Seal(other.ID, kind, kept.ID, 0, c)
	return e.Folio, err
}

// TakeApart makes a merged record a chart of its own again, with everything that was
// written in it. The answer names what was written in the kept record meanwhile and
// so stays there: a person has to look whose it is.
func (a *Acts) TakeApart(ctx context.Context, who act.Actor, secret, id, reason string) (stays []string, err error) {
	if err := act.Allow(who, act.MergeRecords); err != nil {
		return nil, err
	}
	if strings.TrimSpace(reason) == "" || len(reason) > 2000 {
		return nil, act.Refuse(act.Invalid, "Say how you know that the records are of two people.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return nil, err
	}
	stays = []string{}
	err = a.Act(ctx, who, act.MergeRecords, func(t *act.Tx) error {
		m, err := t.MergeByID(id)
		if err != nil {
			return act.NotFound(err, "merge")
		}
		if !m.ApartAt.IsZero() {
			return nil // taken apart already
		}
		k, err := t.PatientByID(m.KeptID)
		if err != nil {
			return err
		}
		o, err := t.PatientByID(m.OtherID)
		if err != nil {
			return err
		}
		rows, err := t.RowsOf(k.ID, m.At)
		if err != nil {
			return err
		}
		for _, r := range rows {
			if r.Since > 0 {
				stays = append(stays, fmt.Sprintf("%s: %d", r.What, r.Since))
			}
		}
		if _, err := a.sealMerge(t, "taken apart", k, o, reason); err != nil {
			return err
		}
		if err := t.Q.TakeApart(m, who.ID, strings.TrimSpace(reason), t.Now); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, k.ID, k.ID)
		t.Tell(act.PatientEvent, o.ID, o.ID)
		if err := t.Audit("taken apart from another record", o.ID, k.ID, ""); err != nil {
			return err
		}
		return t.Audit("take a record apart", k.ID, o.ID, "")
	})
	return stays, err
}
