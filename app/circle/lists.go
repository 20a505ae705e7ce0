package circle

import (
	"context"
	"errors"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/circle"
	"deftledger/store"
)

// Person is somebody of the practice who sees charts, or looks after who does.
type Person struct {
	ID       string `json:"id"`
	Name     string `json:"name"`
	Role     string `json:"role"`
	Patients int    `json:"patients" doc:"Whose usual clinician they are"`
	Sees     bool   `json:"sees" doc:"Sees charts"`
	Reviews  bool   `json:"reviews" doc:"May review opened charts"`
}

// TeamView is a team with its members.
type TeamView struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Members []string `json:"members" doc:"Identifiers of people"`
}

// CoverView is who covers for whom.
type CoverView struct {
	ID   string `json:"id"`
	Of   string `json:"of" doc:"Identifier of who is covered"`
	By   string `json:"by" doc:"Identifier of who covers"`
	From string `json:"from" format:"date"`
	To   string `json:"to" format:"date"`
	Mine bool   `json:"mine" doc:"The person may end it"`
}

// WidthView is a way in which charts can be open.
type WidthView struct {
	Width circle.Width `json:"width" enum:"own,team,practice"`
	Says  string       `json:"says"`
}

// Circle is who sees whose chart, as kept in simple lists.
type Circle struct {
	Width    circle.Width `json:"width" enum:"own,team,practice"`
	Widths   []WidthView  `json:"widths"`
	Reviewer string       `json:"reviewer" doc:"Identifier of who looks at opened charts; empty for whoever may"`
	People   []Person     `json:"people"`
	Teams    []TeamView   `json:"teams"`
	Covers   []CoverView  `json:"covers"`
}

// Lists reads who sees whose chart. Everybody whom it concerns may know it; it names no patient.
func (a *Acts) Lists(ctx context.Context, who act.Actor) (out Circle, err error) {
	out = Circle{Widths: []WidthView{}, People: []Person{}, Teams: []TeamView{}, Covers: []CoverView{}}
	for _, w := range circle.Widths {
		out.Widths = append(out.Widths, WidthView(w))
	}
	err = a.Look(ctx, who, act.SetUsual, func(q *store.Q) error {
		if out.Width, err = act.Width(q); err != nil {
			return err
		}
		if out.Reviewer, err = q.Setting(act.ReviewerSetting); err != nil {
			return err
		}
		staff, err := q.AllStaff()
		if err != nil {
			return err
		}
		patients, err := q.CountPatientsOf()
		if err != nil {
			return err
		}
		for _, s := range staff {
			if s.Active && (act.May(s.Role, act.SeeChart) || act.May(s.Role, act.ReviewOpened)) {
				out.People = append(out.People, Person{ID: s.ID, Name: s.Name(), Role: s.Role, Patients: patients[s.ID],
					Sees: act.May(s.Role, act.SeeChart), Reviews: act.May(s.Role, act.ReviewOpened)})
			}
		}
		teams, err := q.Teams()
		if err != nil {
			return err
		}
		for _, t := range teams {
			out.Teams = append(out.Teams, TeamView(t))
		}
		covers, err := q.Covers(a.Today())
		for _, c := range covers {
			out.Covers = append(out.Covers, CoverView{c.ID, c.OfID, c.ByID, c.From, c.To, mayCover(who, c.OfID)})
		}
		return err
	})
	return out, err
}

// set runs an act on the lists, after which what was remembered of them is forgotten.
func (a *Acts) set(ctx context.Context, who act.Actor, right act.Right, f func(*act.Tx) error) error {
	err := a.Act(ctx, who, right, f)
	a.CircleChanged()
	return err
}

// SetWidth says how far charts are open in the practice.
func (a *Acts) SetWidth(ctx context.Context, who act.Actor, w circle.Width) error {
	if err := act.Allow(who, act.SetCircle); err != nil {
		return err
	}
	if !w.Known() {
		return act.Refuse(act.Invalid, "Charts are open to own patients, to the team, or to the practice.")
	}
	return a.set(ctx, who, act.SetCircle, func(t *act.Tx) error {
		if err := t.SetSetting(act.WidthSetting, string(w)); err != nil {
			return err
		}
		t.Tell(act.CircleEvent, "", "")
		return t.Audit("say how far charts are open", "", string(w), "")
	})
}

// member finds somebody active who has a right.
func member(q *store.Q, id string, right act.Right) error {
	s, err := q.StaffByID(id)
	if err != nil {
		return act.NotFound(err, "person")
	}
	if !s.Active || !act.May(s.Role, right) {
		return act.Refuse(act.Invalid, "%s may not %s.", s.Name(), right)
	}
	return nil
}

// SetReviewer names who looks at charts that were opened with a reason; "" for whoever may.
func (a *Acts) SetReviewer(ctx context.Context, who act.Actor, staff string) error {
	return a.set(ctx, who, act.SetCircle, func(t *act.Tx) error {
		if staff != "" {
			if err := member(t.Q, staff, act.ReviewOpened); err != nil {
				return err
			}
		}
		if err := t.SetSetting(act.ReviewerSetting, staff); err != nil {
			return err
		}
		t.Tell(act.CircleEvent, "", "")
		return t.Audit("say who reviews opened charts", "", staff, "")
	})
}

