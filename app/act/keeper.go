package act

import (
	"encoding/json"
	"time"

	"deftledger/core/outside"
	"deftledger/store"
)

// Wished is what is kept of a wish to hold something back from others, of the end of one, or of somebody's having looked at an entry that
// may go out.
type Wished struct {
	Of    string   `json:"of"`
	ID    string   `json:"id"`
	Title string   `json:"title"`
	Tells string   `json:"tells,omitempty"` // as outside.Wish
	Held  bool     `json:"held"`
	Law   bool     `json:"law,omitempty"`
	Words string   `json:"words"`
	Day   string   `json:"day"`
	Reads []string `json:"reads,omitempty"` // of one that was looked at, as outside.Told names what it said

	By string    `json:"-"`
	At time.Time `json:"-"`
}

// Wishes are what was said last of each part, subject and entry, newest first.
func (o *Office) Wishes(q *store.Q, patient string) (out []Wished, err error) {
	all, err := q.InquiriesAbout(store.SharingWish, patient)
	if err != nil {
		return nil, err
	}
	said := map[string]bool{}
	for _, i := range all {
		w := Wished{By: i.By, At: i.At}
		if err := json.Unmarshal(i.Said, &w); err != nil {
			return nil, err
		}
		if key := w.Of + " " + w.ID; !said[key] {
			said[key] = true
			out = append(out, w)
		}
	}
	return out, nil
}

// Keeper holds back from others what a patient wishes.
func (o *Office) Keeper(q *store.Q, patient string) (k outside.Keeper, err error) {
	all, err := o.Wishes(q, patient)
	k = outside.Keeper{Sensitive: o.Sensitive, Cleared: map[string]outside.Clearance{}}
	for _, w := range all {
		switch {
		case w.Held:
			k.Wishes = append(k.Wishes, outside.Wish{Of: w.Of, ID: w.ID, Title: w.Title, Tells: w.Tells, At: w.At})
		case w.Of == outside.OfEntry:
			k.Cleared[w.ID] = outside.Clearance{At: w.At, Reads: w.Reads}
		}
	}
	return k, err
}
