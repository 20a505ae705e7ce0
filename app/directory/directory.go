// Package directory is the room of those to whom the practice writes: practices and persons,
// pharmacies, with how each wants to be reached.
package directory

import (
	"cmp"
	"context"
	"regexp"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct{ *act.Office }

// New makes the room on its ground.
func New(o *act.Office) *Acts { return &Acts{o} }

// Kinds of entry.
const (
	Practice = "practice"
	Pharmacy = "pharmacy"
)

// How somebody wants to be reached.
const (
	Electronic = "electronic"
	Fax        = "fax"
	Letter     = "letter"
)

// AddresseeView is somebody to whom the practice writes.
type AddresseeView struct {
	ID        string `json:"id,omitempty" maxLength:"64"`
	Kind      string `json:"kind" enum:"practice,pharmacy"`
	Name      string `json:"name" maxLength:"200" doc:"Of the practice or pharmacy"`
	Person    string `json:"person,omitempty" maxLength:"200"`
	Specialty string `json:"specialty,omitempty" maxLength:"200" doc:"What they do, in words"`
	Phone     string `json:"phone,omitempty" maxLength:"40"`
	Fax       string `json:"fax,omitempty" maxLength:"40"`
	Address   string `json:"address,omitempty" maxLength:"400"`
	NPI       string `json:"npi,omitempty" maxLength:"10"`
	Reach     string `json:"reach" enum:"electronic,fax,letter" doc:"How they want to be reached"`
	Account   string `json:"account,omitempty" maxLength:"64" doc:"How their system names them, where they are reached electronically"`
	Remark    string `json:"remark,omitempty" maxLength:"1000"`
	Version   int    `json:"version,omitempty" doc:"0 for a new one"`
	Gone      bool   `json:"gone,omitempty" doc:"No longer written to"`
}

// Says names an entry as a letter is addressed.
func (e AddresseeView) Says() string {
	if e.Person == "" {
		return e.Name
	}
	return e.Person + ", " + e.Name
}

// View writes an entry.
func View(e store.Addressee) AddresseeView {
	return AddresseeView{e.ID, e.Kind, e.Name, e.Person, e.Specialty, e.Phone, e.Fax, e.Address, e.NPI, e.Reach, e.Account, e.Remark, e.Version, e.Gone}
}

// Find lists those of a kind ("" for all) whose name, person, specialty or place has all the
// words, those that begin with them first; with nothing asked, all. Those no longer written
// to come only with whole.
func (a *Acts) Find(ctx context.Context, who act.Actor, kind, words string, whole bool) ([]AddresseeView, error) {
	out := []AddresseeView{}
	err := a.Look(ctx, who, act.SeeDirectory, func(q *store.Q) error {
		all, err := q.Directory()
		if err != nil {
			return err
		}
		asked := strings.Fields(chart.Plain(words))
		type hit struct {
			e    AddresseeView
			rank int
		}
		var hits []hit
		for _, e := range all {
			if e.Gone && !whole || kind != "" && e.Kind != kind {
				continue
			}
			text := " " + strings.Join([]string{chart.Plain(e.Name), chart.Plain(e.Person), chart.Plain(e.Specialty), chart.Plain(e.Address)}, " ")
			rank := 0
			for _, w := range asked {
				switch {
				case strings.Contains(text, " "+w):
				case strings.Contains(text, w):
					rank++
				default:
					rank += 1000
				}
			}
			if rank < 1000 {
				hits = append(hits, hit{View(e), rank})
			}
		}
		slices.SortStableFunc(hits, func(a, b hit) int { return cmp.Compare(a.rank, b.rank) })
		for _, h := range hits[:min(len(hits), 200)] {
			out = append(out, h.e)
		}
		return nil
	})
	return out, err
}

var (
	number = regexp.MustCompile(`^\+?[0-9][0-9 ()-]{5,19}$`)
	system = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9.-]{0,63}$`)
)

// Keep stores an entry, new or changed from the version that was seen.
func (a *Acts) Keep(ctx context.Context, who act.Actor, v AddresseeView) (out AddresseeView, err error) {
	if err := act.Allow(who, act.KeepDirectory); err != nil {
		return out, err
	}
	for _, p := range []*string{&v.Name, &v.Person, &v.Specialty, &v.Phone, &v.Fax, &v.NPI, &v.Account} {
		*p = chart.Tidy(*p)
	}
	switch {
	case v.Name == "":
		return out, act.Refuse(act.Invalid, "Give the name of the practice or pharmacy.")
	case v.Kind != Practice && v.Kind != Pharmacy:
		return out, act.Refuse(act.Invalid, "Choose practice or pharmacy.")
	case v.NPI != "" && !chart.SoundNPI(v.NPI):
		return out, act.Refuse(act.Invalid, "%s is no National Provider Identifier: its check digit is wrong, or it has not ten digits.", v.NPI)
	case v.Fax != "" && !number.MatchString(v.Fax):
		return out, act.Refuse(act.Invalid, "%q is not a fax number; write it with digits, as in 555-0190.", v.Fax)
	case v.Reach == Fax && v.Fax == "":
		return out, act.Refuse(act.Invalid, "They want to be reached by fax: give the fax number.")
	case v.Reach == Electronic && !system.MatchString(v.Account):
		return out, act.Refuse(act.Invalid, "They want to be reached electronically: give the account by which their system knows them, in letters and digits.")
	case v.Reach != Electronic && v.Reach != Fax && v.Reach != Letter:
		return out, act.Refuse(act.Invalid, "Choose how they want to be reached.")
	}
	err = a.Act(ctx, who, act.KeepDirectory, func(t *act.Tx) error {
		if v.Version == 0 {
			v.ID = act.NewID()
		} else if _, err := t.AddresseeByID(v.ID); err != nil {
			return act.NotFound(err, "entry of the directory")
		}
		v.Version++
		if err := t.KeepAddressee(store.Addressee{ID: v.ID, Kind: v.Kind, Name: v.Name, Person: v.Person, Specialty: v.Specialty, Phone: v.Phone, Fax: v.Fax, Address: strings.TrimSpace(v.Address),
			NPI: v.NPI, Reach: v.Reach, Account: v.Account, Remark: strings.TrimSpace(v.Remark), Version: v.Version, ByID: who.ID, At: t.Now, Gone: v.Gone}); err != nil {
			return act.Stale(err, "The entry of the directory")
		}
		out = v
		return t.AuditNamed("keep entry of the directory", "", v.ID, "")
	})
	return out, err
}