// SetTeam makes a team, or gives it another name or other members; "" makes a new one.
func (a *Acts) SetTeam(ctx context.Context, who act.Actor, team TeamView) (id string, err error) {
	if err := act.Allow(who, act.SetCircle); err != nil {
		return "", err
	}
	team.Name = strings.Join(strings.Fields(team.Name), " ")
	if team.Name == "" || len([]rune(team.Name)) > 60 {
		return "", act.Refuse(act.Invalid, "Give the team a name of up to 60 letters.")
	}
	err = a.set(ctx, who, act.SetCircle, func(t *act.Tx) error {
		teams, err := t.Teams()
		if err != nil {
			return err
		}
		known := false
		for _, x := range teams {
			known = known || x.ID == team.ID
			if x.ID != team.ID && strings.EqualFold(x.Name, team.Name) {
				return act.Refuse(act.Conflict, "There is a team %s already.", x.Name)
			}
		}
		if id = team.ID; id == "" {
			id = act.NewID()
		} else if !known {
			return act.Refuse(act.Missing, "There is no such team.")
		}
		slices.Sort(team.Members)
		team.Members = slices.Compact(team.Members)
		for _, m := range team.Members {
			if err := member(t.Q, m, act.SeeChart); err != nil {
				return err
			}
		}
		if err := t.Q.SetTeam(store.CareTeam{ID: id, Name: team.Name, Members: team.Members}); err != nil {
			return err
		}
		t.Tell(act.CircleEvent, id, "")
		return t.Audit("say who is in a team", "", id, "")
	})
	return id, err
}

// DropTeam ends a team. Without any, the practice is one team.
func (a *Acts) DropTeam(ctx context.Context, who act.Actor, id string) error {
	return a.set(ctx, who, act.SetCircle, func(t *act.Tx) error {
		if err := t.Q.DropTeam(id); err != nil {
			return act.NotFound(err, "team")
		}
		t.Tell(act.CircleEvent, id, "")
		return t.Audit("end a team", "", id, "")
	})
}

// mayCover says whether somebody may say who covers for a person: for themself, or, who says
// who sees whose chart, for everybody.
func mayCover(who act.Actor, of string) bool {
	return who.ID == of && act.May(who.Role, act.SetCover) || act.May(who.Role, act.SetCircle)
}

// AddCover says who covers for somebody from day to day. A physician says it for themself:
// nobody gives themself the charts of another.
func (a *Acts) AddCover(ctx context.Context, who act.Actor, c CoverView) error {
	if err := act.Allow(who, act.SetCover); err != nil {
		return err
	}
	if err := circle.Cover(c.Of, c.By, c.From, c.To, a.Today()); err != nil {
		return act.Refuse(act.Invalid, "%s.", sentence(err))
	}
	if !mayCover(who, c.Of) {
		return act.Refuse(act.Forbidden, "Say who covers for you; for others, whoever says who sees whose chart does.")
	}
	return a.set(ctx, who, act.SetCover, func(t *act.Tx) error {
		for _, id := range []string{c.Of, c.By} {
			if err := member(t.Q, id, act.SeeChart); err != nil {
				return err
			}
		}
		had, err := t.Covers(a.Today())
		if err != nil {
			return err
		}
		for _, x := range had {
			if x.OfID == c.Of && x.ByID == c.By && x.From <= c.From && x.To >= c.To {
				return nil // said already
			}
		}
		id := act.NewID()
		if err := t.Q.AddCover(store.Cover{ID: id, OfID: c.Of, ByID: c.By, From: c.From, To: c.To, SetBy: who.ID, SetAt: t.Now}); err != nil {
			return err
		}
		t.Tell(act.CircleEvent, id, "")
		return t.Audit("say who covers", "", id, "")
	})
}

// EndCover ends a cover before its last day.
func (a *Acts) EndCover(ctx context.Context, who act.Actor, id string) error {
	return a.set(ctx, who, act.SetCover, func(t *act.Tx) error {
		c, err := t.CoverByID(id)
		if err != nil {
			return act.NotFound(err, "cover")
		}
		if !mayCover(who, c.OfID) {
			return act.Refuse(act.Forbidden, "Whoever is covered ends it, or whoever says who sees whose chart.")
		}
		if err := t.Q.EndCover(id, who.ID, t.Now); err != nil {
			if errors.Is(err, store.ErrNotFound) {
				return nil // ended already
			}
			return err
		}
		t.Tell(act.CircleEvent, id, "")
		return t.Audit("end a cover", "", id, "")
	})
}

// SetUsual says who a patient usually sees; "" for nobody. Who sees charts says it only of
// charts that are open to them.
func (a *Acts) SetUsual(ctx context.Context, who act.Actor, patient, staff string) error {
	return a.set(ctx, who, act.SetUsual, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if staff != "" {
			if err := member(t.Q, staff, act.SeeChart); err != nil {
				return err
			}
		}
		if err := t.SetUsualClinician(p.ID, staff, who.ID, t.Now); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		return t.Audit("say who is the usual clinician", p.ID, staff, "")
	})
}

// patientsPage is how many patients of a clinician come at a time.
const patientsPage = 50

// PatientsOf are a page of the patients of a usual clinician.
type PatientsOf struct {
	Patients []act.PatientView `json:"patients"`
	Next     string            `json:"next" doc:"Begins the next page; empty after the last"`
}

// UsualPatients lists the patients of a usual clinician, after one.
func (a *Acts) UsualPatients(ctx context.Context, who act.Actor, staff, after string) (out PatientsOf, err error) {
	out.Patients = []act.PatientView{}
	err = a.Look(ctx, who, act.SeePractice, func(q *store.Q) error {
		ps, err := q.PatientsOf(staff, after, patientsPage+1)
		if len(ps) > patientsPage {
			ps = ps[:patientsPage]
			out.Next = ps[patientsPage-1].ID
		}
		for _, p := range ps {
			out.Patients = append(out.Patients, a.Named(p))
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "list the patients of a clinician", "", staff)
	}
	return out, err
}

// sentence begins an error as a sentence does.
func sentence(err error) string {
	s := err.Error()
	return strings.ToUpper(s[:1]) + s[1:]
}
