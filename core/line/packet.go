package line

import (
	"cmp"
	"slices"
	"time"
)

// Place is where an open line stands among others: what a list is ordered by.
type Place struct {
	Rank   int
	Name   string // what lines of a patient are ordered by
	Opened time.Time
	ID     string
}

// Compare orders places: gravest first, then by patient, then oldest first.
func (p Place) Compare(o Place) int {
	return cmp.Or(p.Rank-o.Rank, cmp.Compare(p.Name, o.Name), p.Opened.Compare(o.Opened), cmp.Compare(p.ID, o.ID))
}

// ByAge orders places oldest first.
func (p Place) ByAge(o Place) int { return cmp.Or(p.Opened.Compare(o.Opened), p.Compare(o)) }

// ByName orders places by patient.
func (p Place) ByName(o Place) int { return cmp.Or(cmp.Compare(p.Name, o.Name), p.Compare(o)) }

// Entry is an open line as far as a list has to know it.
type Entry struct {
	Place
	Kind    Kind
	Subject string
	Person  string // "" where nobody knows for certain whose it is
}

// Packet is one row of a list: what is read, signed and told together, the reports of one person, or a line by itself.
type Packet struct {
	Place   // of the gravest; Opened is of the oldest
	Kind    Kind
	Person  string
	Entries []Entry // gravest first
}

// Packets puts the reports of each person together, if together is true; everything else stands by itself. The packets come in
// their order, and each entry is in exactly one.
func Packets(all []Entry, together bool) []Packet {
	slices.SortFunc(all, func(a, b Entry) int { return a.Compare(b.Place) })
	out := make([]Packet, 0, len(all))
	at := map[string]int{}
	for _, e := range all {
		if together && e.Kind == Report && e.Person != "" {
			if i, there := at[e.Person]; there {
				p := &out[i]
				p.Entries = append(p.Entries, e)
				if e.Opened.Before(p.Opened) {
					p.Opened = e.Opened
				}
				continue
			}
			at[e.Person] = len(out)
		}
		out = append(out, Packet{Place: e.Place, Kind: e.Kind, Person: e.Person, Entries: []Entry{e}})
	}
	slices.SortFunc(out, func(a, b Packet) int { return a.Compare(b.Place) })
	return out
}
