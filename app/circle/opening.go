package circle

import (
	"context"
	"errors"
	"strings"

	"deftledger/app/act"
	"deftledger/core/circle"
	"deftledger/core/line"
	"deftledger/store"
)

// Door is a chart before it is opened: whose it is, and whether it is open to the person.
type Door struct {
	Patient  act.PatientView `json:"patient"`
	Open     bool            `json:"open"`
	Why      string          `json:"why" doc:"Why it is open; empty where it is not"`
	Reviewer string          `json:"reviewer" doc:"Who looks at it afterwards, where it has to be opened with a reason"`
	Hours    int             `json:"hours" doc:"How long it stays open then"`
}

// reviewerFor names who looks at what somebody opens: the one who was named, unless they
// cannot or it is they themself; then "" for whoever may.
func reviewerFor(q *store.Q, opener string) (string, error) {
	id, err := q.Setting(act.ReviewerSetting)
	if err != nil || id == "" || id == opener {
		return "", err
	}
	s, err := q.StaffByID(id)
	if errors.Is(err, store.ErrNotFound) || err == nil && (!s.Active || !act.May(s.Role, act.ReviewOpened)) {
		return "", nil
	}
	return id, err
}

// Door says whose a chart is and whether it is open to the person: what the finder says of
// anybody, and nothing of the chart.
func (a *Acts) Door(ctx context.Context, who act.Actor, patient string) (out Door, err error) {
	err = a.Look(ctx, who, act.OpenClosed, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		may, err := a.MaySee(q, who, p.ID)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		answer := may[p.ID]
		out = Door{Patient: a.Named(p), Open: answer.Open, Why: answer.Words(names[answer.Tie.With], a.Today()), Hours: int(circle.Lasts.Hours())}
		reviewer, err := reviewerFor(q, who.ID)
		if out.Reviewer = names[reviewer]; out.Reviewer == "" {
			out.Reviewer = "whoever may " + string(act.ReviewOpened)
		}
		return err
	})
	return out, err
}

// OpenChart opens a chart that is not open to the person, with a sentence why. It stays open
// to them for twelve hours, and somebody else looks at it afterwards.
func (a *Acts) OpenChart(ctx context.Context, who act.Actor, patient, reason string) error {
	if err := act.Allow(who, act.OpenClosed); err != nil {
		return err
	}
	reason, err := circle.Reason(reason)
	if err != nil {
		return act.Refuse(act.Invalid, "%s.", sentence(err))
	}
	return a.Act(ctx, who, act.OpenClosed, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		may, err := a.MaySee(t.Q, who, p.ID)
		if err != nil || may[p.ID].Open {
			return err // open already: the same act again opens it once
		}
		reviewer, err := reviewerFor(t.Q, who.ID)
		if err != nil {
			return err
		}
		o := store.Opening{ID: act.NewID(), Patient: p, StaffID: who.ID, At: t.Now, Until: t.Now.Add(circle.Lasts), Reason: reason, ReviewerID: reviewer}
		if err := t.AddOpening(o); err != nil {
			return err
		}
		if err := t.OpenLine(act.NewID(), line.Opening, o.ID, p.ID, reviewer, line.Open, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, o.ID, p.ID)
		return t.Audit("open a closed chart with a reason", p.ID, o.ID, "")
	})
}

// OpeningView is a chart that was opened with a reason.
type OpeningView struct {
	ID         string          `json:"id"`
	Patient    act.PatientView `json:"patient"`
	By         string          `json:"by"`
	At         string          `json:"at"`
	Until      string          `json:"until"`
	Reason     string          `json:"reason"`
	Reviewer   string          `json:"reviewer" doc:"Who looks at it"`
	MayReview  bool            `json:"mayReview"`
	ReviewedBy string          `json:"reviewedBy" doc:"Empty while nobody has"`
	ReviewedAt string          `json:"reviewedAt"`
	Verdict    string          `json:"verdict"`
	Remark     string          `json:"remark"`
}

func (a *Acts) view(o store.Opening, who act.Actor, names map[string]string) OpeningView {
	v := OpeningView{ID: o.ID, Patient: a.Named(o.Patient), By: names[o.StaffID], At: a.Say(o.At), Until: a.Say(o.Until), Reason: o.Reason,
		Reviewer: names[o.ReviewerID], ReviewedBy: names[o.ReviewedBy], ReviewedAt: a.Say(o.ReviewedAt), Verdict: string(o.Verdict),
		Remark:    o.Remark,
		MayReview: o.ReviewedAt.IsZero() && o.StaffID != who.ID && act.May(who.Role, act.ReviewOpened)}
	if v.Reviewer == "" {
		v.Reviewer = "whoever may " + string(act.ReviewOpened)
	}
	return v
}

// openingsPage is how many openings come at a time.
const openingsPage = 100

// Openings lists the charts that were opened with a reason, the newest first: those nobody
// has reviewed, or all.
func (a *Acts) Openings(ctx context.Context, who act.Actor, all bool) (out []OpeningView, err error) {
	out = []OpeningView{}
	err = a.Look(ctx, who, act.ReviewOpened, func(q *store.Q) error {
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		os, err := q.Openings(!all, a.Clock().Add(circle.Lasts), openingsPage)
		for _, o := range os {
			out = append(out, a.view(o, who, names))
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "list opened charts", "", "")
	}
	return out, err
}

// Opening is one opening, to be reviewed.
func (a *Acts) Opening(ctx context.Context, who act.Actor, id string) (out OpeningView, err error) {
	err = a.Look(ctx, who, act.ReviewOpened, func(q *store.Q) error {
		o, err := q.OpeningByID(id)
		if err != nil {
			return act.NotFound(err, "opening")
		}
		names, err := q.StaffNames()
		out = a.view(o, who, names)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at an opened chart's reason", "", id)
	}
	return out, err
}

// ReviewOpening records what somebody else than the opener says of an opening, which closes
// its line.
func (a *Acts) ReviewOpening(ctx context.Context, who act.Actor, id string, verdict circle.Verdict, remark string) error {
	return a.Act(ctx, who, act.ReviewOpened, func(t *act.Tx) error {
		o, err := t.OpeningByID(id)
		if err != nil {
			return act.NotFound(err, "opening")
		}
		remark = strings.TrimSpace(remark)
		if err := circle.Review(verdict, remark, o.StaffID, who.ID); err != nil {
			return act.Refuse(act.Invalid, "%s.", sentence(err))
		}
		if len([]rune(remark)) > 2000 {
			return act.Refuse(act.Invalid, "Say it in 2000 letters or fewer.")
		}
		if o.ReviewedBy == who.ID && o.Verdict == verdict && o.Remark == remark {
			return nil // the same act again
		}
		if err := t.Q.ReviewOpening(id, verdict, remark, who.ID, t.Now); err != nil {
			return act.Stale(err, "This opening")
		}
		if err := t.CloseLine(line.Opening, id, who.ID, string(verdict), t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, o.Patient.ID)
		return t.Audit("review an opened chart", o.Patient.ID, id, "")
	})
}

// Lines are the kinds of open line of this room: opened charts that nobody has reviewed.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Opening, List: act.UnderWay, Right: act.ReviewOpened, Fill: a.fill}}
}

func (a *Acts) fill(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	os, err := q.OpeningsIn(act.Subjects(rows))
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	act.Describe(rows, os, func(o store.Opening) string { return o.ID }, func(row *act.LineRow, o store.Opening) {
		row.Title, row.Mark = "by "+names[o.StaffID]+": "+o.Reason, "opened, to review"
	})
	return err
}
